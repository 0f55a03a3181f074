"""neat-delta recode."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_output import (
    OutputTargets,
    OverrideOptions,
    finished,
    output_targets,
    override_options,
    render_result,
)
from neat_delta.cli.common import (
    SOURCE,
    OutputOptions,
    catalogue_file,
    load_config,
    output_options,
    read_options,
    show_progress,
)

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.remote import Location
    from neat_delta.tables.read_options import ReadOptions


@click.command("recode")
@click.argument("live", type=SOURCE)
@click.argument("codes", type=SOURCE)
@click.option("--old", metavar="COLUMN", help="The column of CODES with the codes as they are.")
@click.option("--new", metavar="COLUMN", help="The column of CODES with the codes as they shall be.")
@click.option("--rename-pictures", is_flag=True, help="Let picture names that hold an item's code follow it.")
@click.option("--key", multiple=True, metavar="FIELD", help="What names an item.")
@output_targets
@override_options
@catalogue_file
@read_options
@output_options
def recode_command(
    live: Location,
    codes: Location,
    old: str | None,
    new: str | None,
    rename_pictures: bool,
    key: tuple[str, ...],
    wanted: OutputTargets,
    opened: OverrideOptions,
    settings: Path | None,
    form: ReadOptions,
    spoken: OutputOptions,
) -> int:
    """Give items of the LIVE catalogue other codes, by a list of old and new CODES.

    Fields that name items by their codes follow. Unknown codes, codes in use, two into one and one into two are found
    before anything is written. Swaps and chains go in stages, in none of which two items share a code.
    """
    from neat_delta.diff.compare import CompareOptions
    from neat_delta.diff.recode import code_pairs, read_codes, recode
    from neat_delta.matching import choose_key
    from neat_delta.reading import read_table

    settled = load_config(settings)
    wanted.check_places()
    with show_progress(spoken) as voice:
        ours = read_table(live, voice, settled.export).renamed(settled.names())
        theirs = read_codes(codes, ours, form, voice)
        named = choose_key(ours, ours.names, key or settled.key)
        asked = code_pairs(theirs, named, old, new)
        voice.step("working out the codes")
        seen = recode(ours, theirs, named, asked, CompareOptions(settings=settled), pictures=rename_pictures)
        seen, receipt = finished(seen, settled, wanted, opened, voice)

    def head(width: int) -> Iterator[Text]:
        from neat_delta.views.file_format import catalogue_view

        widest = max(len(ours.source.name), len(theirs.source.name))
        yield from catalogue_view("live", ours, "item", width, widest)
        yield from catalogue_view("codes", theirs, "row", width, widest)

    return render_result(seen, receipt, settled, wanted, spoken, head)

"""neat-delta recode."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_output import (
    DisplayChoice,
    Outcome,
    OverrideOptions,
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
    from neat_delta.workflows.targets import Targets


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
    targets: Targets,
    display: DisplayChoice,
    override: OverrideOptions,
    config: Path | None,
    format_given: ReadOptions,
    output: OutputOptions,
) -> int:
    """Give items of the LIVE catalogue other codes, by a list of old and new CODES.

    Fields that name items by their codes follow. Unknown codes, codes in use, two into one and one into two are found
    before anything is written. Swaps and chains go in stages, in none of which two items share a code.
    """
    from neat_delta.diff.compare import CompareOptions
    from neat_delta.workflows.inputs import read_live
    from neat_delta.workflows.plan import PlanOptions, RekeyFile, plan_rekeys
    from neat_delta.workflows.publish import publish

    settings = load_config(config)
    targets.check()
    with show_progress(output) as progress:
        live_table = read_live(live, settings, progress)
        targets.check_folder()
        options = PlanOptions(CompareOptions(settings=settings), overrides=override.overrides(), images=override.images)
        file = RekeyFile(codes, format_given, old, new, rename_images=rename_pictures)
        result, codes_table = plan_rekeys(live_table, key, file, options, progress)
        targets.check()
        receipt = publish(result, settings, targets, progress)

    def head(width: int) -> Iterator[Text]:
        from neat_delta.views.file_format import catalogue_view

        widest = max(len(live_table.source.name), len(codes_table.source.name))
        yield from catalogue_view("live", live_table, "item", width, widest)
        yield from catalogue_view("codes", codes_table, "row", width, widest)

    return render_result(Outcome(result, receipt, settings, targets, display), output, head)

"""neat-delta write."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_args import AS_OF
from neat_delta.cli.changeset_output import FORM, PACK, STRICT, OverrideOptions, override_options, refused
from neat_delta.cli.common import (
    FILE,
    SOURCE,
    OutputOptions,
    catalogue_file,
    console,
    load_config,
    output_options,
    show,
    show_json,
    show_progress,
)
from neat_delta.cli.exits import Exit

if TYPE_CHECKING:
    from collections.abc import Iterator
    from datetime import datetime
    from pathlib import Path

    from rich.text import Text

    from neat_delta.remote import Location
    from neat_delta.update import Receipt


@click.command("write")
@click.argument("changes", type=SOURCE)
@click.option(
    "-o", "--folder", type=FILE, required=True, metavar="DIR", help="The folder for the update; new or empty."
)
@click.option(
    "--live",
    type=SOURCE,
    metavar="FILE",
    help="The live export, if it lies neither beside CHANGES nor in this folder.",
)
@AS_OF
@click.option("--replace", is_flag=True, help="Let the update take the place of an earlier one in DIR.")
@STRICT
@PACK
@FORM
@override_options
@catalogue_file
@output_options
def write_command(
    changes: Location,
    folder: Path,
    live: Location | None,
    as_of: datetime | None,
    replace: bool,
    strict: bool,
    strategy: str,
    output_format: str,
    override: OverrideOptions,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Write the update files of a change set, proved, with the files that undo them and a receipt.

    The change set knows the live export it was made from and refuses any other. All checks are run again; what they
    stop is held back, and the rest is written.
    """
    from neat_delta.update import WriteOptions
    from neat_delta.workflows.saved_changes import SavedFile, write_saved

    settings = load_config(config)
    options = WriteOptions(overwrite=replace, strategy=strategy, output_format=output_format, as_of=as_of)
    saved, overrides = SavedFile(changes, live, override.images), override.overrides()
    with show_progress(output) as progress:
        written = write_saved(saved, folder, settings, options, overrides, progress, strict=strict)
    blocked = written.changes.blocking_count()
    if strict and blocked:
        return refused(blocked)
    if output.as_json:
        show_json({"files": []} if written.receipt is None else written.receipt.as_dict())
    elif not output.quiet:
        name = written.live.source.name
        show(_view(written.receipt, name, folder, blocked, changes, console(output).width), output)
    return Exit.ATTENTION if blocked else Exit.DONE


def _view(
    receipt: Receipt | None, live_name: str, folder: Path, held_back: int, changes: Location, width: int
) -> Iterator[Text]:
    from neat_delta.views.formatting import pluralize
    from neat_delta.views.lines import labelled
    from neat_delta.views.update import next_view, nothing_view, update_view

    if receipt is None:
        yield nothing_view(folder)
        return
    yield from update_view(receipt, live_name, width)
    if held_back:
        yield labelled("held back", f"{pluralize(held_back, 'finding')}; see them with: neat-delta check {changes}")
    yield from next_view(receipt, width)

"""neat-delta write."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_args import AS_OF, LIVE
from neat_delta.cli.changeset_output import FORMAT, PACK, STRICT, OverrideOptions, override_options, refused
from neat_delta.cli.common import (
    FILE,
    SOURCE,
    OutputOptions,
    catalogue_file,
    console,
    load_config,
    output_options,
    show,
    show_progress,
)
from neat_delta.cli.envelope import show_json
from neat_delta.cli.help import OUTPUT, SAFETY, command, option
from neat_delta.exit_codes import Exit

if TYPE_CHECKING:
    from collections.abc import Iterator
    from datetime import datetime
    from pathlib import Path

    from rich.text import Text

    from neat_delta.locations import Location
    from neat_delta.workflows.saved_changes import Written


@command(
    "write",
    "neat-delta write tuesday.changes.jsonl -o updates",
    "neat-delta write tuesday.changes.jsonl -o updates --pack fewest-files",
)
@click.argument("changes", type=SOURCE)
@option(
    OUTPUT,
    "-o",
    "--out",
    "folder",
    common=True,
    type=FILE,
    required=True,
    metavar="DIR",
    help="Folder for the update files; new or empty.",
)
@option(SAFETY, "--approval", type=SOURCE, metavar="FILE", help="The approval, if it is not next to CHANGES.")
@LIVE
@AS_OF
@option(OUTPUT, "--overwrite", is_flag=True, help="Overwrite an earlier update in DIR.")
@STRICT
@PACK
@FORMAT
@override_options
@catalogue_file
@output_options
def write_command(
    changes: Location,
    folder: Path,
    approval: Location | None,
    live: Location | None,
    as_of: datetime | None,
    overwrite: bool,
    strict: bool,
    strategy: str,
    output_format: str,
    override: OverrideOptions,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Write the update files of a change set, proved, with undo files and a receipt.

    It needs the live export that the change set was made from, and no other. All checks run again; errors are not
    written, the rest is.
    """
    from neat_delta.update import WriteOptions
    from neat_delta.workflows.saved_changes import SavedFile, write_saved

    settings = load_config(config)
    options = WriteOptions(overwrite=overwrite, strategy=strategy, output_format=output_format, as_of=as_of)
    saved, overrides = SavedFile(changes, live, override.images, approval), override.overrides()
    with show_progress(output) as progress:
        written = write_saved(saved, folder, settings, options, overrides, progress, strict=strict)
    blocked = written.changes.blocking_count()
    if strict and blocked:
        return refused(blocked)
    if output.as_json:
        show_json(
            {"files": []} if written.receipt is None else written.receipt.as_dict(),
            written.changes,
            _check_command(written, changes),
        )
    elif not output.quiet:
        show(_view(written, folder, changes, console(output).width), output)
    return Exit.ATTENTION if blocked else Exit.DONE


def _view(written: Written, folder: Path, changes: Location, width: int) -> Iterator[Text]:
    from neat_delta.views.update import next_view, nothing_view, update_view
    from neat_delta.views.verdict import changes_verdict, next_command, verdict_view

    if written.receipt is None:
        yield nothing_view(folder)
    else:
        yield from update_view(written.receipt, written.live.source.name, width)
    yield from verdict_view(changes_verdict(written.changes), width)
    label = "next"
    for words in _check_command(written, changes):
        yield from next_command(words, width)
        label = "or"
    if written.receipt is not None:
        yield from next_view(written.receipt, width, label)


def _check_command(written: Written, changes: Location) -> list[list[str]]:
    """What shows the errors that were not written, if there are any."""
    from neat_delta.views.shell import free_name

    if not written.changes.blocking_count():
        return []
    return [["neat-delta", "check", str(changes), "--problems", free_name("problems.xlsx")]]

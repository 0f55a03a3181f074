"""neat-delta undo."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_output import FORM, PACK
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
from neat_delta.cli.journal import JOURNAL, changes_of, sent_as
from neat_delta.errors import InvalidOption

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.reconcile.refresh import RefreshResult
    from neat_delta.remote import Location
    from neat_delta.update import Receipt


@click.command("undo")
@click.argument("changes", type=SOURCE)
@click.option("-o", "--folder", type=FILE, required=True, metavar="DIR", help="The folder for the files; new or empty.")
@click.option(
    "--live", type=SOURCE, metavar="FILE", help="The live export, if it lies neither beside CHANGES nor in this folder."
)
@click.option(
    "--fresh",
    type=SOURCE,
    metavar="FILE",
    help="A newer export: undo only what has landed and has not moved since; the rest is listed.",
)
@click.option("--replace", is_flag=True, help="Let the files take the place of an earlier update in DIR.")
@JOURNAL
@PACK
@FORM
@catalogue_file
@output_options
def undo_command(
    changes: Location,
    folder: Path,
    live: Location | None,
    fresh: Location | None,
    replace: bool,
    journal: Path | None,
    strategy: str,
    output_format: str,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Write the files that put back what a change set has changed, proved; its own go into the folder's undo.

    They are those that "write" puts into undo: changed cells, new items, removals and codes alike. It needs the live
    export the change set was made from, and takes the shop to be as the update has left it; or, with --fresh, an export
    made since, and then nothing that others have changed is touched.

    CHANGES is a kept change set or, with --fresh, the number of a journal entry: what was sent then is put back.
    """
    from neat_delta.update import WriteOptions
    from neat_delta.views.verify_views import refresh_view
    from neat_delta.workflows.saved_changes import SavedFile, undo_saved, undo_since

    settings = load_config(config)
    options = WriteOptions(overwrite=replace, strategy=strategy, output_format=output_format)
    sent = sent_as(changes, journal)
    if sent is not None and fresh is None:
        raise InvalidOption(
            f"journal entry {sent.entry} is undone as far as the shop has not moved on since",
            hint=f"Say --fresh FILE with an export made now{_export_of(sent.place)}.",
        )
    refreshed = None
    with show_progress(output) as progress:
        if fresh is None:
            written = undo_saved(SavedFile(changes, live), folder, settings, options, progress)
        else:
            loaded = changes_of(changes, journal)
            written, refreshed = undo_since(loaded, fresh, folder, settings, options, progress)
    if output.as_json:
        show_json({"files": []} if written.receipt is None else written.receipt.as_dict())
    elif not output.quiet:
        width = console(output).width
        head = refresh_view(refreshed, width, back=True) if refreshed else ()
        show([*head, *_view(written.receipt, written.live.source.name, folder, width, refreshed)], output)
    conflicts = 0 if refreshed is None else len(refreshed.conflicts) + refreshed.missing
    return Exit.ATTENTION if conflicts else Exit.DONE


def _export_of(place: str) -> str:
    """Where a shop's interface gives its export."""
    return f", such as {place.rstrip('/')}/export.csv" if place.startswith("http") else ""


def _view(
    receipt: Receipt | None, live_name: str, folder: Path, width: int, result: RefreshResult | None
) -> Iterator[Text]:
    from neat_delta.views.formatting import pluralize
    from neat_delta.views.lines import sentence
    from neat_delta.views.update import files_table, next_view, nothing_view, stays_view

    if receipt is None:
        yield nothing_view(folder)
        return
    yield from files_table(receipt, width)
    what = f"{pluralize(receipt.cells, 'cell')} of {pluralize(receipt.items, 'item')}"
    if result is None:
        message = f"after the update these files give {live_name} back, {what}"
    else:
        message = f"these files put back what has landed and has not moved since, as {live_name} shows it, {what}"
    yield from sentence("proved", message, width, "good")
    yield from stays_view(receipt, width)
    yield from next_view(receipt, width)

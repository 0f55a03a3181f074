"""neat-delta undo."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_args import fresh_export, load_with_live
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
    pack: str,
    shape: str,
    settings: Path | None,
    spoken: OutputOptions,
) -> int:
    """Write the files that put back what a change set has changed, proved; its own go into the folder's undo.

    They are those that "write" puts into undo: changed cells, new items, removals and codes alike. It needs the live
    export the change set was made from, and takes the shop to be as the update has left it; or, with --fresh, an export
    made since, and then nothing that others have changed is touched.

    CHANGES is a kept change set or, with --fresh, the number of a journal entry: what was sent then is put back.
    """
    from neat_delta.changeset.invert import invert
    from neat_delta.reconcile.refresh import refresh
    from neat_delta.reconcile.verify import without_differences
    from neat_delta.update import write_update
    from neat_delta.views.verify_views import refresh_view

    settled = load_config(settings)
    sent = sent_as(changes, journal)
    if sent is not None and fresh is None:
        raise InvalidOption(
            f"journal entry {sent.entry} is undone as far as the shop has not moved on since",
            remedy=f"Say --fresh FILE with an export made now{_export_of(sent.place)}.",
        )
    seen = None
    with show_progress(spoken) as voice:
        if fresh is not None:
            loaded = changes_of(changes, journal)
            ours = fresh_export(loaded, fresh, settled, voice)
            seen = refresh(invert(loaded), ours, without_differences(settled))
            if seen.ambiguous:
                raise InvalidOption(
                    f"of {seen.ambiguous} items nobody can tell whether their codes have changed, so nothing is undone",
                    file=fresh,
                    remedy='Settle a field that no two items share: identity = "FIELD" in catalogue.toml, '
                    "and compare or recode anew.",
                )
            loaded = seen.changes
        else:
            loaded, ours = load_with_live(changes, live, settled, voice)
        turned = seen is None
        receipt = write_update(
            loaded, ours, folder, settled, replace=replace, way=pack, shape=shape, turned=turned, voice=voice
        )
    clashes = 0 if seen is None else len(seen.conflicts) + seen.missing
    if spoken.as_json:
        show_json({"files": []} if receipt is None else receipt.as_dict())
    elif not spoken.quiet:
        width = console(spoken).width
        show(
            [
                *(refresh_view(seen, width, back=True) if seen else ()),
                *_view(receipt, ours.source.name, folder, width, seen),
            ],
            spoken,
        )
    return Exit.ATTENTION if clashes else Exit.DONE


def _export_of(place: str) -> str:
    """Where a shop's interface gives its export."""
    return f", such as {place.rstrip('/')}/export.csv" if place.startswith("http") else ""


def _view(
    receipt: Receipt | None, live_name: str, folder: Path, width: int, seen: RefreshResult | None
) -> Iterator[Text]:
    from neat_delta.views.formatting import pluralize
    from neat_delta.views.lines import sentence
    from neat_delta.views.update import files_table, next_view, nothing_view, stays_view

    if receipt is None:
        yield nothing_view(folder)
        return
    yield from files_table(receipt, width)
    what = f"{pluralize(receipt.cells, 'cell')} of {pluralize(receipt.items, 'item')}"
    if seen is None:
        said = f"after the update these files give {live_name} back, {what}"
    else:
        said = f"these files put back what has landed and has not moved since, as {live_name} shows it, {what}"
    yield from sentence("proved", said, width, "good")
    yield from stays_view(receipt, width)
    yield from next_view(receipt, width)

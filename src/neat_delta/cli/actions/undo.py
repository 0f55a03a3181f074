"""What the command undo does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.changeset.problems import NOT_PUT_BACK
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.cli.envelope import show_json
from neat_delta.views.changes import DisplayOptions, findings_view
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import sentence
from neat_delta.views.update import files_table, next_view, nothing_view, stays_view
from neat_delta.views.verdict import NOT_SENT, other_export, verdict_view
from neat_delta.views.verify_views import altered_view, refresh_view
from neat_delta.workflows.history import changes_of, sent_as
from neat_delta.workflows.requests import UndoRequest
from neat_delta.workflows.undo import undo

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.locations import Location
    from neat_delta.reconcile.refresh import RefreshResult
    from neat_delta.workflows.write import Written


def undo_command(
    changes: Location,
    folder: Path,
    live: Location | None,
    history: Path | None,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Write the files that put things back, proved like any update."""
    sent = sent_as(changes, history)
    if sent is not None and options["fresh"] is None:
        raise InvalidOption(
            f"to undo history #{sent.entry}, a new export is needed",
            hint=f"Use --fresh FILE with an export made now{_export_of(sent.place)}.",
        )
    whole = changes if options["fresh"] is None else changes_of(changes, history)
    request = UndoRequest(changes=whole, live=live, folder=folder, settings=load_config(config), **options)
    with show_progress(output) as progress:
        written = undo(request, progress)
    refreshed = written.refreshed
    if output.as_json:
        receipt = {"files": []} if written.receipt is None else written.receipt.as_dict()
        altered = {} if written.altered is None else dict(written.altered["how"].value_counts(sort=True).iter_rows())
        show_json(receipt | {"altered": altered})
    elif not output.quiet:
        width = console(output).width
        head = refresh_view(refreshed, width, back=True) if refreshed else ()
        others = [code for code in written.changes.findings["code"].unique() if code != NOT_PUT_BACK]
        findings = findings_view(written.changes, DisplayOptions(width, besides=tuple(others))) if refreshed else ()
        altered_by_shop = () if written.altered is None else altered_view(written.altered, width)
        show([*head, *altered_by_shop, *findings, *_view(written, folder, width, refreshed)], output)
    if refreshed is None:
        return Exit.DONE
    left_alone = len(refreshed.conflicts) + refreshed.missing + len(written.changes.findings.filter(code=NOT_PUT_BACK))
    return Exit.ATTENTION if left_alone else Exit.DONE


def _export_of(place: str) -> str:
    """Where a shop's interface gives its export."""
    return f", such as {place.rstrip('/')}/export.csv" if place.startswith("http") else ""


def _view(written: Written, folder: Path, width: int, refreshed: RefreshResult | None) -> Iterator[Text]:

    receipt, live_name, other = written.receipt, written.live.source.name, other_export(written.live)
    if receipt is None:
        yield nothing_view(folder)
        yield from verdict_view(["nothing to undo", NOT_SENT, *other], width)
        return
    yield from files_table(receipt, width)
    what = f"{pluralize(receipt.cells, 'cell')} of {pluralize(receipt.items, 'item')}"
    if refreshed is None:
        message = f"after the update, these files restore {live_name}: {what}"
    else:
        message = f"these files restore what was applied and not changed since (checked with {live_name}): {what}"
    yield from sentence("proved", message, width, "good")
    yield from stays_view(receipt, width)
    yield from verdict_view([f"{pluralize(receipt.items, 'item')} will be restored", NOT_SENT, *other], width)
    yield from next_view(receipt, width)

"""What the command history does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.base.exit_codes import Exit
from neat_delta.base.json_form import to_json
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.cli.envelope import show_json
from neat_delta.views.delivery import entry_view, history_view, verify_command
from neat_delta.views.history_views import exports_view, item_history_view, sent_cells_view
from neat_delta.views.lines import labelled
from neat_delta.workflows.history import ItemPast, KeptExports, SentCells, SentUpdate, SentUpdates, as_records, look_up
from neat_delta.workflows.view_requests import HistoryRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.workflows.history import Known


def history_command(
    what: str | None, history: Path | None, config: Path | None, output: OutputOptions, **options: Any
) -> int:
    """List what was sent: when, where, with what result. With a NUMBER: every row that the shop did not accept."""
    request = HistoryRequest(what=what, history=history, settings=load_config(config), **options)
    with show_progress(output) as progress:
        looked_up = look_up(request, progress)
    if output.as_json:
        next_commands = [verify_command(looked_up.entry, history)] if isinstance(looked_up, SentUpdate) else []
        show_json(_as_json(looked_up), next_commands=next_commands)
    elif not output.quiet:
        show(_view(looked_up, request, console(output).width), output)
    return Exit.DONE


def _as_json(looked_up: Known) -> Any:
    if not isinstance(looked_up, KeptExports):
        return as_records(looked_up)
    exports, deleted = to_json(looked_up.exports), to_json(looked_up.deleted or [])
    return {"folder": str(looked_up.folder), "exports": exports, "deleted": deleted}


def _view(looked_up: Known, request: HistoryRequest, width: int) -> Iterator[Text]:
    match looked_up:
        case SentUpdates(entries, of_all, path):
            yield from history_view(entries, path, width, of_all=of_all)
        case SentUpdate(entry):
            yield from entry_view(entry, request.history, width)
        case SentCells(cells):
            yield from sent_cells_view(cells, width)
        case ItemPast(sku, past, entries_by_number):
            yield from item_history_view(sku, past, entries_by_number, width)
        case KeptExports(folder, exports, deleted):
            yield from exports_view(folder, exports, deleted, width)
    if request.out is not None:
        yield labelled("saved", f"the list, in {request.out}")

"""Seeing what is in a table, and what a change set does."""

from __future__ import annotations

from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.api.tables import SettingsLike, TableLike, settings_of
from neat_delta.api.translate import request_of, table_or_place
from neat_delta.locations import parse_location
from neat_delta.views.drawings import begin_to_draw, draw
from neat_delta.workflows import history as looking
from neat_delta.workflows import inspect as inspecting
from neat_delta.workflows import preview as previewing
from neat_delta.workflows.view_requests import HistoryRequest, InspectRequest, PreviewRequest

if TYPE_CHECKING:
    from typing import Unpack

    from neat_delta.api.arguments import HistoryArguments, PreviewArguments, ReadArguments
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.workflows.history import Known
    from neat_delta.workflows.inspect import Inspected
    from neat_delta.workflows.preview import Preview


def inspect(source: TableLike, settings: SettingsLike = None, **options: Unpack[ReadArguments]) -> Inspected:
    """What is in a table: its format, what each column holds, the columns that can identify an item, signs of damage.

    >>> import polars as pl
    >>> import neat_delta as nd
    >>> nd.inspect(pl.DataFrame({"sku": ["A", "B"], "price": ["1.00", "1.00"]})).keys.alone
    ['sku']

    Args:
        source: a file, an address or a frame.
        settings: what is configured.
        options: how to read it, where recognising the format goes wrong, as ``ReadArguments`` has it.

    Returns:
        ``table``, ``columns`` (column, field, type, filled, distinct, smallest, largest, commonest of each), ``keys``
        and ``damage`` (a frame of check, field, value, cells, say).

    Raises:
        InvalidInput: it cannot be read as a table.
    """
    configured = settings_of(settings)
    return inspecting.inspect(
        request_of(InspectRequest, "inspect", options, configured, file=table_or_place(source, configured))
    )


def history(
    what: str | None = None,
    settings: SettingsLike = None,
    *,
    history: str | PathLike[str] | None = None,
    **options: Unpack[HistoryArguments],
) -> Known:
    """What was sent: all updates, one by its number, every cell (``cells=True``), or the past of an item by its SKU.

    Args:
        what: the number of an update, or a SKU; without it all updates.
        settings: what is configured.
        history: the history's file, if not the one of this user.
        options: which of it, and where the list is saved, as ``HistoryArguments`` has it.

    Returns:
        ``SentUpdates`` (entries), ``SentUpdate`` (entry), ``SentCells`` (cells, a frame), ``ItemPast`` (past), or
        ``KeptExports`` (exports), by what was asked for.

    Raises:
        InvalidOption: no kept export has the item.
        WriteError: the list cannot be written.
    """
    path = None if history is None else Path(history)
    configured = settings_of(settings)
    return looking.look_up(request_of(HistoryRequest, "history", options, configured, what=what, history=path))


def preview(
    changes: ChangeSet | str | PathLike[str],
    live: TableLike | None = None,
    settings: SettingsLike = None,
    **options: Unpack[PreviewArguments],
) -> Preview:
    """What a change set, or a part of it, does to items, prices and stock; saves the page, workbook and charts.

    >>> import polars as pl
    >>> import neat_delta as nd
    >>> live = pl.DataFrame({"sku": ["A", "B"], "stock": ["1", "2"], "brand": ["Kelp", "Kelp"]})
    >>> changes = nd.adjust(live, ["stock = stock + 3"])
    >>> nd.preview(changes, live, stock=True).stock["units"].to_list()
    [3, 3]

    Args:
        changes: the change set, or its file.
        live: the live export that it was made from; what the change set itself does not know needs it.
        settings: what is configured.
        options: the part that is meant, what is worked out and what is saved, as ``PreviewArguments`` has it.

    Returns:
        ``changes``, the part, and the frames that were asked for: ``groups``, ``money``, ``stock``,
        ``affected_quotes``; ``None`` where nobody asked.

    Raises:
        InvalidOption: a field, an item or a group does not exist, or the condition is none.
        LiveMismatch: the change set was made from another live export.
        NotInstalled: charts are wanted, and what draws them is not there.
        WriteError: a file cannot be written; then none is.
    """
    configured = settings_of(settings)
    place = table_or_place(live, configured) if live is not None else None
    given = parse_location(str(changes)) if isinstance(changes, str | PathLike) else changes
    request = request_of(PreviewRequest, "preview", options, configured, changes=given, live=place)
    begin_to_draw(request)
    return previewing.preview(request, draw=draw)[0]

"""The terminal views of the past: one item's changes, and the live exports that are kept."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.views.changes import SOME_ITEMS
from neat_delta.views.formatting import local_time, pluralize, printable
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.preview import more_view
from neat_delta.views.table import Cell, Column, table
from neat_delta.views.verdict import verdict_view

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from datetime import datetime
    from pathlib import Path

    from rich.text import Text

    from neat_delta.export_store import KeptExport
    from neat_delta.workflows.item_history import ItemHistory


def item_history_view(sku: str, found: ItemHistory, width: int) -> Iterator[Text]:
    """When the fields of an item changed, the newest change first, and by whom."""
    yield labelled("item", sku, "strong")
    span = f", {_time(found.first)} to {_time(found.last)}" if found.first and found.last else ""
    yield from sentence("exports", f"{pluralize(found.exports, 'kept export')}{span}", width)
    rows = [
        [
            Cell(_minute(change.after), "note"),
            Cell(_minute(change.before)),
            Cell(change.field or "(item)"),
            Cell(printable(change.was), "was"),
            Cell(printable(change.now), "now"),
            Cell("the shop" if change.entry is None else f"update #{change.entry}", "note"),
        ]
        for change in found.changes
    ]
    heads = [Column("between"), Column("and"), Column("field", least=5), Column("was", least=8), Column("now", least=8)]
    yield from table([*heads, Column("by")], rows, width)
    ours = sum(change.entry is not None for change in found.changes)
    parts = [pluralize(len(found.changes), "change")] if found.changes else ["no change between these exports"]
    yield from verdict_view([*parts, *([f"{ours} by updates of yours"] if found.changes else [])], width)


def exports_view(
    folder: Path, kept: Sequence[KeptExport], gone: Sequence[KeptExport] | None, width: int
) -> Iterator[Text]:
    """The kept exports, the newest first, and what was deleted."""
    yield labelled("folder", str(folder))
    rows = [
        [
            Cell(_time(export.time)),
            Cell(export.name),
            Cell(_size(export.size), right=True),
            Cell(_size(export.packed), right=True),
            Cell(f"{export.sha256[:12]}…", "note"),
        ]
        for export in kept[:SOME_ITEMS]
    ]
    heads = [Column("made"), Column("export", least=8), Column("size", right=True), Column("kept as", right=True)]
    yield from table([*heads, Column("checksum")], rows, width)
    yield from more_view(len(kept) - SOME_ITEMS, "export", "--json lists them all")
    total = _size(sum(export.packed for export in kept))
    deleted = [f"{pluralize(len(gone), 'export')} deleted"] if gone is not None else []
    yield from verdict_view([f"{pluralize(len(kept), 'kept export')}, {total}", *deleted], width)


def _minute(moment: datetime) -> str:
    """A moment in local time, to the minute; the zone is in the line above."""
    return f"{moment.astimezone():%Y-%m-%d %H:%M}"


def _time(moment: datetime | None) -> str:
    return local_time(moment.isoformat()) if moment else ""


def _size(size: int) -> str:
    """Bytes in the largest unit that leaves a number above one."""
    for unit, bytes_of_it in (("GB", 10**9), ("MB", 10**6), ("kB", 10**3)):
        if size >= bytes_of_it:
            return f"{size / bytes_of_it:.1f} {unit}"
    return f"{size} B"

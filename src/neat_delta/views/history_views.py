"""The terminal views of the past: one item's changes, and the live exports that are kept."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from neat_delta.views.changes import SOME_ITEMS
from neat_delta.views.formatting import format_key, local_time, pluralize, printable
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.preview import more_view
from neat_delta.views.table import Cell, Column, table
from neat_delta.views.verdict import verdict_view

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence
    from pathlib import Path

    import polars as pl
    from rich.text import Text

    from neat_delta.delivery.history import Entry
    from neat_delta.export_store import KeptExport
    from neat_delta.workflows.item_history import ItemHistory


def item_history_view(sku: str, past: ItemHistory, people: Mapping[int, Entry], width: int) -> Iterator[Text]:
    """When the fields of an item changed, the newest change first, and by whom."""
    yield labelled("item", sku, "strong")
    times = [_time(time) for time in dict.fromkeys((past.first, past.last)) if time]
    span = f", {' to '.join(times)}" if times else ""
    yield from sentence("exports", f"{pluralize(past.exports, 'kept export')}{span}", width)
    rows = [
        [
            Cell(_minute(change.after), "note"),
            Cell(_minute(change.before)),
            Cell(change.field or "(item)"),
            Cell(printable(change.was), "was"),
            Cell(printable(change.now), "now"),
            Cell(_whose(change.entry, people), "note"),
        ]
        for change in past.changes
    ]
    heads = [Column("between"), Column("and"), Column("field", least=5), Column("was", least=8), Column("now", least=8)]
    if rows:
        yield from table([*heads, Column("by")], rows, width)
    ours = sum(change.entry is not None for change in past.changes)
    parts = [pluralize(len(past.changes), "change")] if past.changes else ["no change between these exports"]
    yield from verdict_view([*parts, *([f"{ours} by updates of yours"] if past.changes else [])], width)


def _whose(entry: int | None, people: Mapping[int, Entry]) -> str:
    """Who changed something: the shop itself, or an update, with who made and approved it."""
    if entry is None:
        return "the shop"
    of = people.get(entry)
    return f"update #{entry}{_by(of.made_by, of.approved_by)}" if of else f"update #{entry}"


def _by(made_by: str | None, approved_by: str | None) -> str:
    made = f" by {printable(made_by)}" if made_by else ""
    return f"{made}, approved by {printable(approved_by)}" if approved_by else made


def sent_cells_view(cells: pl.DataFrame, width: int) -> Iterator[Text]:
    """The cells that were sent, the newest first, and by whom."""
    rows = [
        [
            Cell(_minute(datetime.fromisoformat(row["sent"]))),
            Cell(format_key(row["key"])),
            Cell(row["field"] or row["action"]),
            Cell(printable(row["was"]), "was"),
            Cell(printable(row["now"]), "now"),
            Cell(f"#{row['entry']}{_by(row['made_by'], row['approved_by'])}", "note"),
        ]
        for row in cells.head(SOME_ITEMS).iter_rows(named=True)
    ]
    heads = [Column("sent"), Column("SKU", least=8), Column("field", least=5), Column("was", least=8)]
    yield from table([*heads, Column("now", least=8), Column("update", least=8)], rows, width)
    yield from more_view(len(cells) - SOME_ITEMS, "cell", "-o FILE saves them all")
    updates = pluralize(cells["entry"].n_unique(), "update")
    yield from verdict_view(
        [f"{pluralize(len(cells), 'change')} of {updates} sent" if len(cells) else "nothing was sent that fits"], width
    )


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

"""The terminal views of a change set beside a newer export: conflicts, and what has arrived."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text

from neat_delta.reconcile.three_way import APPLIED
from neat_delta.reconcile.verify import ALTERED, ITEM_MISSING, NOT_APPLIED, OVERWRITTEN
from neat_delta.tables.field_types import type_named
from neat_delta.views.changes import SOME_ITEMS
from neat_delta.views.formatting import STYLES, count, format_key, pluralize, printable
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.preview import more_view
from neat_delta.views.table import Cell, Column, aligned, table

if TYPE_CHECKING:
    from collections.abc import Iterator

    import polars as pl

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.reconcile.refresh import RefreshResult
    from neat_delta.reconcile.verify import VerifyResult

# In the order in which they worry people.
STATES = {
    NOT_APPLIED: "error",
    ITEM_MISSING: "error",
    ALTERED: "warning",
    OVERWRITTEN: "warning",
}


ITEM_HEADS = [Column("item", least=8), Column("name", least=8), Column("field", least=5)]
LABELS = {ITEM_MISSING: "not there", ALTERED: "altered"}


def altered_view(altered: pl.DataFrame, width: int) -> Iterator[Text]:
    """How many cells the shop has changed by rules of its own, and by which; they are ours all the same."""
    if len(altered):
        rules = ", ".join(
            f"{how} {count(number)}" for how, number in altered["how"].value_counts(sort=True).iter_rows()
        )
        message = f"{count(len(altered))} of them as the shop has altered our value ({rules}); restored as well"
        yield from sentence("altered", message, width)


def refresh_view(
    refreshed: RefreshResult, width: int, limit: int = SOME_ITEMS, *, back: bool = False
) -> Iterator[Text]:
    """How much is still needed, what dropped, what goes as a difference, and the conflicts: original, ours and shop.

    ``back`` says that the change set is a way back, which begins with what the update has made.
    """
    if back:
        yield labelled("as sent", f"{pluralize(refreshed.unchanged, 'cell')} still as sent; will be restored")
        yield labelled("done", f"{pluralize(refreshed.applied, 'cell')} as before the update; nothing to do")
    else:
        yield labelled("to send", f"{pluralize(refreshed.unchanged, 'cell')} unchanged in the shop; still to send")
        yield labelled("done", f"{pluralize(refreshed.applied, 'cell')} already in the shop; dropped")
    if refreshed.delta_cells:
        message = f"{pluralize(refreshed.delta_cells, 'cell')} sent as a difference, added to the shop's value"
        yield from sentence("difference", message, width)
    if refreshed.missing:
        yield labelled("deleted", f"{pluralize(refreshed.missing, 'item')} no longer in the shop, not sent", "error")
    if refreshed.conflicts.is_empty():
        yield labelled("conflicts", "none", "good")
        return
    fates = refreshed.conflicts["fate"].value_counts(sort=True)
    words = {"hold": "not sent", "ours": "our value will be sent", "shop": "shop's value kept"}
    described = ", ".join(f"{count(number)} {words[status]}" for status, number in fates.iter_rows())
    held = bool((refreshed.conflicts["fate"] == "hold").any())
    yield labelled(
        "conflicts",
        f"{pluralize(len(refreshed.conflicts), 'cell')} changed on both sides: {described}",
        "error" if held else "label",
    )
    names = dict(refreshed.changes.items.select("key", "name").iter_rows())
    some = refreshed.conflicts.head(limit)
    values, heads = _values(refreshed.changes, some, {"original": "was", "ours": "now", "shop": "now"})
    rows = [
        [Cell(format_key(key)), Cell(printable(names.get(key))), Cell(field), *cells]
        for key, field, cells in zip(some["key"], some["field"], values, strict=True)
    ]
    yield from table([*ITEM_HEADS, *heads], rows, width)
    yield from more_view(len(refreshed.conflicts) - limit, "conflict", "--conflicts FILE saves them all, to be decided")


def verify_view(
    arrived: VerifyResult, names: dict[str, str | None], width: int, limit: int = SOME_ITEMS
) -> Iterator[Text]:
    """What has landed and what has not, with what the shop made of it."""
    changes = arrived.changes
    yield labelled(
        "applied",
        f"{count(arrived.count(APPLIED))} of {pluralize(len(changes), 'change')}",
        "good" if arrived.done else "label",
    )
    for state, style in STATES.items():
        in_state = changes.filter(state=state)
        if in_state.is_empty():
            continue
        yield Text()
        yield labelled(LABELS.get(state, state), pluralize(len(in_state), "change"), style)
        some = in_state.head(limit)
        values, heads = _values(arrived.remaining, some, {"original": "was", "ours": "now", "shop": "plain"})
        rows = [
            [Cell(format_key(key)), Cell(printable(names.get(key))), Cell(field or ""), *cells, Cell(how or "", "note")]
            for key, field, how, cells in zip(some["key"], some["field"], some["how"], values, strict=True)
        ]
        how = [Column("how")] if in_state["how"].count() else []
        yield from table([*ITEM_HEADS, *heads, *how], rows if how else [row[:-1] for row in rows], width)
        yield from more_view(len(in_state) - limit, "change", "--limit N shows so many")
    if arrived.done:
        yield Text("  All changes are live in the shop.", STYLES["good"])


def _values(
    changes: ChangeSet, cells: pl.DataFrame, styles: dict[str, str]
) -> tuple[list[tuple[Cell, ...]], list[Column]]:
    """Some columns of values (by name, with the style of each) as cells row by row, and their heads."""
    kinds = {name: note.type for name, note in changes.head.fields.items()}
    numeric = [field in kinds and type_named(kinds[field]).numeric for field in cells["field"]]
    columns = [aligned([printable(value) for value in cells[name]], numeric, style) for name, style in styles.items()]
    heads = [Column(name, right=any(numeric), least=8) for name in styles]
    return list(zip(*columns, strict=True)), heads

"""The terminal preview of a kept change set: totals, groups, items, and the views of money and stock."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import polars as pl
from rich.text import Text

from neat_delta.analysis.stock import by_room
from neat_delta.changeset.changeset import EXCLUDED, LEFT_OUT_ROW, STATES
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.tables.line_names import line_name
from neat_delta.views.changed_text import changed_text
from neat_delta.views.changes import (
    SOME_ITEMS,
    DisplayOptions,
    codes_view,
    fields_view,
    findings_view,
    folded_text,
    items_view,
)
from neat_delta.views.formatting import (
    DOWN,
    NOTHING,
    STYLES,
    UP,
    amount,
    count,
    format_key,
    local_time,
    per_cent,
    pluralize,
    printable,
)
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.table import INDENT, Cell, Column, table

if TYPE_CHECKING:
    from collections.abc import Iterator
    from decimal import Decimal

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table

WIDE = 120


def head_view(changes: ChangeSet, name: str, width: int) -> Iterator[Text]:
    """Which change set this is, what it was made from, and how its rows count."""
    head = changes.head
    maker = f" by {printable(head.makers)}" if head.made_by else ""
    yield labelled("changes", f"{name}   made {local_time(head.made)}{maker}")
    yield labelled("made from", f"{head.live.name}, {count(head.live.rows)} items · {head.edited.name}")
    counted = [(state, changes.counts[state]) for state in (*STATES, EXCLUDED, LEFT_OUT_ROW) if state in changes.counts]
    message = " · ".join(f"{state.replace('_', ' ')} {count(number)}" for state, number in counted)
    yield from sentence("rows", f"{message} = {pluralize(head.edited.rows, 'row')} read", width)
    action = {ADD: "to add", REMOVE: "to delete", RECODE: "with a new SKU"}
    items = [f"{pluralize(len(changes.keys_with_action(CHANGE)), 'item')}"]
    items += [
        f"{count(len(changes.keys_with_action(do)))} {what}"
        for do, what in action.items()
        if len(changes.keys_with_action(do))
    ]
    cells = pluralize(len(changes.cells_with_action(CHANGE, RECODE)), "cell")
    yield from sentence("to send", f"{cells} of {', '.join(items)}", width)


def changes_view(changes: ChangeSet, shown: DisplayOptions, limit: int = SOME_ITEMS) -> Iterator[Text]:
    """By field, then code changes, new and gone items, then item by item, the largest moves first."""
    if len(changes.cells_with_action(CHANGE, RECODE)):
        yield Text()
        yield from fields_view(changes, shown.width)
    yield from codes_view(changes, shown)
    for do, title in ((ADD, "to add"), (REMOVE, "to remove")):
        yield from _whole_items(changes, do, title, shown, limit)
    if len(changes.cells_with_action(CHANGE, RECODE)):
        yield Text()
        yield from items_view(changes, shown, limit)


def findings_of(changes: ChangeSet, shown: DisplayOptions) -> Iterator[Text]:
    """What is held back and what wants a look, and how many notes there are."""
    yield from findings_view(changes, shown)
    notes = int((changes.findings["level"] == "note").sum())
    if notes:
        yield labelled("also", f"{pluralize(notes, 'note')}, in the change set")


def _whole_items(changes: ChangeSet, do: str, title: str, shown: DisplayOptions, limit: int) -> Iterator[Text]:
    items = changes.items.filter(action=do)
    if items.is_empty():
        return
    yield Text()
    yield labelled(title, pluralize(len(items), "item"), "strong")
    some = items if shown.everything else items.head(limit)
    cells = changes.cells.join(some.select("key"), on="key", how="semi")
    counts = dict(cells.group_by("key").agg(pl.len()).iter_rows())
    rows = [
        [
            Cell("   "),
            Cell(format_key(key)),
            Cell(printable(name)),
            Cell(pluralize(counts.get(key, 0), "filled field"), "note"),
        ]
        for key, name in some.select("key", "name").iter_rows()
    ]
    yield from table([Column(), Column(least=8), Column(least=8), Column()], rows, shown.width)
    yield from more_view(len(items) - len(some), "item")


def more_view(hidden: int, what: str, how: str = "--all shows every one, --limit N so many") -> Iterator[Text]:
    """How many more there are, and how to see them."""
    if hidden > 0:
        message = f"{INDENT}… and {pluralize(hidden, 'more ' + what)}: {how}"
        yield Text(message, STYLES["note"])


def groups_view(groups: pl.DataFrame, by: str, shown: DisplayOptions, limit: int = SOME_ITEMS) -> Iterator[Text]:
    """How much changes by category, maker or any field; the sums are those of the whole."""
    yield Text()
    some = groups if shown.everything else groups.head(limit)
    numbers = ["items", "cells", "up", "down", "new", "gone"]
    rows = [_group_cells(row) for row in some.select("group", *numbers).iter_rows()]
    rows.append(_group_cells(("all", *groups.select(pl.col(numbers).sum()).row(0))))
    yield from table([Column(by, least=12), *_right(*numbers[:-1], "deleted")], rows, shown.width)
    yield from more_view(len(groups) - len(some), "row")


def _group_cells(row: tuple[Any, ...]) -> list[Cell]:
    group, items, cells, up, down, new, gone = row
    plain = [Cell(count(number) if number else NOTHING, right=True) for number in (cells, new, gone)]
    moved = [_moved(UP, up and count(up)), _moved(DOWN, down and count(down))]
    return [Cell(printable(group)), Cell(count(items), "now", right=True), plain[0], *moved, *plain[1:]]


def _right(*heads: str) -> list[Column]:
    """Columns of numbers."""
    return [Column(head, right=True) for head in heads]


def _moved(strategy: str, said: str | int | Decimal | None) -> Cell:
    """By how much something went up or down; nothing where it did not."""
    if not said:
        return Cell(NOTHING, "note", right=True)
    return Cell(f"{strategy} {said}", "up" if strategy == UP else "down", right=True)


def money_view(
    moves: pl.DataFrame, names: dict[str, str | None], mark: str, shown: DisplayOptions, limit: int = SOME_ITEMS
) -> Iterator[Text]:
    """Prices, costs and margins before and after, the largest moves first, and the prices that would keep a margin."""
    yield Text()
    if moves.is_empty():
        yield labelled("money", "no price and no cost changes")
        return
    rises, falls = moves["share"] > moves["share_was"], moves["share"] < moves["share_was"]
    risen, fallen = int(rises.sum()), int(falls.sum())
    below = int((moves["margin"] < 0).sum())
    message = f"{pluralize(len(moves), 'item')}: margin % rises on {count(risen)} and falls on {count(fallen)}"
    yield from sentence("money", message + (f"; {count(below)} will sell below cost" if below else ""), shown.width)
    wide = shown.width >= WIDE
    some = moves if shown.everything else moves.head(limit)
    rows = []
    for move in some.iter_rows(named=True):
        row = [Cell(format_key(move["key"])), Cell(printable(names.get(move["key"])))]
        row += _pair(move["price_was"], move["price"], mark)
        row += [_share_of_move(move["move"], mark)] if wide else []
        row += _pair(move["cost_was"], move["cost"], mark)
        row += _pair(move["margin_was"], move["margin"], mark) if wide else []
        row += _shares(move["share_was"], move["share"], mark)
        row += [Cell(amount(move["keep_amount"], mark), "note", right=True)] if wide else []
        row += [Cell(amount(move["keep_share"], mark), "note", right=True)]
        rows.append(row)
    heads = ["price was", "now", *(["move"] if wide else []), "cost was", "now"]
    heads += [*(["margin was", "now"] if wide else []), "% was", "now", *(["keeps amount"] if wide else []), "keeps %"]
    yield from table(
        [Column("item", least=8), Column("name", least=8), *_right(*heads)],
        rows,
        shown.width,
    )
    yield from more_view(len(moves) - len(some), "item")
    legend = "%: margin in % of net price; keeps %: price needed to keep it with the new cost"
    legend += "; keeps amount: price needed to keep the amount" if wide else ""
    yield from sentence("", legend, shown.width)


def _pair(was: Decimal | None, now: Decimal | None, mark: str) -> list[Cell]:
    if was == now:
        return [Cell(NOTHING, "note", right=True), Cell(amount(now, mark), right=True)]
    return [Cell(amount(was, mark), "was", right=True), Cell(amount(now, mark), "now", right=True)]


def _shares(was: Decimal | None, now: Decimal | None, mark: str) -> list[Cell]:
    style = "down" if was is not None and now is not None and now < was else "now"
    return [Cell(per_cent(was, mark), "was", right=True), Cell(per_cent(now, mark), style, right=True)]


def _share_of_move(move: Decimal | None, mark: str) -> Cell:
    return _moved(UP if (move or 0) > 0 else DOWN, move and f"{per_cent(abs(move), mark)} %")


def stock_view(
    moves: pl.DataFrame,
    names: dict[str, str | None],
    worth: str | None,
    mark: str,
    shown: DisplayOptions,
    limit: int = SOME_ITEMS,
) -> Iterator[Text]:
    """Units and value up and down by stock room, then the items whose stock moves most."""
    yield Text()
    if moves.is_empty():
        yield labelled("stock", "no stock changes")
        return
    valued = f"valued at {worth}" if worth else "no cost or price to value them"
    yield from sentence("stock", f"{pluralize(len(moves), 'stock')} changed; {valued}", shown.width)
    rows = [
        [
            Cell(room),
            Cell(count(items), "now", right=True),
            _moved(UP, up and count(up)),
            _moved(DOWN, down and count(down)),
            _moved(UP, value_up and amount(value_up, mark)),
            _moved(DOWN, value_down and amount(value_down, mark)),
        ]
        for room, items, up, down, value_up, value_down in by_room(moves).iter_rows()
    ]
    heads = _right("items", "units up", "down", "value up", "down")
    yield from table([Column("location", least=8), *heads], rows, shown.width)
    yield Text()
    some = moves if shown.everything else moves.head(limit)
    lines = [
        [
            Cell(format_key(move["key"])),
            Cell(printable(names.get(move["key"]))),
            Cell(move["room"]),
            Cell(count(move["was"]), "was", right=True),
            Cell(count(move["now"]), "now", right=True),
            _moved(UP if move["units"] > 0 else DOWN, count(abs(move["units"]))),
            Cell(amount(move["value"] and abs(move["value"]), mark), right=True),
        ]
        for move in some.iter_rows(named=True)
    ]
    columns = [Column("item", least=8), Column("name", least=8), Column("location", least=6)]
    yield from table([*columns, *_right("was", "now", "units", "value")], lines, shown.width)
    yield from more_view(len(moves) - len(some), "stock")


def records_view(
    records: pl.DataFrame,
    names: dict[str, str | None],
    source: Table,
    mark: str,
    shown: DisplayOptions,
    limit: int = SOME_ITEMS,
) -> Iterator[Text]:
    """Quotes and agreed prices whose cost changes, those that lose most first."""
    yield Text()
    total = (
        f"{pluralize(len(records), 'quote')} of {count(len(source))} in {source.source.name} affected by cost changes"
    )
    lost = records.select(pl.col("lost").sum()).item() if len(records) else None
    ends = f"; margin {'lost' if lost >= 0 else 'gained'} in all: {amount(abs(lost), mark)}" if lost is not None else ""
    yield from sentence("quotes", total + ends, shown.width)
    some = records if shown.everything else records.head(limit)
    rows = [
        [
            Cell(line_name(source.parts, record["line"]), "note"),
            Cell(format_key(record["key"])),
            Cell(printable(names.get(record["key"]))),
            Cell(count(int(record["quantity"])), right=True),
            Cell(amount(record["price"], mark), right=True),
            *_pair(record["cost_was"], record["cost"], mark),
            *_shares(record["share_was"], record["share"], mark),
            Cell(amount(record["keep_share"], mark), "note", right=True),
            Cell(amount(record["lost"], mark), "now", right=True),
        ]
        for record in some.iter_rows(named=True)
    ]
    columns = [Column(), Column("item", least=8), Column("name", least=6)]
    heads = _right("qty", "price", "cost was", "now", "% was", "now", "keeps %", "lost")
    if rows:
        yield from table([*columns, *heads], rows, shown.width)
    yield from more_view(len(records) - len(some), "quote")


def item_view(changes: ChangeSet, live: Table, key: str, values: dict[str, str], width: int) -> Iterator[Text]:
    """One item in full, was and now, for the spot check; ``values`` are its live cells, none of a new one."""
    item = changes.items.filter(key=key).row(0, named=True)
    cells = {cell["field"]: cell for cell in changes.cells.filter(key=key).iter_rows(named=True)}
    what = {CHANGE: "changes", ADD: "new", REMOVE: "to delete", RECODE: "new SKU"}
    yield Text()
    yield labelled(
        "item", f"{format_key(key)}   {printable(item['name'])}   {what.get(item['action'], 'does not change')}"
    )
    if item["new_key"]:
        yield labelled("", f"new SKU: {format_key(item['new_key'])}")
    widest = max(map(len, live.names))
    for name in live.names:
        label = f"{INDENT}{name.ljust(widest)}  "
        cell = cells.get(name)
        if cell is None:
            text = Text(printable(values.get(name)), STYLES["note"])
        else:
            note = changes.head.fields[name]
            text = changed_text(cell["was"], cell["now"], note.type, note.separator)
        first, *others = folded_text(text, len(label), width) or [Text()]
        yield Text.assemble((label, STYLES["label"]), first[len(label) :])
        yield from others
    for finding in changes.findings.filter(key=key).iter_rows(named=True):
        about = f"{finding['field']}: " if finding["field"] else ""
        yield from sentence(finding["level"], f"{about}{finding['message']}", width, finding["level"])

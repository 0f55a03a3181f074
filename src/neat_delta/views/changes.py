"""The terminal view of a change set: by field, item by item, and what was found wrong."""

from __future__ import annotations

import textwrap
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import polars as pl
from rich.cells import cell_len
from rich.text import Text

from neat_delta.analysis.metrics import sort_by_impact, totals_by_field
from neat_delta.changeset.findings import computed_from, data_of, is_about_columns
from neat_delta.changeset.problems import CLASH
from neat_delta.changeset.schemas import CHANGE, RECODE
from neat_delta.changeset.subset import dependent_cells
from neat_delta.tables.field_types import type_named
from neat_delta.tables.line_names import line_name
from neat_delta.views.changed_text import changed_text
from neat_delta.views.formatting import (
    DOWN,
    NOTHING,
    STYLES,
    UP,
    count,
    difference,
    flush,
    format_key,
    pluralize,
    printable,
)
from neat_delta.views.lines import labelled, sentence, under_label
from neat_delta.views.overrides import override_hint
from neat_delta.views.table import GAP, INDENT, Cell, Column, aligned, fitted, table, table_blocks

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import FilePart

# A conflict's values: the head of the column, the member of the finding's data, how it looks.
SIDES = (("original", "original", "was"), ("ours", "ours", "now"), ("shop", "shop", "plain"))
SOME_ITEMS = 20
SOME_FINDINGS = 3
# A text that takes more than this part of the screen is under its row.
ROOMS, LEAST_ROOM = 6, 16


@dataclass(frozen=True)
class DisplayOptions:
    """How much to show: the width of the screen, everything or the first of each, rows of which states.

    Findings of the checks ``besides`` are shown in another place.
    """

    width: int
    everything: bool = False
    states: Sequence[str] = ()
    besides: Sequence[str] = ()


def codes_view(changes: ChangeSet, shown: DisplayOptions) -> Iterator[Text]:
    """The items that get other codes: the first few, or all."""
    recoded = changes.items.filter(action=RECODE)
    if recoded.is_empty():
        return
    yield Text()
    linking = dependent_cells(changes).join(changes.keys_with_action(CHANGE), on="key", how="semi")
    follow = linking["key"].n_unique()
    also = f", and {pluralize(follow, 'item that links', 'items that link')} to them" if follow else ""
    yield from sentence("SKUs", f"{pluralize(len(recoded), 'item')} with a new SKU{also}", shown.width)
    some = recoded if shown.everything else recoded.head(SOME_ITEMS)
    rows = [
        [under_label(), Cell(format_key(key), "was"), Cell(format_key(to), "now"), Cell(printable(name))]
        for key, name, to in some.select("key", "name", "new_key").iter_rows()
    ]
    yield from table(
        [Column(), Column("was", least=8), Column("now", least=8), Column("name", least=8)], rows, shown.width
    )
    if len(recoded) > len(some):
        yield _more(len(recoded) - len(some), "code")


def fields_view(changes: ChangeSet, width: int) -> list[Text]:
    """How many items change in each field, and which way numbers move."""
    rows = []
    for field, items, up, down, filled, emptied in totals_by_field(changes).iter_rows():
        rows.append(
            [
                Cell(field),
                Cell(changes.head.fields[field].type, "note"),
                Cell(count(items), "now", right=True),
                Cell(f"{UP} {count(up)}" if up else NOTHING, "up" if up else "note", right=True),
                Cell(f"{DOWN} {count(down)}" if down else NOTHING, "down" if down else "note", right=True),
                Cell(count(filled) if filled else NOTHING, right=True),
                Cell(count(emptied) if emptied else NOTHING, right=True),
            ]
        )
    heads = [Column("field", least=8), Column("type")]
    heads += [Column(head, right=True) for head in ("items", "up", "down", "filled", "emptied")]
    return table(heads, rows, width)


def items_view(changes: ChangeSet, shown: DisplayOptions, limit: int = SOME_ITEMS) -> Iterator[Text]:
    """Item by item, the largest moves first: was, now, and by how much."""
    cells = sort_by_impact(changes)
    keys = cells["key"].unique(maintain_order=True)
    some = keys if shown.everything else keys.head(limit)
    listed = cells.filter(pl.col("key").is_in(some.implode()))
    names = _names(changes, some)
    yield from _items_table(changes, listed.rows(named=True), names, shown.width)
    more = len(keys) - len(some)
    if more:
        yield _more(more, "item")


def _items_table(
    changes: ChangeSet, cells: Sequence[dict[str, str | None]], names: dict[str, str | None], width: int
) -> list[Text]:
    moves = [difference(cell, changes.head.fields[str(cell["field"])].decimal_separator) for cell in cells]
    amounts = flush([amount for _, amount, _ in moves])
    was, now = (_side(cells, side) for side in ("was", "now"))
    rows = []
    last = None
    for cell, (way, _, share), amount, before, after in zip(cells, moves, amounts, was, now, strict=True):
        first = cell["key"] != last
        last = cell["key"]
        arrow = {"up": UP, "down": DOWN}.get(way, "")
        rows.append(
            [
                Cell(format_key(str(last)) if first else ""),
                Cell(printable(names.get(str(last))) if first and names.get(str(last)) else ""),
                Cell(str(cell["field"])),
                before,
                after,
                Cell(f"{arrow} {amount}" if way else "", way or "plain"),
                Cell(share, way or "plain", right=True),
            ]
        )
    key = " + ".join(changes.head.key)
    right = bool(rows) and all(row[3].right for row in rows)
    columns = [
        Column(key, least=8),
        Column("name", least=10),
        Column("field", least=5),
        Column("was", right=right, least=10),
        Column("now", right=right, least=10),
        Column("difference"),
        Column(),
    ]
    if not any(row[5].text for row in rows):
        columns, rows = columns[:5], [row[:5] for row in rows]
    elif not any(row[6].text for row in rows):
        columns, rows = columns[:6], [row[:6] for row in rows]
    room, under = max(LEAST_ROOM, width // ROOMS), {}
    for at, (row, cell) in enumerate(zip(rows, cells, strict=True)):
        note = changes.head.fields[str(cell["field"])]
        if row[3].right or max(cell_len(row[3].text), cell_len(row[4].text)) <= room:
            continue
        row[3:5] = [Cell(), Cell()]
        under[at] = changed_text(cell["was"], cell["now"], note.type, note.separator, around=room)
    widths = fitted(columns, rows, width)
    # Below the field, but half of the line is left for a text, however long keys and names are.
    start = min(sum(widths[:2]) + len(INDENT) + 2 * len(GAP), width // 2)
    lines, blocks = table_blocks(columns, rows, width)
    inputs = computed_from(changes.findings)
    for at, (block, cell) in enumerate(zip(blocks, cells, strict=True)):
        lines += block
        source = inputs.get((str(cell["key"]), str(cell["field"])), "")
        # That a price came from the price before it needs no line.
        if source and (", " in source or not source.startswith(f"live {cell['field']} ")):
            lines += folded_text(Text(f"from {printable(source)}", STYLES["note"]), start, width)
        # A longer text is on lines of its own, what changes in the midst of what stays.
        lines += folded_text(under[at], start, width) if at in under else []
    return lines


def folded_text(text: Text, start: int, width: int) -> list[Text]:
    """A text on as many lines as it takes, from this column on."""
    from rich.console import Console

    room = max(LEAST_ROOM * 2, width - start)
    return [Text(" " * start).append(line) for line in text.wrap(Console(width=room), room)]


def _side(cells: Sequence[dict[str, str | None]], side: str) -> list[Cell]:
    """One side of the changes."""
    numeric = [cell["before"] is not None or cell["after"] is not None for cell in cells]
    return aligned([printable(cell[side]) for cell in cells], numeric, side)


def findings_view(changes: ChangeSet, shown: DisplayOptions) -> Iterator[Text]:
    """What was kept out and why, then what goes through but wants a look; notes are only counted elsewhere."""
    for level, title, what in (("error", "errors", "not sent"), ("warning", "warnings", "please check")):
        # What is new about a list is said with its columns.
        findings = changes.findings.filter(
            pl.col("level") == level, ~is_about_columns(), ~pl.col("code").is_in(list(shown.besides))
        )
        if len(findings):
            yield Text()
            yield labelled(title, f"{count(len(findings))}, {what}", level)
            for check, of_check in findings.group_by("code", maintain_order=True):
                yield from _check_view(str(check[0]), of_check, changes, shown)


def _check_view(check: str, findings: pl.DataFrame, changes: ChangeSet, shown: DisplayOptions) -> Iterator[Text]:
    """What one check found: how much, each sentence once, under it the first places it is about."""
    some = findings if shown.everything else findings.head(SOME_FINDINGS)
    if check == CLASH and some["field"].count():
        yield from _conflicts_view(some.drop_nulls("field"), len(findings), changes, shown)
        some = some.filter(pl.col("field").is_null())
    columns = [Column(), Column(), Column(least=8), Column(least=8), Column(least=5), Column(least=10)]
    names = _names(changes, some["key"])
    head = f"{check}, {count(len(findings))}: " if len(findings) > 1 else f"{check}: "
    for message, places in some.group_by("message", maintain_order=True).agg(pl.struct(pl.all())).iter_rows():
        yield from _said(f"{head}{message}", shown.width)
        head = ""
        rows = [_finding_cells(place, names, changes.head.edited.parts) for place in places]
        yield from table(columns, [row for row in rows if any(cell.text.strip() for cell in row)], shown.width)
    hint = override_hint(
        check, findings["level"][0], findings["field"].drop_nulls().unique(maintain_order=True).to_list()
    )
    if hint is not None:
        yield from _said(hint, shown.width, first="     ")
    hidden = 0 if shown.everything else len(findings) - SOME_FINDINGS
    if hidden > 0:
        yield Text(
            f"       … and {pluralize(hidden, 'more problem')}: --all, or --problems FILE",
            STYLES["note"],
        )


def _conflicts_view(some: pl.DataFrame, number: int, changes: ChangeSet, shown: DisplayOptions) -> Iterator[Text]:
    """Cells that both sides have changed: what they were, what we want, what the shop has."""
    yield from _said(f"{CLASH}, {count(number)}: changed on both sides; not sent", shown.width)
    names = _names(changes, some["key"])
    sides = {head: some.select(data_of(side)).to_series() for head, side, _ in SIDES}
    kinds = {name: info.type for name, info in changes.head.fields.items()}
    numeric = [field in kinds and type_named(kinds[field]).numeric for field in some["field"]]
    columns = [aligned([printable(value) for value in sides[head]], numeric, style) for head, _, style in SIDES]
    rows = [
        [Cell("   "), Cell(format_key(key)), Cell(printable(names.get(key) or "")), Cell(field), *values]
        for key, field, *values in zip(some["key"], some["field"], *columns, strict=True)
    ]
    heads = [Column(), Column("SKU", least=8), Column("name", least=8), Column("field", least=5)]
    yield from table([*heads, *(Column(head, right=any(numeric), least=8) for head in sides)], rows, shown.width)


def _names(changes: ChangeSet, keys: pl.Series) -> dict[str, str | None]:
    """What people call these items."""
    return dict(changes.items.filter(pl.col("key").is_in(keys.implode())).select("key", "name").iter_rows())


def _finding_cells(place: dict[str, Any], names: dict[str, str | None], parts: Sequence[FilePart]) -> list[Cell]:
    key, name = place["key"], names.get(place["key"])
    return [
        Cell("   "),
        Cell(line_name(parts, place["line"]) if place["line"] is not None else "", "note"),
        Cell(format_key(key)),
        Cell(printable(name) if name else ""),
        Cell(place["field"] or ""),
        Cell(printable(place["value"]) if place["value"] else "", "now"),
    ]


def _more(hidden: int, what: str) -> Text:
    return Text(f"{INDENT}… and {pluralize(hidden, 'more ' + what)}: --all shows every one", STYLES["note"])


def _said(message: str, width: int, first: str = "   · ") -> Iterator[Text]:
    """A finding's sentence, folded under itself."""
    for at, line in enumerate(textwrap.wrap(message, max(30, width - 6), break_on_hyphens=False)):
        yield Text(("     " if at else first) + line)

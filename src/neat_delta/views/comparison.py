"""The terminal view of a comparison: totals that add up, then by field, then item by item."""

from __future__ import annotations

import textwrap
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl
from rich.cells import cell_len
from rich.text import Text

from neat_delta.analysis.metrics import sort_by_impact, totals_by_field
from neat_delta.changeset.changeset import ADD, CHANGE, EXCLUDED, LEFT_OUT_ROW, RECODE, REMOVE, STATES
from neat_delta.changeset.findings import computed_from, data_of, is_about_columns
from neat_delta.checks import checks_without_fields
from neat_delta.file_trouble import lock_file
from neat_delta.matching.value_mapping import suggest_mappings
from neat_delta.views.file_format import catalogue_view, no_data_view
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
from neat_delta.views.lines import LABEL, labelled, sentence
from neat_delta.views.overrides import override_hint
from neat_delta.views.table import GAP, INDENT, Cell, Column, aligned, fitted, table, table_blocks
from neat_delta.views.text_diff import changed_text

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.diff.compare import CompareResult
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

SOME_ITEMS = 20
SOME_FINDINGS = 3
SOME_ROWS = 5
FEW_GONE = 0.25
# With so many unknown codes for each known one, a file is likely the wrong one, or looked at the wrong way.
STRANGE = 20
# A text that takes more than this part of the screen is under its row.
ROOMS, LEAST_ROOM = 6, 16


@dataclass(frozen=True)
class DisplayOptions:
    """How much to show: the width of the screen, everything or the first of each, rows of which states.

    ``by_rules`` says that no sheet was read, but items were chosen for rules.
    """

    width: int
    everything: bool = False
    states: Sequence[str] = ()


def comparison_view(result: CompareResult, shown: DisplayOptions) -> Iterator[Text]:
    """What a comparison found, line by line; what its files are is given before."""
    yield Text()
    yield from rows_view(result, shown)
    yield from codes_view(result.changes, shown)
    if len(result.changes.cells_with_action(CHANGE, RECODE)):
        yield Text()
        yield from fields_view(result.changes, shown.width)
        yield Text()
        yield from items_view(result.changes, shown)
    yield from findings_view(result.changes, shown)
    left = list(left_alone_view(result, shown.width))
    if left:
        yield Text()
        yield from left


def files_view(result: CompareResult, width: int, *, columns: bool = True) -> Iterator[Text]:
    """Both files, how they are written, by what their rows were matched, and which ``columns`` are left out."""
    widest = max(len(result.live.source.name), len(result.edited.source.name))
    yield from catalogue_view("live", result.live, "item", width, widest)
    besides = 0 if result.original else result.excluded
    yield from catalogue_view("edited", result.original or result.edited, "row", width, widest, besides)
    yield labelled("matched", "by " + " + ".join(result.key.fields))
    if not columns:
        return
    if result.edited.unnamed_columns:
        message = f"{pluralize(result.edited.unnamed_columns, 'column')} of the edited file without a name"
        yield from sentence("not used", message, width)
    for names_left, where in (
        (result.columns.only_edited, "only in the edited file"),
        (result.columns.only_live, "not in the edited file"),
    ):
        if names_left:
            message = f"{pluralize(len(names_left), 'column')} {where}: {', '.join(names_left)}"
            yield from sentence("not used", message, width)


def unsaved_view(result: CompareResult, width: int) -> Iterator[Text]:
    """Signs that the edited file was not saved: a spreadsheet program has it open, or there is no difference at all."""
    path = (result.original or result.edited).source.path
    lock = lock_file(path) if isinstance(path, Path) else None
    if lock is not None:
        message = f"{path.name} is open in a spreadsheet program ({lock.name}): what is not saved there is not compared"
        yield from sentence("open", message, width, "warning")
    elif not result.from_formulas and _nothing_differs(result):
        message = "no difference at all. Did you save the edited file?"
        yield from sentence("unchanged", message, width, "warning")


def _nothing_differs(result: CompareResult) -> bool:
    changes = result.changes
    return changes.is_empty and changes.findings.is_empty() and not (result.reformatted or result.blanks_ignored)


def mappings_view(result: CompareResult, width: int) -> Iterator[Text]:
    """Columns that are not used and may be a field, by their values and headers, with the option to map them."""
    if not (result.columns.only_edited and result.columns.only_live):
        return
    edited = result.original or result.edited
    columns = [name for name in result.columns.only_edited if name in edited.names]
    for one in suggest_mappings(result.live, edited, columns, result.columns.only_live):
        values = f"{count(one.matching)} of {count(one.values)} values are in the shop"
        why = values if one.values else "by its header"
        sides = f"{', '.join(map(printable, one.examples))} | {', '.join(map(printable, one.ours))}"
        yield from sentence("may be", f"{one.column} = {one.field}, {why} ({sides})", width)
        yield from sentence("", f'to use it: --map "{one.column}={one.field}"', width)


def roles_view(live: Table, settings: Settings, width: int) -> Iterator[Text]:
    """Which columns are price, cost, stock …; and how many checks are off because none is."""
    fields = settings.roles.found(live)
    parts = []
    for role, names in fields.items():
        columns = ", ".join(live.field(name).column for name in names if name in live.names)
        title = role.replace("_", " ")
        parts += [title if columns.replace("_", " ") == title else f"{title} = {columns}"] if columns else []
    off = checks_without_fields(live, settings)
    count_off = sum(map(len, off.values()))
    if count_off:
        lacking = ", ".join(dict.fromkeys(role for roles in off for role in roles.split(" and ")))
        parts.append(f"{pluralize(count_off, 'check')} off: no {lacking} (set it in [roles] of catalogue.toml)")
    yield from sentence("roles", " · ".join(parts), width)


def rows_view(result: CompareResult, shown: DisplayOptions) -> Iterator[Text]:
    """The states of the rows, which add up to the rows read, and the live items that no row names."""
    counts = result.changes.counts
    label, line = "rows", Text()
    for state in (*STATES, EXCLUDED, LEFT_OUT_ROW):
        if state not in counts:
            continue
        worrying = state in ("duplicate", "unreadable", "rejected") and counts[state]
        style = "error" if worrying else "strong" if state == "changed" else "plain"
        part = Text(f"{state.replace('_', ' ')} {count(counts[state])}", STYLES[style])
        if len(INDENT) + LABEL + len(line) + len(" · ") + len(part) + len(" ·") > shown.width:
            yield labelled(label, line.append(" ·"))
            label, line = "", Text()
        line.append(" · " if line else "").append(part)
    rows = result.changes.head.edited.rows
    total = f"= {pluralize(rows, 'item')} chosen" if result.from_formulas else f"= {pluralize(rows, 'row')} read"
    if len(INDENT) + LABEL + len(line) + len(total) + 3 <= shown.width:
        yield labelled(label, line.append("   " + total))
    else:
        yield from (labelled(label, line), labelled("", total))
    added, removed = (len(result.changes.keys_with_action(action)) for action in (ADD, REMOVE))
    if counts["new"]:
        yield from _listed(result, "new", _what_of_new(counts["new"], added), shown)
    if counts.get(EXCLUDED):
        message = f"{pluralize(counts[EXCLUDED], 'row')} excluded by --where or --items"
        yield from sentence(EXCLUDED, message, shown.width)
    known = counts["changed"] + counts["unchanged"] + counts["rejected"]
    # Damaged codes are the right ones, and have a finding each that says what to do.
    damaged = result.changes.findings.filter(data_of("may_be").is_not_null())["line"].n_unique()
    if counts["new"] - damaged > max(SOME_ROWS, STRANGE * known):
        some = f"only {count(known)}" if known else "none"
        message = (
            f"{some} of these SKUs exist in the shop. Wrong file? "
            "Or match by another field (--match-on FIELD) or column "
            "(--map COLUMN=FIELD)"
        )
        yield from sentence("warning", message, shown.width, "warning")
    if counts["missing"]:
        status = f"{count(removed)} of them to be removed" if removed < counts["missing"] else "to delete"
        status = status if removed else "not changed"
        what = f"{pluralize(counts['missing'], 'shop item')} not in the edited file, {status}"
        if counts["missing"] > FEW_GONE * len(result.live) and "missing" not in shown.states:
            # Somebody's list is not meant to have every item.
            yield from sentence("missing", f"{what} (--status missing lists them)", shown.width)
        else:
            yield from _listed(result, "missing", what, shown)
    for state in shown.states:
        if state not in ("new", "missing"):
            yield from _listed(result, state, pluralize(counts[state], "row"), shown)


def _what_of_new(rows: int, added: int) -> str:
    left = f"{pluralize(rows - added, 'row')} with a SKU that is not in the shop, not sent (--add-new adds them)"
    if not added:
        return left
    return f"{pluralize(added, 'new item')} to add" + (f"; {left}" if rows > added else "")


def _listed(result: CompareResult, state: str, what: str, shown: DisplayOptions) -> Iterator[Text]:
    """A state's rows: the first few, or all of them where they were asked for."""
    rows = result.rows_in(state)
    some = rows if state in shown.states else rows.head(SOME_ROWS)
    more = len(rows) - len(some)
    yield from sentence(state, what + (f" ({count(more)} more: --status {state})" if more else ""), shown.width)
    likely = {key: (item, of_item) for key, item, of_item, _ in reversed(result.suggestions.rows())}
    cells = []
    for key, line, name in some.iter_rows():
        cells.append([_under(), Cell(format_key(key)), Cell(printable(name)), Cell(f"line {line}", "note")])
        if state == "new" and key in likely:
            item, of_item = likely[key]
            cells.append(
                [_under(), Cell(f"  may be {format_key(item)}", "note"), Cell(printable(of_item), "note"), Cell("")]
            )
    yield from table([Column(), Column(least=8), Column(least=8), Column()], cells, shown.width)
    if state == "new" and likely:
        message = "to match one: --map-code THEIRS=OURS; --save-profile saves it"
        yield from sentence("", message, shown.width)


def _under() -> Cell:
    """Room for a label that is further up."""
    return Cell(" " * (LABEL - len(INDENT)))


def codes_view(changes: ChangeSet, shown: DisplayOptions) -> Iterator[Text]:
    """The items that get other codes: the first few, or all."""
    recoded = changes.items.filter(action=RECODE)
    if recoded.is_empty():
        return
    yield Text()
    follow = len(changes.keys_with_action(CHANGE))
    also = f", and {pluralize(follow, 'item that links', 'items that link')} to them" if follow else ""
    yield from sentence("SKUs", f"{pluralize(len(recoded), 'item')} with a new SKU{also}", shown.width)
    some = recoded if shown.everything else recoded.head(SOME_ITEMS)
    rows = [
        [_under(), Cell(format_key(key), "was"), Cell(format_key(to), "now"), Cell(printable(name))]
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
    result = cells.filter(pl.col("key").is_in(some.implode()))
    names = _names(changes, some)
    yield from _items_table(changes, result.rows(named=True), names, shown.width)
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
    start = sum(widths[:2]) + len(INDENT) + 2 * len(GAP)
    result, blocks = table_blocks(columns, rows, width)
    inputs = computed_from(changes.findings)
    for at, (block, cell) in enumerate(zip(blocks, cells, strict=True)):
        result += block
        source = inputs.get((str(cell["key"]), str(cell["field"])))
        if source:
            result += folded_text(Text(f"from {printable(source)}", STYLES["note"]), start, width)
        # A longer text is on lines of its own, what changes in the midst of what stays.
        result += folded_text(under[at], start, width) if at in under else []
    return result


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
        found = changes.findings.filter(pl.col("level") == level, ~is_about_columns())
        if len(found):
            yield Text()
            yield labelled(title, f"{count(len(found))}, {what}", level)
            for check, of_check in found.group_by("code", maintain_order=True):
                yield from _check_view(str(check[0]), of_check, changes, shown)


def _check_view(check: str, found: pl.DataFrame, changes: ChangeSet, shown: DisplayOptions) -> Iterator[Text]:
    """What one check found: how much, each sentence once, under it the first places it is about."""
    some = found if shown.everything else found.head(SOME_FINDINGS)
    columns = [Column(), Column(), Column(least=8), Column(least=8), Column(least=5), Column(least=10)]
    names = _names(changes, some["key"])
    head = f"{check}, {count(len(found))}: " if len(found) > 1 else f"{check}: "
    for message, places in some.group_by("message", maintain_order=True).agg(pl.struct(pl.all())).iter_rows():
        yield from _said(f"{head}{message}", shown.width)
        head = ""
        rows = [_finding_cells(place, names) for place in places]
        yield from table(columns, [row for row in rows if any(cell.text.strip() for cell in row)], shown.width)
    hint = override_hint(check, found["level"][0], found["field"].drop_nulls().unique(maintain_order=True).to_list())
    if hint is not None:
        yield from _said(hint, shown.width, first="     ")
    if len(found) > len(some):
        yield Text(
            f"       … and {pluralize(len(found) - len(some), 'more problem')}: --all, or --problems FILE",
            STYLES["note"],
        )


def _names(changes: ChangeSet, keys: pl.Series) -> dict[str, str | None]:
    """What people call these items."""
    return dict(changes.items.filter(pl.col("key").is_in(keys.implode())).select("key", "name").iter_rows())


def _finding_cells(place: dict[str, Any], names: dict[str, str | None]) -> list[Cell]:
    key, name = place["key"], names.get(place["key"])
    return [
        Cell("   "),
        Cell(f"line {place['line']}" if place["line"] is not None else "", "note"),
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


def left_alone_view(result: CompareResult, width: int) -> Iterator[Text]:
    """What differs and was not taken, so that nobody has to wonder."""
    yield from no_data_view(result.live, width, f" of {result.live.source.name}")
    yield from no_data_view(result.edited, width)
    if result.reformatted:
        message = f"{pluralize(result.reformatted, 'cell')} differ only in format"
        if result.reformatted_example:
            message += f" ({printable(result.reformatted_example[0])} for {printable(result.reformatted_example[1])})"
        yield from sentence("ignored", message, width)
    if result.blanks_ignored:
        message = f"{pluralize(result.blanks_ignored, 'blank cell')}: the shop's values are kept"
        yield from sentence("" if result.reformatted else "ignored", message, width)
    label = "" if result.reformatted or result.blanks_ignored else "ignored"
    for message in _reformatted_by_program(result.changes):
        yield from sentence(label, message, width)
        label = ""


def _reformatted_by_program(changes: ChangeSet) -> Iterator[str]:
    """What a spreadsheet program did to texts without a loss, by effect and field, with one cell as an example."""
    notes = changes.findings.filter(code="repaired", level="note")
    if notes.is_empty():
        return
    cells = notes.select("field", cause=data_of("cause"), was=data_of("was"), now=data_of("now"))
    for (cause,), part in cells.group_by("cause", maintain_order=True):
        fields = ", ".join(part["field"].unique(maintain_order=True))
        example = f"{printable(part['now'][0])} for {printable(part['was'][0])}"
        yield f"{pluralize(len(part), 'cell')}: {cause} ({example}) in {fields}; --as-typed FIELD takes them as typed"

"""The terminal view of a comparison: totals that add up, then by field, then item by item."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from rich.text import Text

from neat_delta.changeset.changeset import EXCLUDED, LEFT_OUT_ROW, STATES
from neat_delta.changeset.findings import data_of
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.checks import checks_without_fields
from neat_delta.files.trouble import lock_file
from neat_delta.matching.matched_tables import describe_rows
from neat_delta.matching.value_mapping import suggest_mappings
from neat_delta.tables.line_names import line_name
from neat_delta.views.changes import DisplayOptions, codes_view, fields_view, findings_view, items_view
from neat_delta.views.file_format import catalogue_view, no_data_view
from neat_delta.views.formatting import (
    STYLES,
    count,
    cut,
    format_key,
    local_time,
    pluralize,
    printable,
)
from neat_delta.views.lines import LABEL, labelled, sentence, under_label
from neat_delta.views.table import INDENT, Cell, Column, table

if TYPE_CHECKING:
    from collections.abc import Iterator

    import polars as pl

    from neat_delta.diff.compare import CompareResult
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

SOME_ROWS = 5
EXAMPLE = 24  # so many characters of an example are shown
FEW_GONE = 0.25
# A file that is so much older than the live export was not made from it.
OLDER = timedelta(minutes=10)
# With so many unknown codes for each known one, a file is likely the wrong one, or looked at the wrong way.
STRANGE = 20


def comparison_view(compared: CompareResult, shown: DisplayOptions) -> Iterator[Text]:
    """What a comparison found, line by line; what its files are is given before."""
    yield Text()
    yield from rows_view(compared, shown)
    yield from codes_view(compared.changes, shown)
    if len(compared.changes.cells_with_action(CHANGE, RECODE)):
        yield Text()
        yield from fields_view(compared.changes, shown.width)
        yield Text()
        yield from items_view(compared.changes, shown)
    yield from findings_view(compared.changes, shown)
    left = list(left_alone_view(compared, shown))
    if left:
        yield Text()
        yield from left


def files_view(compared: CompareResult, width: int, *, columns: bool = True) -> Iterator[Text]:
    """Both files, how they are written, by what their rows were matched, and which ``columns`` are left out."""
    widest = max(len(compared.live.source.name), len(compared.edited.source.name))
    yield from catalogue_view("live", compared.live, "item", width, widest)
    besides = 0 if compared.original else compared.excluded
    edited = compared.original or compared.edited
    if compared.base:
        edited = replace(edited, format=compared.base.edited_format)
    yield from catalogue_view("edited", edited, "row", width, widest, besides)
    yield labelled("matched", "by " + " + ".join(compared.key.fields))
    if not columns:
        return
    if compared.edited.unnamed_columns:
        message = f"{pluralize(compared.edited.unnamed_columns, 'column')} of the edited file without a name"
        yield from sentence("not used", message, width)
    for names_left, where in (
        (compared.columns.only_edited, "only in the edited file"),
        (compared.columns.only_live, "not in the edited file"),
    ):
        if names_left:
            message = f"{pluralize(len(names_left), 'column')} {where}: {', '.join(names_left)}"
            yield from sentence("not used", message, width)


def base_view(compared: CompareResult, width: int) -> Iterator[Text]:
    """What the edited file was made from, if that is not the live export, and what the shop has changed since."""
    base = compared.base
    if base is None:
        yield from _older_view(compared, width)
        return
    made = f" of {local_time(base.time.isoformat())}" if base.time else ""
    live_made = compared.live.source.made
    if base.time and live_made and base.time > live_made:
        message = (
            f"{compared.live.source.name} is older than what {compared.edited.source.name} was made from; export again"
        )
        yield from sentence("older", message, width, "warning")
    yield from sentence("base", f"{base.name}{made}, {base.how}: only what was edited since is a change", width)
    kept = f"{pluralize(base.moved, 'cell')} that the shop has changed since: its values are kept"
    yield from sentence("", kept if base.moved else "the shop has changed nothing else since", width)
    if base.added_up:
        message = f"{pluralize(base.added_up, 'cell')} sent as a difference, added to the shop's value"
        yield from sentence("difference", message, width)
    yield from sentence("", "to undo the shop's changes instead: --base none", width)


def _older_view(compared: CompareResult, width: int) -> Iterator[Text]:
    """An edited file that is older than the live export, though nobody knows what it was made from."""
    edited, live = (table.source.made for table in (compared.original or compared.edited, compared.live))
    cells = len(compared.changes.cells_with_action(CHANGE, RECODE))
    if compared.from_formulas or edited is None or live is None or live - edited < OLDER or not cells:
        return
    message = (
        f"{compared.edited.source.name} is older than {compared.live.source.name}: its "
        f"{pluralize(cells, 'changed cell')} may undo newer changes of the shop. If it was made from an older export, "
        "give that with --base FILE"
    )
    yield from sentence("older", message, width, "warning")


def unsaved_view(compared: CompareResult, width: int) -> Iterator[Text]:
    """Signs that the edited file was not saved: a spreadsheet program has it open, or there is no difference at all."""
    path = (compared.original or compared.edited).source.path
    lock = lock_file(path) if isinstance(path, Path) else None
    if lock is not None:
        message = f"{path.name} is open in a spreadsheet program ({lock.name}): what is not saved there is not compared"
        yield from sentence("open", message, width, "warning")
    elif not (compared.from_formulas or compared.columns.only_edited) and _nothing_differs(compared):
        message = "no difference at all. Did you save the edited file?"
        yield from sentence("unchanged", message, width, "warning")


def _nothing_differs(compared: CompareResult) -> bool:
    changes = compared.changes
    alike = compared.reformatted or compared.blanks_ignored or len(compared.restored)
    return changes.is_empty and changes.findings.is_empty() and not alike


def mappings_view(compared: CompareResult, width: int) -> Iterator[Text]:
    """Columns that are not used and may be a field, by their values and headers, with the option to map them."""
    if not (compared.columns.only_edited and compared.columns.only_live):
        return
    edited = compared.original or compared.edited
    columns = [name for name in compared.columns.only_edited if name in edited.names]
    for one in suggest_mappings(compared.live, edited, columns, compared.columns.only_live):
        values = f"{count(one.matching)} of {count(one.values)} values are in the shop"
        moves = f"its numbers move with {one.field} (correlation {one.correlation})"
        why = values if one.values else moves if one.correlation else "by its header"
        sides = " | ".join(
            " · ".join(cut(printable(text), EXAMPLE) for text in side) for side in (one.examples, one.ours)
        )
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


def rows_view(compared: CompareResult, shown: DisplayOptions) -> Iterator[Text]:
    """The states of the rows, which add up to the rows read, and the live items that no row names."""
    counts = compared.changes.counts
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
    rows = compared.changes.head.edited.rows
    total = f"= {pluralize(rows, 'item')} chosen" if compared.from_formulas else f"= {pluralize(rows, 'row')} read"
    if len(INDENT) + LABEL + len(line) + len(total) + 3 <= shown.width:
        yield labelled(label, line.append("   " + total))
    else:
        yield from (labelled(label, line), labelled("", total))
    added, removed = (len(compared.changes.keys_with_action(action)) for action in (ADD, REMOVE))
    if counts["new"]:
        yield from _listed(compared, "new", _what_of_new(counts["new"], added), shown)
    if counts.get(EXCLUDED):
        message = f"{pluralize(counts[EXCLUDED], 'row')} excluded by --where or --items"
        yield from sentence(EXCLUDED, message, shown.width)
    matched = counts["changed"] + counts["unchanged"] + counts["rejected"]
    # Damaged codes are the right ones, and have a finding each that says what to do.
    damaged = compared.changes.findings.filter(data_of("may_be").is_not_null())["line"].n_unique()
    if counts["new"] - damaged > max(SOME_ROWS, STRANGE * matched):
        some = f"only {count(matched)}" if matched else "none"
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
        if counts["missing"] > FEW_GONE * len(compared.live) and "missing" not in shown.states:
            # Somebody's list is not meant to have every item.
            yield from sentence("missing", f"{what} (--status missing lists them)", shown.width)
        else:
            yield from _listed(compared, "missing", what, shown)
    for state in shown.states:
        if state not in ("new", "missing"):
            yield from _listed(compared, state, pluralize(counts[state], "row"), shown)


def _what_of_new(rows: int, added: int) -> str:
    left = f"{pluralize(rows - added, 'row')} with a SKU that is not in the shop, not sent (--add-new adds them)"
    if not added:
        return left
    return f"{pluralize(added, 'new item')} to add" + (f"; {left}" if rows > added else "")


def _listed(compared: CompareResult, state: str, what: str, shown: DisplayOptions) -> Iterator[Text]:
    """A state's rows: the first few, or all of them where they were asked for."""
    rows = compared.rows_in(state)
    some = rows if state in shown.states else rows.head(SOME_ROWS)
    parts = compared.live.parts if state == "missing" else compared.edited.parts
    more = len(rows) - len(some)
    yield from sentence(state, what + (f" ({count(more)} more: --status {state})" if more else ""), shown.width)
    likely = {key: (item, of_item) for key, item, of_item, _ in reversed(compared.suggestions.rows())}
    cells = []
    for key, line, name in some.iter_rows():
        cells.append(
            [under_label(), Cell(format_key(key)), Cell(printable(name)), Cell(line_name(parts, line), "note")]
        )
        if state == "new" and key in likely:
            item, of_item = likely[key]
            cells.append(
                [
                    under_label(),
                    Cell(f"  may be {format_key(item)}", "note"),
                    Cell(printable(of_item), "note"),
                    Cell(""),
                ]
            )
    yield from table([Column(), Column(least=8), Column(least=8), Column()], cells, shown.width)
    if state == "new" and likely:
        message = "to match one: --map-code THEIRS=OURS; --save-profile saves it"
        yield from sentence("", message, shown.width)


def left_alone_view(compared: CompareResult, shown: DisplayOptions) -> Iterator[Text]:
    """What differs and was not taken, so that nobody has to wonder."""
    width = shown.width
    yield from no_data_view(compared.live, width, f" of {compared.live.source.name}")
    yield from no_data_view(compared.edited, width)
    if compared.reformatted:
        message = f"{pluralize(compared.reformatted, 'cell differs', 'cells differ')} only in format"
        if compared.reformatted_example:
            message += _told_apart(*compared.reformatted_example)
        yield from sentence("ignored", message, width)
    if compared.blanks_ignored:
        message = f"{pluralize(compared.blanks_ignored, 'blank cell')}: the shop's values are kept"
        yield from sentence("" if compared.reformatted else "ignored", message, width)
    label = "" if compared.reformatted or compared.blanks_ignored else "ignored"
    for (cause,), cells in compared.restored.group_by("what", maintain_order=True):
        fields = ", ".join(cells["field"].unique(maintain_order=True))
        example = f"{printable(cells['now'][0])} for {printable(cells['was'][0])}"
        message = f"{pluralize(len(cells), 'cell')}: {cause} ({example}) in {fields}"
        yield from sentence(label, f"{message}; to accept them as typed: --as-typed FIELD", width)
        label = ""
        if shown.everything:
            yield from _restored_cells(compared, cells, width)


def _told_apart(now: str, was: str) -> str:
    """What differs in format between two cells with the same value, where it can be seen."""
    if now.replace("\r\n", "\n") == was.replace("\r\n", "\n"):
        return " (such as line ends)"
    one, other = (cut(printable(text), EXAMPLE) for text in (now, was))
    return f" ({one} for {other})" if one != other else ""


def _restored_cells(compared: CompareResult, cells: pl.DataFrame, width: int) -> list[Text]:
    """Every cell that a spreadsheet program changed and nobody typed, with what it was and what came back."""
    named = describe_rows(compared.edited, compared.key, cells["edited"])
    cells = cells.with_columns(named["key"], named["line"])
    rows = [
        [
            under_label(),
            Cell(line_name(compared.edited.parts, line), "note"),
            Cell(format_key(key)),
            Cell(field),
            Cell(printable(was)),
            Cell(printable(now)),
        ]
        for line, key, field, was, now in cells.select("line", "key", "field", "was", "now").iter_rows()
    ]
    heads = [
        Column(),
        Column(),
        Column("SKU", least=8),
        Column("field"),
        Column("was", least=8),
        Column("in the file", least=8),
    ]
    return table(heads, rows, width)

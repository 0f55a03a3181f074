"""Recode: a list of old and new codes makes a change set of code changes, with everything that points at them."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.apply_findings import apply_findings
from neat_delta.changeset.changeset import CHANGED, with_known_items, with_rows_of
from neat_delta.changeset.findings import BLOCK, NO_EFFECT, findings_frame
from neat_delta.changeset.problems import DUPLICATE_ROW
from neat_delta.changeset.schemas import CHANGE, RECODE
from neat_delta.diff.changeset_of import items_of_findings
from neat_delta.diff.compare import CompareOptions, CompareResult, compare
from neat_delta.diff.links import dependents
from neat_delta.diff.rekey_plan import apply_rekeys, validate
from neat_delta.diff.row_findings import no_data, unreadable_rows
from neat_delta.matching import Key
from neat_delta.matching.matched_tables import describe_rows
from neat_delta.reading import ReadOptions, read_table, require_every_row
from neat_delta.tables import field_name
from neat_delta.tables.roles import named_as
from neat_delta.tables.settings import FieldSettings
from neat_delta.tables.type_inference import resolve_type

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.locations import Location
    from neat_delta.matching.context import Context
    from neat_delta.tables import Table

OLD = ("old", "old_code", "old_sku", "from", "was", "code_old", "current", "current_code")
NEW = ("new", "new_code", "new_sku", "to", "now", "code_new")


def code_pairs(codes: Table, key: Key, old: str | None = None, new: str | None = None) -> pl.DataFrame:
    """The code changes that a file asks for (frame of old, new, line).

    Its columns are given, or known by their names (old and new code, the key's own name for the old one), or just two.
    A key of several fields is not changed by file.

    Raises:
        InvalidOption: the key has several fields, or there are no such columns.
    """
    if len(key.fields) != 1:
        raise InvalidOption(
            "a key of several columns cannot be changed", hint=f"The key is {' and '.join(key.fields)}."
        )
    for column in (old, new):
        if column is not None and field_name(column) not in codes.names:
            hint = "Columns: " + ", ".join(codes.names) + "."
            raise InvalidOption(f"there is no column {column!r}", file=codes.source.path, hint=hint)
    names = codes.names
    from_ = field_name(old) if old else next((name for name in (*OLD, key.fields[0]) if name in names), None)
    to = field_name(new) if new else next((name for name in NEW if name in names and name != from_), None)
    if len(names) == len(("old", "new")):
        # Of two columns, what is not the one is the other; among more, nobody should guess.
        from_ = from_ or next(name for name in names if name != to)
        to = to or next(name for name in names if name != from_)
    if from_ is None or to is None:
        raise InvalidOption(
            "cannot tell which columns hold the old and the new SKUs",
            file=codes.source.path,
            line=codes.format.header_line,
            hint="Give both; columns: " + ", ".join(names) + ".",
            code="unknown-code-columns",
            columns=", ".join(names),
        )
    cells = codes.cells([from_, to])
    return pl.DataFrame({"old": cells[from_].str.strip_chars(), "new": cells[to], "line": codes.rows.line})


def read_codes(path: Location, live: Table, options: ReadOptions, progress: ProgressReporter = NO_PROGRESS) -> Table:
    """A list of codes; where its first row names no columns but an item of the live export, it has no header.

    Raises:
        InvalidInput: it is no table.
    """
    codes = read_table(path, progress, options)
    if options.header_line is not None or not codes.fields:
        return codes
    naming = [
        name
        for name in live.names
        if named_as("key", [name]) or resolve_type(live.distinct_values(name), name, FieldSettings()).name == "code"
    ]
    first = {field.column.strip() for field in codes.fields}
    if any(live.cells([name])[name].is_in(list(first)).any() for name in naming):
        return read_table(path, progress, replace(options, header_line=0))
    return codes


def accepted_codes(path: Location, live: Table) -> pl.DataFrame:
    """The code changes of a file that a person accepts (frame of old, new).

    Raises:
        InvalidInput: a row of it cannot be read.
    """
    codes = read_codes(path, live, ReadOptions())
    require_every_row(codes)
    return code_pairs(codes, Key(("sku",), explicit=True)).select("old", "new")


def recode(
    codes: Table, context: Context, asked: pl.DataFrame, options: CompareOptions, *, images: bool = False
) -> CompareResult:
    """What it takes to give items other keys: the keys, and fields of other items that name them by their keys.

    Args:
        codes: the file of key changes.
        context: the live export, its settings and its key.
        asked: the key changes (old, new, line).
        options: how to compare.
        images: names of picture files that hold an item's old key get the new one.
    """
    plan = validate(asked, context)
    edited = replace(dependents(context, plan.to, images=images), source=codes.source)
    compared = compare(context.live, edited, replace(options, key=context.key.fields)).without_missing()
    line, changes = _lines_of(asked), compared.changes
    rows = describe_rows(context.live, context.key, _rows_of(context.live, context.key, plan.to))
    rows = rows.with_columns(line=line, row_state=pl.lit(CHANGED))
    changes = apply_rekeys(changes, context, rows, plan.to)
    again = asked.filter(~pl.struct("old", "new").is_first_distinct())
    # The compared file is one of ours; the rows that count are those of the file of key changes.
    changes = with_rows_of(
        changes,
        replace(changes.head.edited, rows=codes.rows_read),
        dict.fromkeys(changes.counts, 0)
        | {
            "rejected": plan.findings.filter(effect=BLOCK).height,
            "duplicate": len(again),
            "unreadable": len(codes.unreadable_rows),
            "unchanged": plan.findings.filter(effect=NO_EFFECT).height,
        },
        line=pl.when(pl.col("action") != CHANGE).then(line),
        row_state=pl.when(pl.col("action") == RECODE).then(pl.lit(CHANGED)),
    )
    findings = pl.concat([unreadable_rows(codes), no_data(codes), _repeated(again), plan.findings])
    keys = changes.items["key"]
    more = items_of_findings(findings, keys, compared.tables, compared.states.clear())
    return replace(compared, changes=apply_findings(with_known_items(changes, more), findings))


def _lines_of(asked: pl.DataFrame) -> pl.Expr:
    lines = dict(asked.select("old", "line").iter_rows())
    return pl.col("key").replace_strict(lines, default=None, return_dtype=pl.UInt32)


def _repeated(again: pl.DataFrame) -> pl.DataFrame:
    message = "duplicate row; used once"
    return findings_frame(DUPLICATE_ROW, line=again["line"], value=again["old"], message=message)


def _rows_of(live: Table, key: Key, to: Mapping[str, str]) -> pl.Series:
    return key.values(live).is_in(list(to)).arg_true().cast(pl.UInt32)

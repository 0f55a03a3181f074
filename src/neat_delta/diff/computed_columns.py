"""Computed values put into a sheet's columns, so that they are compared, checked and written like typed ones."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import findings_frame, no_findings
from neat_delta.diff.formulas import LIST, LIVE, RATES, compute, require_one_each, sides_of
from neat_delta.errors import InvalidOption
from neat_delta.matching.positions import positions_of
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.tables.field_types.number_parsing import NumberFormat
from neat_delta.tables.settings import NOT_CONFIGURED
from neat_delta.tables.type_inference import infer_column_format, resolve_type
from neat_delta.tables.typed_values import typed_column

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.diff.formulas import Formula
    from neat_delta.matching import Key
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

SHOWN = 200
# So many digits behind a mark may be decimals or thousands.
THOUSANDS = 3


def add_computed_columns(
    live: Table,
    sheet: Table,
    key: Key,
    rules: Sequence[Formula],
    settled: Settings,
    *,
    listed: bool = True,
    for_new: Sequence[Formula] | None = None,
) -> tuple[Table, pl.DataFrame]:
    """The sheet with the columns that rules compute, and what there is to say of each computed cell.

    ``listed`` says that rules may read the sheet's own columns, too. ``for_new`` are rules for rows that become new
    items, for which they go before the others; ``None`` if no row does.

    Numbers are rounded to the decimals of the live column, half away from zero, and written in its form. Where a rule
    gives nothing, for a value it reads is blank or it divides by zero, the cell is blank and a finding stops it. What
    a value was computed from is kept as a note.

    Raises:
        WrongChoice: a rule names a field or column that does not exist, or its types do not go together.
    """
    every = [*rules, *(for_new or ())]
    for rule in every:
        _insist_on_field(rule, live, key)
    rows = _rows_of(live, sheet, key)
    meant = {rule: sides_of(rule, live.names, sheet.names if listed else (), list(settled.rates)) for rule in every}
    read = [column for names in meant.values() for column in names.values()]
    values = _values(live, sheet, rows, read, settled)
    empty = {name for name in values.columns if values[name].null_count() == len(values)}
    known = rows.is_not_null()
    groups = [(known, require_one_each(rules), WHY_NOTHING)]
    if for_new is not None:
        new = ~known & ~key.values(sheet).is_in(key.values(live).implode())
        groups.append((new, require_one_each(rules) | require_one_each(for_new), WHY_NOTHING_NEW))
    columns, findings = {rule.field: _before(live, sheet, rule.field, rows) for rule in every}, [no_findings()]
    about = pl.DataFrame({"key": key.values(sheet), "line": sheet.rows.line})
    for mask, of_field, why in groups:
        at = mask.arg_true()
        part = values if len(at) == len(sheet) else values.select(pl.all().gather(at))
        for rule in of_field.values():
            names = meant[rule]
            if not rule.heeds_blanks and not empty.isdisjoint(names.values()):
                # A column without any value does not show what it holds, so its type goes together with nothing.
                found = pl.repeat(None, len(part), dtype=pl.String, eager=True)
            else:
                found = compute(rule, part.with_columns(pl.col(column).alias(name) for name, column in names.items()))
            text = _written(found, live, rule, settled, sheet.format.decimal_separator)
            stays = _live_cells(live, rule.field, rows.gather(at))
            # What comes out just as it is needs no word.
            moved = text.ne_missing(stays).arg_true()
            told = about.select(pl.all().gather(at.gather(moved))).with_columns(
                raw=_told(part.select(pl.all().gather(moved)), list(names.values())), now=text.gather(moved)
            )
            findings.append(_from(told.drop_nulls("now"), rule))
            if rule.empties:
                columns[rule.field] = columns[rule.field].scatter(at, "")
                continue
            # Where a rule gives nothing the live value stays, and is no blank cell of anybody's.
            findings.append(_nothing(told.filter(pl.col("now").is_null()), rule, why))
            columns[rule.field] = columns[rule.field].scatter(at, pl.select(pl.coalesce(text, stays)).to_series())
    own = sheet.cells([name for name in sheet.names if name not in columns])
    frame = own.with_columns(column.alias(name) for name, column in columns.items())
    fields = (*sheet.fields, *(live.field(name) for name in columns if name not in sheet.names))
    return replace(sheet, rows=FrameRows(sheet.rows.line, frame), fields=fields), pl.concat(findings)


def _insist_on_field(rule: Formula, live: Table, key: Key) -> None:
    if rule.field in key.fields:
        raise InvalidOption(
            f"the rule {rule.text!r}: {rule.field} names the items, and a rule cannot give them other names",
            remedy="Leave this rule out.",
        )
    if rule.field not in live.names:
        raise InvalidOption(
            f"the rule {rule.text!r}: there is no field {rule.field}",
            remedy="Fields: " + ", ".join(live.names) + ".",
        )


def _before(live: Table, sheet: Table, name: str, rows: pl.Series) -> pl.Series:
    """A field as the sheet has it before any rule: its own column, else the live cells."""
    return sheet.cells([name])[name] if name in sheet.names else _live_cells(live, name, rows)


def _live_cells(live: Table, name: str, rows: pl.Series) -> pl.Series:
    """A field's live cells in these rows, and nothing where there is no row."""
    return live.cells([name])[name].gather(rows).fill_null("")


def _rows_of(live: Table, sheet: Table, key: Key) -> pl.Series:
    """The live row of each row of the sheet, null where there is none or more than one."""
    return positions_of(key.values(live), key.values(sheet), ascends=key.is_sorted_by(live))


def _values(live: Table, sheet: Table, rows: pl.Series, names: Sequence[str], settled: Settings) -> pl.DataFrame:
    """The typed columns that rules read, row by row of the sheet, and the rows' numbers."""
    parts = [pl.int_range(len(sheet), eager=True).alias("")]
    for name in dict.fromkeys(names):
        if name.startswith(RATES):
            rate = settled.rates[name.removeprefix(RATES)]
            parts.append(pl.repeat(rate, len(sheet), dtype=pl.Decimal(38, _decimals(rate)), eager=True).alias(name))
            continue
        side, bare = (LIVE, name.removeprefix(LIVE)) if name.startswith(LIVE) else (LIST, name.removeprefix(LIST))
        catalogue = live if side == LIVE else sheet
        # A code stays a code, also if it is all digits; of somebody's list nothing is known but what it shows.
        told = settled.field(bare) if side == LIVE or bare in live.names else NOT_CONFIGURED
        of_rows = rows if side == LIVE else None
        parts.append(typed_column(catalogue, bare, told, catalogue.format.decimal_separator, of_rows).alias(name))
    return pl.DataFrame(parts)


def _decimals(number: Decimal) -> int:
    return max(0, -int(number.as_tuple().exponent))


def _written(found: pl.Series, live: Table, rule: Formula, settled: Settings, mark: str | None) -> pl.Series:
    """Computed values as text in the live column's form.

    Numbers of three decimals, which might be thousands, have the decimal mark of the sheet where it shows one.
    """
    told, filled = settled.field(rule.field), live.distinct_values(rule.field)
    kind = resolve_type(filled, rule.field, told)
    form = infer_column_format(live, rule.field, kind, told)
    if found.dtype == pl.Boolean:
        found = found.cast(pl.Int8)
    if not found.dtype.is_numeric():
        return found.cast(pl.String)
    decimals = getattr(form, "decimals", None)
    if kind.numeric and getattr(kind, "whole", False):
        decimals = 0
    if kind.numeric and decimals is None and isinstance(form, NumberFormat):
        # Values with several numbers of decimals: as many as one of them has, none if none has any.
        decimals = int(
            str(filled.str.extract(rf"[{form.decimal_separator or '.'}]([0-9]+)$").str.len_chars().max() or 0)
        )
        form = replace(form, unpadded_integers=True)
    if found.dtype.is_decimal() and kind.numeric and decimals is not None:
        found = found.round(decimals, mode="half_away_from_zero")
    if isinstance(form, NumberFormat):
        form = replace(
            form,
            decimal_separator=form.decimal_separator
            if decimals not in (None, THOUSANDS)
            else mark or form.decimal_separator,
            group=None,
        )
        if found.dtype.is_decimal() and decimals is not None and not form.unpadded_integers:
            exact = found.cast(pl.Decimal(38, decimals)).cast(pl.String)
            return (
                exact
                if form.decimal_separator in (None, ".")
                else exact.str.replace(".", form.decimal_separator, literal=True)
            )
    plain = found.cast(pl.String)
    short = (
        pl.when(plain.str.contains(".", literal=True))
        .then(plain.str.strip_chars_end("0").str.strip_suffix("."))
        .otherwise(plain)
    )
    text = pl.select(short).to_series()
    if isinstance(form, NumberFormat):
        readings = kind.normalize(text, NumberFormat(".", three_decimals=True))
        return kind.format(readings, text, form)
    return kind.format(text, text, form) if kind.name == "flag" else text


def _told(values: pl.DataFrame, names: Sequence[str]) -> pl.Series:
    """What a rule read on each row, for people: "net 7.50, live price 12.00"."""
    if not names:
        return pl.repeat("", len(values), dtype=pl.String, eager=True)
    shown = [
        pl.format("{} {}", pl.lit(name.removeprefix(LIST).replace(LIVE, "live ")), _plain(values[name]).fill_null("–"))
        for name in names
    ]
    return values.select(pl.concat_str(shown, separator=", ").str.slice(0, SHOWN)).to_series()


def _plain(column: pl.Series) -> pl.Series:
    text = column.cast(pl.String)
    if not column.dtype.is_decimal():
        return text
    return text.str.strip_chars_end("0").str.strip_suffix(".")


WHY_NOTHING = "a value it reads is blank, or it divides by zero"
WHY_NOTHING_NEW = f"{WHY_NOTHING}; a new item has no live values, give it a rule of its own with --set-new"


def _nothing(about: pl.DataFrame, rule: Formula, why: str) -> pl.DataFrame:
    return _finding(about, rule, "rule", "stop", f"the rule {rule.text} gives nothing here: {why}")


def _from(about: pl.DataFrame, rule: Formula) -> pl.DataFrame:
    return _finding(about, rule, "computed", "note", f"computed by {rule.text}")


def _finding(about: pl.DataFrame, rule: Formula, check: str, level: str, said: str) -> pl.DataFrame:
    """A finding on each computed cell (key, line, raw); the value is what it was computed from."""
    say = pl.repeat(said, len(about), dtype=pl.String, eager=True)
    return findings_frame(
        check, level, key=about["key"], field=rule.field, line=about["line"], value=about["raw"], say=say
    )


def findings_about_changes(findings: pl.DataFrame, changes: ChangeSet) -> pl.DataFrame:
    """The findings on computed cells that are worth keeping: of those that give nothing, and of those that change."""
    notes = findings.filter(level="note").join(changes.cells, on=["key", "field"], how="semi", maintain_order="left")
    return pl.concat([findings.filter(level="stop"), notes])


def chosen(live: Table, key: Key, rows: pl.Series) -> Table:
    """Some items of the live export as a sheet with nothing but the key, to be given computed columns."""
    grid = FrameRows(live.rows.line.gather(rows), live.cells(key.fields, rows))
    fields = tuple(live.field(name) for name in key.fields)
    return replace(
        live,
        rows=grid,
        fields=fields,
        unreadable_rows=live.unreadable_rows.clear(),
        non_data_rows=live.non_data_rows.clear(),
    )

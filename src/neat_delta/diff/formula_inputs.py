"""What formulas read, row by row of the edited file, and what they give there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.diff.computed_values import format_computed
from neat_delta.diff.formulas import LIST, LIVE, RATES, Formula, compute, sides_of
from neat_delta.expressions.expression import TOO_LARGE
from neat_delta.matching.positions import positions_of
from neat_delta.tables.settings import NOT_CONFIGURED
from neat_delta.tables.typed_values import typed_column

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.matching import Key
    from neat_delta.matching.context import Context
    from neat_delta.tables import Table

SHOWN = 200
IS_BLANK = " is blank"


@dataclass(frozen=True)
class ComputedCells:
    """Computed cells: ``kept`` is what the column holds then, ``moved`` are those that differ from the live ones.

    moved: key, line, raw (what it was computed from), now (null where the formula gives nothing), why (it does not).
    ``why`` is, for each cell, why a formula gives nothing, if it does.
    """

    kept: pl.Series
    moved: pl.DataFrame
    why: pl.Series


@dataclass(frozen=True)
class FormulaInputs:
    """What formulas read: the live row of each row of the edited file, and the typed columns.

    ``names`` are for each formula the columns that its names stand for; ``blank`` are columns without any value.
    ``lookups`` has for each other table its row for each row of the edited file, null where there is none.
    """

    context: Context
    edited: Table
    rows: pl.Series
    values: pl.DataFrame
    names: Mapping[Formula, Mapping[str, str]]
    blank: frozenset[str]
    lookups: Mapping[str, pl.Series]

    @classmethod
    def of(
        cls,
        context: Context,
        edited: Table,
        formulas: Sequence[Formula],
        file_names: Sequence[str],
        last_time: Sequence[str] = (),
    ) -> FormulaInputs:
        """The inputs of formulas, their columns typed; ``file_names`` are fields of the edited file they may read."""
        live, rates = context.live, list(context.settings.rates)
        asked = {name.partition(".")[0] for formula in formulas for name in formula.names if "." in name}
        tables = {name: context.lookup(name).table.names for name in asked & set(context.settings.tables)}
        names = {formula: sides_of(formula, live.names, file_names, rates, last_time, tables) for formula in formulas}
        read = [column for of_formula in names.values() for column in of_formula.values()]
        rows = _rows_of(live, edited, context.key)
        lookup_rows = {name: _lookup_rows(context, edited, rows, name) for name in tables}
        values = _values(context, edited, rows, lookup_rows, read)
        blank = frozenset(name for name in values.columns if values[name].null_count() == len(values))
        return cls(context, edited, rows, values, names, blank, lookup_rows)

    def before(self, name: str) -> pl.Series:
        """A field as the edited file has it before any formula: its own column, else the live cells."""
        return self.edited.cells([name])[name] if name in self.edited.names else self.live_cells(name, self.rows)

    def live_cells(self, name: str, rows: pl.Series) -> pl.Series:
        """A field's live cells in these rows, and nothing where there is no row."""
        return self.context.live.cells([name])[name].gather(rows).fill_null("")

    def computed(self, formula: Formula, at: pl.Series) -> ComputedCells:
        """What a formula gives at these positions of the edited file."""
        values = self.values if len(at) == len(self.edited) else self.values.select(pl.all().gather(at))
        names = self.names[formula]
        if not formula.heeds_blanks and not self.blank.isdisjoint(names.values()):
            # A column without any value does not show what it holds, so its type goes together with nothing.
            computed = pl.repeat(None, len(values), dtype=pl.String, eager=True)
            too_large = pl.repeat(False, len(values), eager=True)
        else:
            by_name = [pl.col(column).alias(name) for name, column in names.items()]
            computed, too_large = compute(formula, values.with_columns(by_name))
        text = format_computed(computed, formula.field, self.context, self.edited.format.decimal_separator)
        current = self.live_cells(formula.field, self.rows.gather(at))
        why = self._why_nothing(names, values, at, too_large)
        if computed.dtype == pl.String and not self.context.column(formula.field).type.numeric:
            # Of a blank text a blank one is made, and like a blank cell it leaves the field as it is.
            text = pl.select(
                pl.when(text.is_null() & why.str.ends_with(IS_BLANK)).then(current).otherwise(text)
            ).to_series()
        # What comes out just as it is needs no word.
        moved = text.ne_missing(current).arg_true()
        about = pl.DataFrame(
            {
                "key": self.context.key.values(self.edited, at.gather(moved).cast(pl.UInt32)),
                "line": self.edited.rows.line.gather(at.gather(moved)),
                "raw": _shown(values.select(pl.all().gather(moved)), list(names.values())),
                "now": text.gather(moved),
                "why": why.gather(moved),
            }
        )
        # Where a formula gives nothing the live value stays, and is no blank cell of anybody's.
        return ComputedCells(pl.select(pl.coalesce(text, current)).to_series(), about, why)

    def _why_nothing(
        self, names: Mapping[str, str], values: pl.DataFrame, at: pl.Series, too_large: pl.Series
    ) -> pl.Series:
        """Why a formula gives nothing at these positions, if it gives nothing: its first input without a value."""
        reasons = [pl.when(too_large).then(pl.lit(TOO_LARGE))]
        for name, column in names.items():
            lacking = values[column].is_null()
            if not lacking.any():
                continue
            if (table := column.partition(".")[0]) in self.lookups:
                none = self.lookups[table].gather(at).is_null()
                why = self.context.lookup(table).why_none(self._looked_up_by(table, at))
                reasons.append(pl.when(none).then(why))
            cells = self._cells(column, at)
            shown = pl.format("{} is {}", pl.lit(name), pl.lit("'") + cells + "'")
            blank = cells.str.strip_chars() == ""
            reasons.append(pl.when(lacking & blank).then(pl.lit(f"{name}{IS_BLANK}")))
            reasons.append(pl.when(lacking).then(shown))
        whole = values.select(pl.coalesce(*reasons, pl.lit("it divides by zero or gives NULL"))).to_series()
        return whole if len(whole) == len(at) else whole.new_from_index(0, len(at))

    def _cells(self, column: str, at: pl.Series) -> pl.Series:
        """The texts of a column that a formula reads, at these positions of the edited file."""
        table, _, bare = column.partition(".")
        if table in self.lookups:
            rows = self.lookups[table].gather(at)
            return self.context.lookup(table).table.cells([bare])[bare].gather(rows).fill_null("")
        if column.startswith(LIVE):
            return self.live_cells(column.removeprefix(LIVE), self.rows.gather(at))
        return self.edited.cells([column.removeprefix(LIST)], at.cast(pl.UInt32)).to_series()

    def _looked_up_by(self, table: str, at: pl.Series) -> pl.DataFrame:
        """By which values the rows of another table are looked for, at these positions of the edited file."""
        values = _looked_up_by(self.context, self.edited, self.rows, table)
        return values.select(pl.all().gather(at))


def _looked_up_by(context: Context, edited: Table, rows: pl.Series, table: str) -> pl.DataFrame:
    """The values by which the rows of another table are looked for: the edited file's key, or live cells."""
    fields = context.lookup(table).fields
    if set(fields) <= set(context.key.fields) and all(name in edited.names for name in fields):
        return edited.cells(fields)
    return pl.DataFrame([context.live.cells([name])[name].gather(rows).fill_null("") for name in fields])


def _lookup_rows(context: Context, edited: Table, rows: pl.Series, table: str) -> pl.Series:
    return context.lookup(table).rows_for(_looked_up_by(context, edited, rows, table))


def _rows_of(live: Table, edited: Table, key: Key) -> pl.Series:
    """The live row of each row of the edited file, null where there is none or more than one."""
    return positions_of(key.values(live), key.values(edited), ascends=key.is_sorted_by(live))


def _values(
    context: Context, edited: Table, rows: pl.Series, lookups: Mapping[str, pl.Series], names: Sequence[str]
) -> pl.DataFrame:
    """The typed columns that formulas read, row by row of the edited file, and the rows' numbers."""
    parts = [pl.int_range(len(edited), eager=True).alias("")]
    for name in dict.fromkeys(names):
        if name.startswith(RATES):
            rate = context.settings.rates[name.removeprefix(RATES)]
            number = pl.Decimal(38, max(0, -int(rate.as_tuple().exponent)))
            parts.append(pl.repeat(rate, len(edited), dtype=number, eager=True).alias(name))
            continue
        other, _, column_name = name.partition(".")
        if other in lookups:
            table = context.lookup(other).table
            mark = table.format.decimal_separator
            parts.append(typed_column(table, column_name, NOT_CONFIGURED, mark, lookups[other]).alias(name))
            continue
        from_live = name.startswith(LIVE)
        bare = name.removeprefix(LIVE if from_live else LIST)
        table = context.live if from_live else edited
        # A code stays a code, also if it is all digits; of a supplier's file nothing is known but what it shows.
        configured = context.configured(bare) if from_live or bare in context.live.names else NOT_CONFIGURED
        separator = table.format.decimal_separator
        column = typed_column(table, bare, configured, separator, rows if from_live else None)
        parts.append(column.alias(name))
    return pl.DataFrame(parts)


def _shown(values: pl.DataFrame, names: Sequence[str]) -> pl.Series:
    """What a formula read on each row, for people: "net 7.50, live price 12.00"."""
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

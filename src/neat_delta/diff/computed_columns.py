"""Computed columns: formulas over the live export and the edited file, row by row of the edited file."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import BLOCK, NO_EFFECT, findings_frame, no_findings
from neat_delta.diff.computed_values import format_computed
from neat_delta.diff.formulas import LIST, LIVE, RATES, Formula, compute, require_one_each, sides_of
from neat_delta.errors import InvalidOption
from neat_delta.matching.positions import positions_of
from neat_delta.nearest import nearest_hint
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.tables.settings import NOT_CONFIGURED
from neat_delta.tables.typed_values import typed_column

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.matching import Key
    from neat_delta.matching.context import Context
    from neat_delta.tables import Table

SHOWN = 200


def add_computed_columns(
    context: Context,
    edited: Table,
    formulas: Sequence[Formula],
    *,
    from_live_only: bool = False,
    for_new: Sequence[Formula] | None = None,
) -> tuple[Table, pl.DataFrame]:
    """The edited file with the columns that formulas compute, and a finding on each computed cell.

    Numbers are rounded to the decimals of the live column, half away from zero, and written in its format. Where a
    formula gives nothing, for a value it reads is blank or it divides by zero, the live value stays and a finding
    blocks the cell. What a value was computed from is kept as a note.

    Args:
        context: the live export, its settings and its key.
        edited: the edited file.
        formulas: what to compute for rows that are live items.
        from_live_only: formulas do not read the edited file's own columns.
        for_new: formulas for rows that become new items, for which they go before the others; ``None`` if no row does.

    Raises:
        InvalidOption: a formula names a field or column that does not exist, or its types do not go together.
    """
    every = [*formulas, *(for_new or ())]
    for formula in every:
        _require_field(formula, context)
    inputs = _Inputs.of(context, edited, every, from_live_only=from_live_only)
    columns = {formula.field: inputs.before(formula.field) for formula in every}
    findings = [no_findings()]
    for at, of_field, why in _groups(inputs, formulas, for_new):
        for formula in of_field.values():
            cells = inputs.computed(formula, at)
            findings.extend(_findings_on(cells, formula, why))
            columns[formula.field] = columns[formula.field].scatter(at, "" if formula.empties else cells.kept)
    own = edited.cells([name for name in edited.names if name not in columns])
    frame = own.with_columns(column.alias(name) for name, column in columns.items())
    fields = (*edited.fields, *(context.live.field(name) for name in columns if name not in edited.names))
    return replace(edited, rows=FrameRows(edited.rows.line, frame), fields=fields), pl.concat(findings)


def _groups(
    inputs: _Inputs, formulas: Sequence[Formula], for_new: Sequence[Formula] | None
) -> Iterator[tuple[pl.Series, Mapping[str, Formula], str]]:
    """The rows that are live items, and those that become new ones, each with its formulas by field."""
    known = inputs.rows.is_not_null()
    yield known.arg_true(), require_one_each(formulas), WHY_NOTHING
    if for_new is not None:
        key, live = inputs.context.key, inputs.context.live
        new = ~known & ~key.values(inputs.edited).is_in(key.values(live).implode())
        yield new.arg_true(), require_one_each(formulas) | require_one_each(for_new), WHY_NOTHING_NEW


@dataclass(frozen=True)
class _Computed:
    """Computed cells: ``kept`` is what the column holds then, ``moved`` are those that differ from the live ones.

    moved: key, line, raw (what it was computed from), now (null where the formula gives nothing).
    """

    kept: pl.Series
    moved: pl.DataFrame


@dataclass(frozen=True)
class _Inputs:
    """What formulas read: the live row of each row of the edited file, and the typed columns.

    ``names`` are for each formula the columns that its names stand for; ``blank`` are columns without any value.
    """

    context: Context
    edited: Table
    rows: pl.Series
    values: pl.DataFrame
    names: Mapping[Formula, Mapping[str, str]]
    blank: frozenset[str]

    @classmethod
    def of(cls, context: Context, edited: Table, formulas: Sequence[Formula], *, from_live_only: bool) -> _Inputs:
        """The inputs of formulas, their columns typed."""
        live, own, rates = context.live, () if from_live_only else edited.names, list(context.settings.rates)
        names = {formula: sides_of(formula, live.names, own, rates) for formula in formulas}
        read = [column for of_formula in names.values() for column in of_formula.values()]
        rows = _rows_of(live, edited, context.key)
        values = _values(context, edited, rows, read)
        blank = frozenset(name for name in values.columns if values[name].null_count() == len(values))
        return cls(context, edited, rows, values, names, blank)

    def before(self, name: str) -> pl.Series:
        """A field as the edited file has it before any formula: its own column, else the live cells."""
        return self.edited.cells([name])[name] if name in self.edited.names else self.live_cells(name, self.rows)

    def live_cells(self, name: str, rows: pl.Series) -> pl.Series:
        """A field's live cells in these rows, and nothing where there is no row."""
        return self.context.live.cells([name])[name].gather(rows).fill_null("")

    def computed(self, formula: Formula, at: pl.Series) -> _Computed:
        """What a formula gives at these positions of the edited file."""
        values = self.values if len(at) == len(self.edited) else self.values.select(pl.all().gather(at))
        names = self.names[formula]
        if not formula.heeds_blanks and not self.blank.isdisjoint(names.values()):
            # A column without any value does not show what it holds, so its type goes together with nothing.
            found = pl.repeat(None, len(values), dtype=pl.String, eager=True)
        else:
            found = compute(formula, values.with_columns(pl.col(column).alias(name) for name, column in names.items()))
        text = format_computed(found, formula.field, self.context, self.edited.format.decimal_separator)
        irreversible = self.live_cells(formula.field, self.rows.gather(at))
        # What comes out just as it is needs no word.
        moved = text.ne_missing(irreversible).arg_true()
        about = pl.DataFrame(
            {
                "key": self.context.key.values(self.edited, at.gather(moved).cast(pl.UInt32)),
                "line": self.edited.rows.line.gather(at.gather(moved)),
                "raw": _shown(values.select(pl.all().gather(moved)), list(names.values())),
                "now": text.gather(moved),
            }
        )
        # Where a formula gives nothing the live value stays, and is no blank cell of anybody's.
        return _Computed(pl.select(pl.coalesce(text, irreversible)).to_series(), about)


def _require_field(formula: Formula, context: Context) -> None:
    if formula.field in context.key.fields:
        raise InvalidOption(
            f"formula {formula.text!r}: {formula.field} is the key, and a formula cannot change the key",
            hint="Leave this formula out.",
        )
    if formula.field not in context.live.names:
        raise InvalidOption(
            f"formula {formula.text!r}: there is no field {formula.field}",
            hint=nearest_hint(formula.field, context.live.names),
        )


def _rows_of(live: Table, edited: Table, key: Key) -> pl.Series:
    """The live row of each row of the edited file, null where there is none or more than one."""
    return positions_of(key.values(live), key.values(edited), ascends=key.is_sorted_by(live))


def _values(context: Context, edited: Table, rows: pl.Series, names: Sequence[str]) -> pl.DataFrame:
    """The typed columns that formulas read, row by row of the edited file, and the rows' numbers."""
    parts = [pl.int_range(len(edited), eager=True).alias("")]
    for name in dict.fromkeys(names):
        if name.startswith(RATES):
            rate = context.settings.rates[name.removeprefix(RATES)]
            number = pl.Decimal(38, max(0, -int(rate.as_tuple().exponent)))
            parts.append(pl.repeat(rate, len(edited), dtype=number, eager=True).alias(name))
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


WHY_NOTHING = "an input is blank, or division by zero"
WHY_NOTHING_NEW = f"{WHY_NOTHING}; new items have no live values and need their own formula"


def _findings_on(cells: _Computed, formula: Formula, why: str) -> Iterator[pl.DataFrame]:
    yield _finding(cells.moved.drop_nulls("now"), formula, "computed", "note", f"calculated by {formula.text}")
    if not formula.empties:
        nothing = f"formula {formula.text} has no result here: {why}"
        yield _finding(cells.moved.filter(pl.col("now").is_null()), formula, "formula", "error", nothing)


def _finding(about: pl.DataFrame, formula: Formula, code: str, level: str, message: str) -> pl.DataFrame:
    """A finding on each computed cell (key, line, raw); the value is what it was computed from."""
    return findings_frame(
        code,
        level,
        key=about["key"],
        field=formula.field,
        line=about["line"],
        value=about["raw"],
        message=pl.repeat(message, len(about), dtype=pl.String, eager=True),
    )


def findings_about_changes(findings: pl.DataFrame, changes: ChangeSet) -> pl.DataFrame:
    """The findings on computed cells that are worth keeping: of those that give nothing, and of those that change."""
    notes = findings.filter(effect=NO_EFFECT)
    notes = notes.join(changes.cells, on=["key", "field"], how="semi", maintain_order="left")
    return pl.concat([findings.filter(effect=BLOCK), notes])


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

"""Computed columns: formulas over the live export and the edited file, row by row of the edited file."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption, shortened
from neat_delta.base.nearest import nearest_hint
from neat_delta.changeset.findings import BLOCK, NO_EFFECT, findings_frame, no_findings
from neat_delta.changeset.problems import COMPUTED, NO_RESULT, Problem
from neat_delta.diff.formula_inputs import ComputedCells, FormulaInputs
from neat_delta.diff.formulas import Formula, require_one_each
from neat_delta.reading.frame_rows import FrameRows

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.matching import Key
    from neat_delta.matching.context import Context
    from neat_delta.tables import Table


def add_computed_columns(
    context: Context,
    edited: Table,
    formulas: Sequence[Formula],
    *,
    from_live_only: bool = False,
    for_new: Sequence[Formula] | None = None,
    last_time: Sequence[str] = (),
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
        last_time: the fields of the edited file when it came last time, for the error about one that is gone.

    Raises:
        InvalidOption: a formula names a field or column that does not exist, or its types do not go together.
    """
    every = [*formulas, *(for_new or ())]
    for formula in every:
        _require_field(formula, context)
    readable = () if from_live_only else edited.names
    inputs = FormulaInputs.of(context, edited, every, readable, last_time)
    columns = {formula.field: inputs.before(formula.field) for formula in every}
    findings = [no_findings()]
    for at, of_field, also in _groups(inputs, formulas, for_new):
        for formula in of_field.values():
            cells = inputs.computed(formula, at)
            findings.extend(_findings_on(cells, formula, also))
            columns[formula.field] = columns[formula.field].scatter(at, "" if formula.empties else cells.kept)
    unchanged = edited.cells([name for name in edited.names if name not in columns])
    frame = unchanged.with_columns(column.alias(name) for name, column in columns.items())
    fields = (*edited.fields, *(context.live.field(name) for name in columns if name not in edited.names))
    return replace(edited, rows=FrameRows(edited.rows.line, frame), fields=fields), pl.concat(findings)


def _groups(
    inputs: FormulaInputs, formulas: Sequence[Formula], for_new: Sequence[Formula] | None
) -> Iterator[tuple[pl.Series, Mapping[str, Formula], str]]:
    """The rows that are live items, and those that become new ones; with their formulas by field, and what to know."""
    has_row = inputs.rows.is_not_null()
    yield has_row.arg_true(), require_one_each(formulas), ""
    if for_new is not None:
        key, live = inputs.context.key, inputs.context.live
        new = ~has_row & ~key.values(inputs.edited).is_in(key.values(live).implode())
        yield new.arg_true(), require_one_each(formulas) | require_one_each(for_new), NO_LIVE_VALUES


def _require_field(formula: Formula, context: Context) -> None:
    if formula.field in context.key.fields:
        raise InvalidOption(
            f"formula {shortened(formula.text)!r}: {formula.field} is the key, and a formula cannot change the key",
            hint="Leave this formula out.",
        )
    if formula.field not in context.live.names:
        raise InvalidOption(
            f"formula {shortened(formula.text)!r}: there is no field {formula.field}",
            hint=nearest_hint(formula.field, context.live.names),
        )


NO_LIVE_VALUES = "; new items have no live values and need their own formula"


def _findings_on(cells: ComputedCells, formula: Formula, also: str) -> Iterator[pl.DataFrame]:
    done = cells.moved.drop_nulls("now").with_columns(message=pl.lit(f"calculated by {formula.text}"))
    yield _finding(done, formula, COMPUTED)
    if not formula.empties:
        message = pl.format("{} has no result: {}{}", pl.lit(formula.text), "why", pl.lit(also))
        nothing = cells.moved.filter(pl.col("now").is_null()).with_columns(message=message)
        yield _finding(nothing, formula, NO_RESULT)


def _finding(about: pl.DataFrame, formula: Formula, problem: Problem) -> pl.DataFrame:
    """A finding on each computed cell (key, line, raw, message); the value is what it was computed from."""
    return findings_frame(
        problem,
        key=about["key"],
        field=formula.field,
        line=about["line"],
        value=about["raw"],
        message=about["message"],
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

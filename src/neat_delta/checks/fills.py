"""A fill handle dragged over rows: numbers or names that count on, or one value that overwrites others."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.checks.check import Check, Override, cells_of, concat_findings
from neat_delta.checks.sheet_order import numbers_in_sheet_order, texts_in_sheet_order
from neat_delta.matching import Key
from neat_delta.matching.similarity import find_name_field
from neat_delta.tables.field_types import type_named

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
RUN = 4
LONG_RUN, HALF = 6, 0.5
FILLED = 6
UNLIKE = 0.8
# Fields that may well hold a series.
NUMBERED = r"(^|_)(sort|position|order|rank|bin|shelf|place|row|number|no)(_|$)"
# A text that counts: what is before its last number, the number, what is behind it.
COUNTING = r"^(.*?)([0-9]{1,9})([^0-9]*)$"
SERIES = "numbers rise by 1 per row: fill handle? Copy the cell instead"
OVERWRITTEN = "different values overwritten by the row above: filled down by mistake?"


def fill_series(context: CheckContext) -> pl.DataFrame:
    """Numbers, or the numbers in texts, rise or fall by one from row to row: a fill handle was used."""
    findings = []
    for name, cells in context.typed.items():
        if pl.Series([name]).str.contains(NUMBERED).item():
            continue
        if type_named(context.type_of(name)).numeric:
            rows = _counting_numbers(numbers_in_sheet_order(context, name))
        elif len(cells) >= RUN - 1 and context.type_of(name) in ("text", "code", "barcode", "image"):
            rows = _counting_texts(texts_in_sheet_order(context, name))
        else:
            continue
        findings.append(context.findings_for(cells_of(cells, rows), "fill series", "error", SERIES))
    return concat_findings(findings)


def _counting_numbers(rows: pl.DataFrame) -> pl.DataFrame:
    """Those rows whose numbers go on by one; the first of them too, if it is new."""
    # A row between that had its number already is not among those that changed.
    gap = pl.when("next").then(1).when(pl.col("between") < RUN).then(pl.col("between"))
    differing = gap.cast(pl.Decimal(10, 0))
    return _runs(
        rows.with_columns(
            step=pl.when(NOW - NOW.shift() == differing).then(1).when(NOW.shift() - NOW == differing).then(-1),
            before=pl.when(WAS - WAS.shift() == differing).then(1).when(WAS.shift() - WAS == differing).then(-1),
        )
    )


def _counting_texts(rows: pl.DataFrame) -> pl.DataFrame:
    """Those rows whose texts differ from the one above by a number that is one more or less."""

    def step(side: str) -> pl.Expr:
        parts = pl.col(side).str.extract_groups(COUNTING)
        stem, number, rest = (parts.struct.field(at) for at in "123")
        same = (stem == stem.shift()) & (rest == rest.shift()) & pl.col("next")
        by = number.cast(pl.Int64) - number.cast(pl.Int64).shift()
        return pl.when(same & by.is_in([1, -1])).then(by)

    return _runs(rows.with_columns(step=step("now"), before=step("was")))


def _runs(rows: pl.DataFrame) -> pl.DataFrame:
    """Rows of runs with one step (columns step and before: of the new and the old values), long enough to be a drag."""
    rows = rows.with_columns(counts=pl.col("changed") & pl.col("step").is_not_null())
    breaks = ~pl.col("counts") | (pl.col("step") != pl.col("step").shift()).fill_null(value=True)
    # What was a series before is one of the shop's own; two numbers may be a step apart by chance.
    same_step = (pl.col("before") == pl.col("step")).fill_null(value=False)
    rows = rows.with_columns(run=breaks.cum_sum(), own=same_step)
    length, owned = pl.col("counts").sum().over("run"), (pl.col("own") & pl.col("counts")).sum().over("run")
    # So a short run counts only if none of it was one before.
    plain = (length >= RUN - 1) & (owned == 0)
    hit = pl.col("counts") & (plain | ((length >= LONG_RUN) & (owned < HALF * length)))
    rows = rows.with_columns(hit=hit.fill_null(value=False))
    # The row from which the handle was dragged, where what it holds is new.
    start = pl.col("hit").shift(-1, fill_value=False) & ~pl.col("hit") & pl.col("changed")
    return rows.filter(pl.col("hit") | (start & pl.col("next").shift(-1, fill_value=False)))


def filled_down(context: CheckContext) -> pl.DataFrame:
    """Different values of several rows became the value of the row above: filled down by mistake."""
    key = Key(context.changes.head.key, explicit=True)
    name_field = find_name_field(context.live, key)
    findings, rows = [], pl.DataFrame(schema={"key": pl.String, "top": pl.String})
    for name, cells in context.typed.items():
        kind = context.type_of(name)
        differs_anyway = name == name_field or kind in ("barcode", "image")
        if not differs_anyway and kind not in ("price", "text"):
            continue
        filled = _filled(texts_in_sheet_order(context, name))
        rows = pl.concat([rows, filled]) if differs_anyway else rows
        level = "error" if differs_anyway else "warning"
        findings.append(context.findings_for(cells_of(cells, filled), "filled down", level, OVERWRITTEN))
    return concat_findings([*findings, _filled_beside(context, rows, pl.concat(findings) if findings else None)])


def _filled(rows: pl.DataFrame) -> pl.DataFrame:
    """The rows of runs that became alike, and the first row of each run: frame of key, top."""
    same = pl.col("next") & pl.col("changed") & (NOW.shift() == NOW)
    rows = rows.with_columns(same=same.fill_null(value=False)).with_columns(run=(~pl.col("same")).cum_sum())
    rows = rows.with_columns(top=pl.col("key").first().over("run"))
    below = pl.col("same").sum().over("run")
    unlike = pl.when("same").then(WAS).n_unique().over("run") >= UNLIKE * below
    runs = rows.filter((below >= FILLED) & unlike & pl.col("changed"))
    return runs.select("key", "top")


def _filled_beside(context: CheckContext, rows: pl.DataFrame, findings: pl.DataFrame | None) -> pl.DataFrame:
    """Of rows that were filled down also their other cells that became what the first row has."""
    parts = []
    for name, cells in context.typed.items():
        if rows.is_empty() or findings is None:
            break
        top = context.beside(name).select(top="key", there="now")
        alike = cells.join(rows.unique(), on="key", how="inner").join(top, on="top", how="left")
        alike = alike.filter((pl.col("there") == NOW) | (NOW.is_null() & pl.col("there").is_null()))
        filled = findings.filter((pl.col("field") == name) & (pl.col("level") == "error")).select("key")
        alike = alike.join(filled, on="key", how="anti").unique("key", maintain_order=True)
        parts.append(context.findings_for(alike, "filled down", "error", OVERWRITTEN))
    return concat_findings(parts)


CHECKS = (
    Check("fill series", "error", fill_series, Override.IGNORE),
    Check("filled down", "error, warning", filled_down, Override.IGNORE),
)

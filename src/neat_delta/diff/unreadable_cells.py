"""Findings on cells that cannot be read as what their column holds."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.problems import UNREADABLE_CELL
from neat_delta.tables.corruption import FAILED
from neat_delta.tables.field_types.number_parsing import UNDECIDED, in_two_forms

if TYPE_CHECKING:
    from neat_delta.tables.field_types import FieldType

TWO_FORMS = "the column has numbers in two forms, such as 1,234.50 and 1.234,50. Write all in one"


def unreadable_cells(unread: pl.DataFrame, field: str, kind: FieldType) -> pl.DataFrame:
    """A finding on each cell (pair, edited) of a field that cannot be taken (pair, finding's columns)."""
    findings = findings_frame(
        UNREADABLE_CELL,
        pair=unread["pair"],
        field=field,
        value=unread["edited"],
        message=_not_of_kind(unread["edited"], kind),
    )
    return findings.insert_column(0, unread["pair"])


def _not_of_kind(cells: pl.Series, kind: FieldType) -> pl.Series:
    """Why each cell cannot be taken, and what to do."""
    failed = pl.col("cell").str.contains(FAILED)
    plain = pl.when(failed).then(pl.lit("a formula has failed here. ")).otherwise(pl.lit(""))
    plain = pl.concat_str(plain, pl.lit(f"not {kind.expected}. Correct the cell"))
    if not kind.numeric:
        return cells.to_frame("cell").select(plain).to_series()
    cell, two_forms = pl.col("cell"), in_two_forms(cells)
    in_either = pl.lit(value=False) if two_forms is None else pl.lit(two_forms)
    thousands, decimals = cell.str.replace("[.,]", ""), pl.concat_str(cell, pl.lit("0"))
    doubt = pl.format("ambiguous number: {} or {}? Write {} or {}", thousands, cell, thousands, decimals)
    undecided = pl.when(cell.str.contains(UNDECIDED)).then(doubt).otherwise(plain)
    return cells.to_frame("cell").select(pl.when(in_either).then(pl.lit(TWO_FORMS)).otherwise(undecided)).to_series()

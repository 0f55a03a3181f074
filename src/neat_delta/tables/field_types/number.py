"""Numbers: weights, sizes and other measures with decimals."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.tables.field_types.field_type import FEW, has_any
from neat_delta.tables.field_types.number_parsing import infer_number_format, normalize_numbers
from neat_delta.tables.field_types.numeric import Numeric, all_numbers

if TYPE_CHECKING:
    import polars as pl


def matches(values: pl.Series, field: str) -> bool:
    """All values are numbers, some have decimals, and no two texts stand for one number.

    A column that holds both 1.1 and 1.10 uses them as names, not as numbers.
    """
    if not all_numbers(values.head(FEW)) or not has_any(values, ".,") or not all_numbers(values):
        return False
    return normalize_numbers(values, infer_number_format(values)).n_unique() == len(values)


TYPE = Numeric("number", priority=50, expected="a number", matches=matches)

"""Choices: one of a limited number of values, such as a colour that customers can filter by."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.tables.field_types.exact_text import ExactText

if TYPE_CHECKING:
    import polars as pl


def matches(values: pl.Series, field: str) -> bool:
    """Never by its distinct values alone: whether a field is limited shows in how often they repeat."""
    return False


def normalize(cells: pl.Series) -> pl.Series:
    """The value with single spaces inside and none around it; letter case counts."""
    return cells.str.replace_all(r"[\s\u00a0]+", " ").str.strip_chars()


TYPE = ExactText(
    "choice", priority=80, expected="one of the field's values", matches=matches, reading=normalize, tidied=True
)

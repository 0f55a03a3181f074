"""Text: names, descriptions and everything that is nothing else; only line ends inside a cell are a matter of form."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.tables.field_types.exact_text import ExactText

if TYPE_CHECKING:
    import polars as pl


def matches(values: pl.Series, field: str) -> bool:
    """Everything is text."""
    return True


def normalize(cells: pl.Series) -> pl.Series:
    """The text itself, with line feeds as line ends: spreadsheet programs turn the others into these."""
    return cells.str.replace_all("\r\n", "\n", literal=True)


TYPE = ExactText("text", priority=90, expected="text", matches=matches, reading=normalize)

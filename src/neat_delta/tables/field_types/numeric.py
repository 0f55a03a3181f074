"""What money, number and count have in common: they read and write numerals, and differ in which columns they fit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types.field_type import digits_in_few
from neat_delta.tables.field_types.number_parsing import (
    NumberForm,
    all_simple,
    live_number_form,
    read_numbers,
    sheet_number_form,
    write_numbers,
)

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.tables.field_types.field_type import FormSettings, SheetForm


@dataclass(frozen=True)
class Numeric:
    """A kind whose values are decimal numbers; ``whole`` ones have no decimals."""

    name: str
    turn: int
    wants: str
    fits: Callable[[pl.Series, str], bool]
    whole: bool = False
    numeric: bool = True

    def live_form(self, values: pl.Series, told: FormSettings | None = None) -> NumberForm:
        """The column's number form."""
        return live_number_form(values, told)

    def sheet_form(self, sheet: SheetForm, live_form: NumberForm) -> NumberForm:
        """The edited column's number form."""
        return sheet_number_form(sheet, live_form)

    def read(self, cells: pl.Series, form: NumberForm) -> pl.Series:
        """Plain decimal text, shortest form; null for what is no such number (12.0 is a whole one)."""
        numbers = read_numbers(cells, form)
        if not self.whole:
            return numbers
        return numbers.to_frame("n").select(pl.when(~pl.col("n").str.contains(".", literal=True)).then("n")).to_series()

    def write(self, readings: pl.Series, cells: pl.Series, form: NumberForm) -> pl.Series:
        """Numbers in the column's form."""
        return write_numbers(readings, form)


def all_numbers(values: pl.Series) -> bool:
    """Whether all values read as numbers when they are taken as one column."""
    if not digits_in_few(values):
        return False
    return all_simple(values) or not read_numbers(values, live_number_form(values)).has_nulls()

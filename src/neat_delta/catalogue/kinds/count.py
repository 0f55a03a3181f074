"""Counts: whole numbers of things, such as stock."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue.kinds.numerals import (
    PLAIN,
    NumberForm,
    live_number_form,
    read_numbers,
    sheet_number_form,
    write_numbers,
)

if TYPE_CHECKING:
    from neat_delta.catalogue.kinds.kind import SheetForm

LONGEST = 9


class Count:
    """Whole numbers, written without leading zeros."""

    name = "count"
    turn = 40
    wants = "a whole number"
    numeric = True

    def fits(self, values: pl.Series, field: str) -> bool:
        """Plain whole numbers of up to nine digits, unless they look like numbers that name things.

        Long numbers of one length, different on nearly every item, are codes.
        """
        if not values.str.contains(PLAIN).all():
            return False
        lengths = values.str.len_chars()
        if lengths.max() > LONGEST:  # type: ignore[operator]
            return False
        return not (lengths.min() == lengths.max() and lengths[0] >= 5)

    def live_form(self, values: pl.Series) -> NumberForm:
        """The column's number form."""
        return live_number_form(values)

    def sheet_form(self, sheet: SheetForm, live_form: NumberForm) -> NumberForm:
        """The edited column's number form."""
        return sheet_number_form(sheet, live_form)

    def read(self, cells: pl.Series, form: NumberForm) -> pl.Series:
        """Whole numbers; null for anything else, 12.0 being 12."""
        numbers = read_numbers(cells, form).to_frame("n")
        return numbers.select(pl.when(~pl.col("n").str.contains(".", literal=True)).then("n")).to_series()

    def write(self, readings: pl.Series, cells: pl.Series, form: NumberForm) -> pl.Series:
        """Digits in the column's form."""
        return write_numbers(readings, form)


KIND = Count()

"""Numbers: weights, sizes and other measures with decimals."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.catalogue.kinds.numerals import (
    NumberForm,
    all_numbers,
    live_number_form,
    read_numbers,
    sheet_number_form,
    write_numbers,
)

if TYPE_CHECKING:
    import polars as pl

    from neat_delta.catalogue.kinds.kind import SheetForm


class Number:
    """Decimal numbers of any precision."""

    name = "number"
    turn = 50
    wants = "a number"
    numeric = True

    def fits(self, values: pl.Series, field: str) -> bool:
        """All values are numbers, some have decimals, and no two texts stand for one number.

        A column that holds both 1.1 and 1.10 uses them as names, not as numbers.
        """
        if not values.str.contains("[.,]").any() or not all_numbers(values):
            return False
        return read_numbers(values, live_number_form(values)).n_unique() == len(values)

    def live_form(self, values: pl.Series) -> NumberForm:
        """The column's number form."""
        return live_number_form(values)

    def sheet_form(self, sheet: SheetForm, live_form: NumberForm) -> NumberForm:
        """The edited column's number form."""
        return sheet_number_form(sheet, live_form)

    def read(self, cells: pl.Series, form: NumberForm) -> pl.Series:
        """Plain decimal text, shortest form."""
        return read_numbers(cells, form)

    def write(self, readings: pl.Series, cells: pl.Series, form: NumberForm) -> pl.Series:
        """Numbers in the column's form."""
        return write_numbers(readings, form)


KIND = Number()

"""Money: amounts in the shop's currency, exact to the last digit."""

from __future__ import annotations

import re
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

# Words that shops use in the names of money columns, whatever stands around them.
NAMES = re.compile(r"(^|_)(price|prices|cost|costs|rrp|msrp|net|gross|amount|fee|deposit|surcharge|special)(_|$)")


class Money:
    """Prices and costs."""

    name = "money"
    turn = 30
    wants = "an amount of money"
    numeric = True

    def fits(self, values: pl.Series, field: str) -> bool:
        """All values are numbers, and the field's name speaks of money or every value has two decimals."""
        if not all_numbers(values):
            return False
        return bool(NAMES.search(field)) or bool(values.str.contains(r"[.,]\d\d$").all())

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
        """Amounts in the column's form."""
        return write_numbers(readings, form)


KIND = Money()

"""Codes: article numbers, barcodes of unknown sort, bins. Every character counts, leading zeros first of all."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from neat_delta.catalogue.kinds.kind import SheetForm

# 9.52E+12: what a spreadsheet program makes of a long code. No shop writes codes so.
POWER_OF_TEN = r"^[+-]?\d+([.,]\d+)?[eE]\+\d+$"
LONG_NUMBER = r"^\d{5,}$"


class Code:
    """Short names for things, compared character by character."""

    name = "code"
    turn = 60
    wants = "a code as text (not a number like 9.52E+12)"
    numeric = False

    def fits(self, values: pl.Series, field: str) -> bool:
        """No spaces, digits in nearly all, and something that no number has: letters, a leading zero, great length."""
        if values.str.contains(r"\s").any() or values.str.len_chars().max() > 40:  # type: ignore[operator]
            return False
        has_digit = values.str.contains(r"\d").mean() or 0
        return float(has_digit) > 0.9  # type: ignore[arg-type]

    def live_form(self, values: pl.Series) -> None:
        """Codes have one form: as they are."""

    def sheet_form(self, sheet: SheetForm, live_form: None) -> None:
        """Codes have one form: as they are."""

    def read(self, cells: pl.Series, form: None) -> pl.Series:
        """The code itself; null where a spreadsheet program has turned it into a power of ten."""
        return cells.to_frame("c").select(pl.when(~pl.col("c").str.contains(POWER_OF_TEN)).then("c")).to_series()

    def write(self, readings: pl.Series, cells: pl.Series, form: None) -> pl.Series:
        """The edited cell as it stands."""
        return cells


KIND = Code()

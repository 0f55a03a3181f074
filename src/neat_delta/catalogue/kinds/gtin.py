"""GTIN: the barcodes of trade (EAN-8, UPC-A, EAN-13, GTIN-14) with their check digit.

The check digit is that of the GS1 General Specifications, section 7.9, computed by python-stdnum.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl
from stdnum import ean

if TYPE_CHECKING:
    from neat_delta.catalogue.kinds.kind import SheetForm

SHAPE = r"^(\d{8}|\d{12,14})$"
SAMPLE = 500


class Gtin:
    """Barcodes; compared character by character, refused when they are no barcode."""

    name = "gtin"
    turn = 20
    wants = "a barcode of 8, 12, 13 or 14 digits with the right check digit"
    numeric = False

    def fits(self, values: pl.Series, field: str) -> bool:
        """All values have a barcode's length, and the check digits of a sample are right."""
        return bool(values.str.contains(SHAPE).all()) and all(map(ean.is_valid, values.head(SAMPLE)))

    def live_form(self, values: pl.Series) -> None:
        """Barcodes have one form."""

    def sheet_form(self, sheet: SheetForm, live_form: None) -> None:
        """Barcodes have one form."""

    def read(self, cells: pl.Series, form: None) -> pl.Series:
        """The digits; null where they are no barcode."""
        digits = cells.str.strip_chars()
        return digits.to_frame("c").select(pl.when(_valid(digits)).then("c")).to_series()

    def write(self, readings: pl.Series, cells: pl.Series, form: None) -> pl.Series:
        """The digits as read."""
        return readings


def _valid(cells: pl.Series) -> pl.Series:
    return cells.map_elements(ean.is_valid, return_dtype=pl.Boolean)


KIND = Gtin()

"""GTIN: the barcodes of trade (EAN-8, UPC-A, EAN-13, GTIN-14) with their check digit.

The check digit is that of the GS1 General Specifications, section 7.9, computed by python-stdnum.
"""

from __future__ import annotations

import polars as pl
from stdnum import ean

from neat_delta.catalogue.kinds.verbatim import Verbatim

SHAPE = r"^(\d{8}|\d{12,14})$"
SAMPLE = 500


def fits(values: pl.Series, field: str) -> bool:
    """All values have a barcode's length, and the check digits of a sample are right."""
    return all(map(ean.is_valid, values.head(SAMPLE))) and bool(values.str.contains(SHAPE).all())


def read(cells: pl.Series) -> pl.Series:
    """The digits; null where they are no barcode."""
    shaped = cells.to_frame("c").select(pl.when(pl.col("c").str.contains(SHAPE)).then("c")).to_series()
    valid = shaped.map_elements(ean.is_valid, return_dtype=pl.Boolean).fill_null(False)
    return shaped.to_frame("c").select(pl.when(valid).then("c")).to_series()


KIND = Verbatim(
    "gtin",
    turn=20,
    wants="a barcode of 8, 12, 13 or 14 digits with the right check digit",
    fits=fits,
    reading=read,
)

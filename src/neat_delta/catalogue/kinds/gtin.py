"""GTIN: the barcodes of trade (EAN-8, UPC-A, EAN-13, GTIN-14) with their check digit.

The check digit is that of the GS1 General Specifications, section 7.9, computed by python-stdnum.
"""

from __future__ import annotations

import polars as pl

from neat_delta.catalogue.kinds.kind import few
from neat_delta.catalogue.kinds.verbatim import Verbatim

SHAPE = r"^(\d{8}|\d{12,14})$"
SAMPLE = 500


def fits(values: pl.Series, field: str) -> bool:
    """All values have a barcode's length, and the check digits of a sample are right."""
    if not few(values).str.contains(SHAPE).all() or not values.str.contains(SHAPE).all():
        return False
    return all(map(_valid, values.head(SAMPLE)))


def read(cells: pl.Series) -> pl.Series:
    """The digits; null where they are no barcode."""
    shaped = cells.to_frame("c").select(pl.when(pl.col("c").str.contains(SHAPE)).then("c")).to_series()
    valid = shaped.map_elements(_valid, return_dtype=pl.Boolean).fill_null(False)
    return shaped.to_frame("c").select(pl.when(valid).then("c")).to_series()


def _valid(digits: str) -> bool:
    from stdnum import ean  # takes longer to load than most columns take to be judged

    return bool(ean.is_valid(digits))


KIND = Verbatim(
    "gtin",
    turn=20,
    wants="a barcode of 8, 12, 13 or 14 digits with the right check digit",
    fits=fits,
    reading=read,
)

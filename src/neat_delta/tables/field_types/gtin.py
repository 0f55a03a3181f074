"""GTIN: the barcodes of trade (EAN-8, UPC-A, EAN-13, GTIN-14) and of books (ISBN), with their check digit.

The check digits are those of the GS1 General Specifications, section 7.9, and of ISO 2108, computed by python-stdnum.
"""

from __future__ import annotations

import polars as pl

from neat_delta.tables.field_types.exact_text import ExactText
from neat_delta.tables.field_types.field_type import sample_matches

# Digits, or an ISBN with its parts; the last sign of an older ISBN may be an X.
SHAPE = r"^([0-9]{8}|[0-9]{12,14}|97[89][- ](?:[0-9]+[- ]){3}[0-9]|[0-9]{9}[0-9X]|(?:[0-9]+[- ]){3}[0-9X])$"
PARTED = r"^[0-9][0-9 -]*[0-9X]$"
SAMPLE = 500


def matches(values: pl.Series, field: str) -> bool:
    """All values have a barcode's shape, and the check digits of a sample are right."""
    if not sample_matches(values, SHAPE) or not all(map(is_barcode, values.head(SAMPLE))):
        return False
    return bool(values.str.contains(SHAPE).all())


def normalize(cells: pl.Series) -> pl.Series:
    """The digits without what parts them; what is no barcode stays as it is, a check speaks of it."""
    bare = pl.col("c").str.replace_all(r"[ -]", "")
    return cells.to_frame("c").select(pl.when(pl.col("c").str.contains(PARTED)).then(bare).otherwise("c")).to_series()


def is_barcode(text: str) -> bool:
    """Whether the length is a barcode's and the check digit is right."""
    from stdnum import ean, isbn  # takes longer to load than most columns take to be judged

    return bool(ean.is_valid(text) or isbn.is_valid(text))


TYPE = ExactText(
    "barcode",
    priority=20,
    expected="a barcode of 8, 12, 13 or 14 digits with the right check digit",
    matches=matches,
    reading=normalize,
)

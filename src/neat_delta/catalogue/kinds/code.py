"""Codes: article numbers, bins, barcodes of unknown sort. Every character counts, zeros in front first of all."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.catalogue.kinds.kind import few_match
from neat_delta.catalogue.kinds.verbatim import Verbatim

if TYPE_CHECKING:
    import polars as pl

LONGEST = 40
SHORT = rf"^[^ \t\r\n]{{0,{LONGEST - 1}}}$"
MOSTLY = 0.9


def fits(values: pl.Series, field: str) -> bool:
    """No spaces, not long, and a digit in nearly all of them."""
    if not few_match(values, SHORT) or _spaced_or_long(values):
        return False
    return int(values.str.contains(r"\d").sum()) > MOSTLY * len(values)


def _spaced_or_long(values: pl.Series) -> bool:
    return bool((values.str.len_chars() >= LONGEST).any() or values.str.contains(r"\s").any())


def read(cells: pl.Series) -> pl.Series:
    """The code itself; what a spreadsheet program makes of codes can only be told beside the live one."""
    return cells


KIND = Verbatim("code", turn=60, wants="a code as text (not a number like 9.52E+12)", fits=fits, reading=read)

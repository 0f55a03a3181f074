"""Words for no data, as suppliers write them. In anybody else's file nobody knows what is meant by them."""

from __future__ import annotations

import polars as pl

from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.problems import NO_DATA

# What suppliers write into cells of numbers and dates for which they have no data.
WORDS = ["n/a", "na", "n.a.", "k.a.", "nan", "null", "-", "–", "—", "--"]


def says_no_data(cells: pl.Series) -> pl.Series:
    """Which cells say in words that there is no data."""
    return cells.str.strip_chars().str.to_lowercase().is_in(WORDS)


def about_no_data(cells: pl.DataFrame, field: str) -> pl.DataFrame:
    """Notes on such cells of a field (frame of pair, edited)."""
    message = pl.repeat("no data; the shop's value is kept", len(cells), dtype=pl.String, eager=True)
    findings = findings_frame(NO_DATA, pair=cells["pair"], field=field, value=cells["edited"], message=message)
    return findings.insert_column(0, cells["pair"])

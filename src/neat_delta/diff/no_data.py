"""What suppliers write beside plain numbers: words for no data, and stock of so many at least (">25", "20+").

In anybody else's file nobody knows what is meant by them.
"""

from __future__ import annotations

import polars as pl

from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.problems import AT_LEAST_SO_MANY, NO_DATA

# What suppliers write into cells of numbers and dates for which they have no data.
WORDS = ["n/a", "na", "n.a.", "k.a.", "nan", "null", "-", "–", "—", "--"]


# Stock of at least so many.
AT_LEAST = r"^\s*(?:[>≥]\s*([0-9]+)|([0-9]+)\s*\+)\s*$"


def stated_at_least(cells: pl.Series) -> pl.Series:
    """The number that cells state as the least there is; null in any other cell."""
    either = pl.col("c").str.extract_groups(AT_LEAST)
    return cells.to_frame("c").select(pl.coalesce(either.struct.field("1"), either.struct.field("2"))).to_series()


def as_stated(texts: pl.DataFrame, field: str) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Texts (pair, edited) with the least that they state in place of such, and notes on these."""
    least = stated_at_least(texts["edited"])
    stated = texts.select("pair", "edited", least=least).drop_nulls("least")
    message = stated.select(pl.format("at least {}, so {} is taken", "least", "least")).to_series()
    findings = findings_frame(
        AT_LEAST_SO_MANY, pair=stated["pair"], field=field, value=stated["edited"], message=message
    )
    texts = texts.with_columns(edited=pl.coalesce(least, "edited"))
    return texts, findings.insert_column(0, stated["pair"])


def says_no_data(cells: pl.Series) -> pl.Series:
    """Which cells say in words that there is no data."""
    return cells.str.strip_chars().str.to_lowercase().is_in(WORDS)


def about_no_data(cells: pl.DataFrame, field: str) -> pl.DataFrame:
    """Notes on such cells of a field (frame of pair, edited)."""
    message = pl.repeat("no data; the shop's value is kept", len(cells), dtype=pl.String, eager=True)
    findings = findings_frame(NO_DATA, pair=cells["pair"], field=field, value=cells["edited"], message=message)
    return findings.insert_column(0, cells["pair"])

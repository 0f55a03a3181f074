"""Pictures: the names, paths or addresses of picture files."""

from __future__ import annotations

import polars as pl

from neat_delta.tables.field_types.exact_text import ExactText
from neat_delta.tables.field_types.field_type import sample_matches

ENDING = r"(?i)\.(jpe?g|png|gif|webp|svg|avif|tiff?|bmp)$"


def matches(values: pl.Series, field: str) -> bool:
    """All values end as picture files do."""
    return sample_matches(values, ENDING) and bool(values.str.contains(ENDING).all())


def normalize(cells: pl.Series) -> pl.Series:
    """The name as it is, for servers tell letter cases apart; null for what is no picture file."""
    return cells.to_frame("c").select(pl.when(pl.col("c").str.contains(ENDING)).then("c")).to_series()


TYPE = ExactText("image", priority=25, expected="an image file (such as front.jpg)", matches=matches, reading=normalize)

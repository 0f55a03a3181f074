"""Pictures: the names, paths or addresses of picture files."""

from __future__ import annotations

import polars as pl

from neat_delta.tables.field_types.exact_text import Verbatim
from neat_delta.tables.field_types.field_type import few_match

ENDING = r"(?i)\.(jpe?g|png|gif|webp|svg|avif|tiff?|bmp)$"


def fits(values: pl.Series, field: str) -> bool:
    """All values end as picture files do."""
    return few_match(values, ENDING) and bool(values.str.contains(ENDING).all())


def read(cells: pl.Series) -> pl.Series:
    """The name as it stands, for servers tell letter cases apart; null for what is no picture file."""
    return cells.to_frame("c").select(pl.when(pl.col("c").str.contains(ENDING)).then("c")).to_series()


KIND = Verbatim("picture", turn=25, wants="a picture file (such as front.jpg)", fits=fits, reading=read)

"""The distinct values of a column and how often they occur."""

from __future__ import annotations

import polars as pl

from neat_delta.tables.field_types import are_blank

# Where so few of the first cells differ, the column has few values.
TOP, MOSTLY_ALIKE = 100, 0.5
# Where more than this share of a sample of cells differ, most cells stand alone.
SAMPLE, MOSTLY_ALONE = 100_000, 0.9


def distinct_values(cells: pl.Series) -> pl.Series:
    """The distinct values of a column's filled cells, in no order."""
    distinct = cells.unique() if len(cells) < SAMPLE else _distinct(cells)
    return distinct.filter(~are_blank(distinct))


def _distinct(cells: pl.Series) -> pl.Series:
    """The distinct values of many cells, in no order."""
    if _in_order(cells):
        return cells
    hashes = cells.hash(seed=1)
    alone = _alone(hashes)
    if alone is not None:
        return pl.concat([cells.filter(alone), cells.filter(~alone).unique()])
    first = hashes.arg_unique()
    # That two texts share a hash would show in their hashes of another seed.
    return cells.gather(first) if len(cells.hash(seed=2).arg_unique()) == len(first) else cells.unique()


def value_counts(cells: pl.Series) -> pl.DataFrame:
    """The distinct values of the series "value" with their counts (frame of value, count), in no order.

    Numbers are grouped far faster than texts, so their hashes are. Cells whose hash nobody else has differ from all
    others; that two texts of a group differ all the same would show in a second hash of another seed.
    """
    if cells.head(TOP).n_unique() <= MOSTLY_ALIKE * TOP:
        return cells.to_frame().group_by("value").agg(pl.len().alias("count"))
    if _in_order(cells):
        return cells.to_frame().with_columns(pl.lit(1, dtype=pl.UInt32).alias("count"))
    hashes = cells.hash(seed=1)
    alone = _alone(hashes)
    rest = pl.DataFrame([cells, hashes.alias("hash")])
    rest = rest if alone is None else rest.filter(~alone)
    grouped = rest.group_by("hash").agg(pl.col("value").first(), pl.len().alias("count"))
    if _fingerprints(rest["value"]).sum() != (_fingerprints(grouped["value"]) * grouped["count"]).sum():
        grouped = rest.group_by("value").agg(pl.len().alias("count"))
    grouped = grouped.select("value", "count")
    if alone is None:
        return grouped
    once = cells.filter(alone).to_frame().with_columns(pl.lit(1, dtype=grouped.schema["count"]).alias("count"))
    return pl.concat([once, grouped])


def _alone(hashes: pl.Series) -> pl.Series | None:
    """Which hashes are there only once, found by sorting them; ``None`` where a sample shows that few are."""
    some = hashes.gather_every(max(1, len(hashes) // SAMPLE))
    if some.n_unique() <= MOSTLY_ALONE * len(some):
        return None
    order = hashes.sort()
    shared = order.filter(order == order.shift()).unique()
    return ~hashes.is_in(shared.implode())


def _in_order(cells: pl.Series) -> bool:
    return is_ascending(cells.head(TOP)) and is_ascending(cells)


def is_ascending(cells: pl.Series) -> bool:
    """Whether each value is behind the one before by the alphabet, as in the column that an export is sorted by."""
    return bool((cells.slice(1) > cells.head(len(cells) - 1)).all()) if len(cells) else False


def _fingerprints(values: pl.Series) -> pl.Series:
    """Another hash, small enough for the sum over a column's cells to be exact."""
    return values.hash(seed=2) // 2**32

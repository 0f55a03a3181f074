"""Rows that are another item's from end to end: its SKU was typed over, or came back as one that stands for another.

Rows that exchange their contents convict each other. Here one is alone: the other is not in the sheet any more, or its
own row is refused, for instance because its SKU lost its zeros.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import no_findings

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

# So many changed cells hold what one other item alone has, and so much of all that tells the two apart.
FEWEST_UNIQUE, FEWEST_DIFFERING, TAKEN_OVER = 2, 3, 0.7
MESSAGE = "the whole row is that of {}. Is the SKU of this row right?"


def rows_of_other_items(context: CheckContext, cells: pl.DataFrame, check: str) -> pl.DataFrame:
    """Findings on all typed cells of rows that became another item's.

    ``cells``: changed cells that no other finding explains (key, field, was, now, row: in the live export).
    """
    cells = cells.filter(pl.len().over("row") >= FEWEST_DIFFERING)
    pairs = _pointed_at(context, cells)
    if pairs.is_empty():
        return no_findings()
    pairs = pairs.filter(_share_taken_over(context, cells, pairs) >= TAKEN_OVER).unique("row", keep="first")
    keys = context.live.cells(context.changes.head.key, pairs["source"])
    pairs = pairs.with_columns(other=keys.select(pl.concat_str(pl.all(), separator=" · ")).to_series())
    pairs = pairs.join(cells.select("row", "key").unique("row"), on="row", maintain_order="left")
    typed = pl.concat([of_field.select("key", "field", "was", "now") for of_field in context.typed.values()])
    hit = typed.join(pairs.select("key", "other"), on="key", maintain_order="left")
    message = hit.select(pl.format(MESSAGE, "other")).to_series()
    return context.findings_for(hit, check, "error", message)


def _pointed_at(context: CheckContext, cells: pl.DataFrame) -> pl.DataFrame:
    """The changed rows and the other rows of the live export that alone have what several of their cells hold now.

    A frame of row, source; the one that most of them point at first.
    """
    pointed = [cells.select("row", source="row").clear()]
    for (name,), part in cells.partition_by("field", as_dict=True).items():
        values = part["now"].str.strip_chars()
        shop = context.live.cells([str(name)])[str(name)].str.strip_chars()
        at = shop.is_in(values.unique().implode()).arg_true().cast(pl.UInt32)
        sources = pl.DataFrame({"source": at, "value": shop.gather(at)}).filter(pl.col("value").is_unique())
        pointed.append(part.select("row", value=values).join(sources, on="value").select("row", "source"))
    pairs = pl.concat(pointed).filter(pl.col("row") != pl.col("source")).group_by("row", "source").len()
    return pairs.filter(pl.col("len") >= FEWEST_UNIQUE).sort("row", "len", "source", descending=[False, True, False])


def _share_taken_over(context: CheckContext, cells: pl.DataFrame, pairs: pl.DataFrame) -> pl.Series:
    """How much of what the other item has and this one had otherwise is this one's now, for each pair."""
    names = [name for name in context.live.names if name not in context.changes.head.key]
    one, other = (
        context.live.cells(names, pairs[side]).select(pl.all().str.strip_chars()) for side in ("row", "source")
    )
    differing, taken = pl.zeros(len(pairs), dtype=pl.UInt32, eager=True), pl.zeros(len(pairs), pl.UInt32, eager=True)
    for name in names:
        differs = (one[name] != other[name]) & (other[name] != "")
        now = pairs.join(cells.filter(field=name).select("row", "now"), on="row", how="left", maintain_order="left")
        differing += differs.cast(pl.UInt32)
        taken += (differs & (now["now"].str.strip_chars() == other[name])).fill_null(value=False).cast(pl.UInt32)
    return (taken / differing).fill_nan(0.0).zip_with(differing >= FEWEST_DIFFERING, pl.Series([0.0]))

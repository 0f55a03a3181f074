"""What was typed into a column that lost zeros has lost its own as well: 590888888888 may be 0590888888888."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.problems import ZEROS_LOST

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

DIGITS, IN_FRONT = r"^[0-9]+$", r"^0[0-9]+$"
SHORTEST = r"^-?[0-9]+([.,][0-9]*[1-9])?$"
DECIMALS, ZERO_BEHIND = r"^-?[0-9]+[.,]([0-9]+)$", r"[.,][0-9]*0$"
# One value with zeros among others shows no column of such.
FEWEST_WITH_ZEROS = 2
TYPED = {"pair": pl.UInt32, "was": pl.String, "edited": pl.String}


def typed_without_zeros(
    typed: pl.DataFrame, live: pl.Series, edited: Callable[[], pl.Series], lost: pl.Series
) -> pl.DataFrame:
    """Findings on typed texts of one column that may lack zeros (pair, finding's columns).

    Args:
        typed: the cells that were typed (pair, was, edited), none of them blank.
        live: the different values of the column in the live export.
        edited: those in the edited file.
        lost: what a spreadsheet program has done to other cells of the column.
    """
    lost_zeros = pl.concat([pl.DataFrame(schema=TYPED | {"meant": pl.String}), *_in_front(typed, live, edited, lost)])
    lost_zeros = pl.concat([lost_zeros, *_behind(typed, live, lost)]).unique("pair", keep="first", maintain_order=True)
    message = (
        "the column has lost its zeros in a spreadsheet program: {} or {}? Set the column to text, and type it again"
    )
    return findings_frame(
        ZEROS_LOST,
        pair=lost_zeros["pair"],
        value=lost_zeros["edited"],
        message=lost_zeros.select(pl.format(message, "meant", "edited")).to_series(),
    ).insert_column(0, lost_zeros["pair"])


def _in_front(
    typed: pl.DataFrame, live: pl.Series, edited: Callable[[], pl.Series], lost: pl.Series
) -> Iterator[pl.DataFrame]:
    """Digits that are shorter than the live values with zeros in front, as hardly any other live value is."""
    text = pl.col("edited").str.strip_chars()
    some = typed.filter(text.str.contains(r"^[1-9][0-9]*$"))
    codes = live.filter(live.str.contains(DIGITS)) if len(some) else live.clear()
    zeros = codes.str.contains(IN_FRONT)
    if not zeros.any():
        return
    happened = bool((lost == "leading zeros lost").any())
    if not happened and int(zeros.sum()) < FEWEST_WITH_ZEROS:
        return
    if not happened:
        # Then only a cell that had zeros itself shows it, in a column that has none left.
        some = some.filter(pl.col("was").str.contains(IN_FRONT))
        if some.is_empty() or edited().str.contains(IN_FRONT).any():
            return
    longer = codes.filter(zeros).str.len_chars()
    width = max(longer.to_list())
    plain = codes.filter(~zeros).str.len_chars().value_counts()
    lengths = dict(zip(plain.to_series(0), plain["count"], strict=True))
    short = some.with_columns(size=text.str.len_chars()).filter(pl.col("size") < width)
    odd = [size for size in short["size"].unique() if lengths.get(size, 0) <= int((longer > size).sum())]
    hit = short.filter(pl.col("size").is_in(odd))
    yield hit.select(*TYPED, meant=text.str.zfill(width))


def _behind(typed: pl.DataFrame, live: pl.Series, lost: pl.Series) -> Iterator[pl.DataFrame]:
    """Numbers with fewer decimals than all live values have."""
    text = pl.col("edited").str.strip_chars()
    some = typed.filter(text.str.contains(SHORTEST))
    if some.is_empty() or not (lost == "trailing zeros lost").any():
        return
    decimals = live.filter(live.str.strip_chars() != "").str.extract(DECIMALS).str.len_chars()
    if decimals.has_nulls() or decimals.n_unique() != 1:
        return
    places = int(decimals[0])
    mark = "," if live.str.contains(",", literal=True).any() else "."
    whole = text.str.replace(r"[.,][0-9]*$", "")
    fraction = text.str.extract(DECIMALS).fill_null("")
    short = some.filter(fraction.str.len_chars() < places)
    yield short.select(*TYPED, meant=pl.concat_str(whole, pl.lit(mark), fraction.str.pad_end(places, "0")))

"""Rows to items: which rows need a look at all, which live row each belongs to, which keys are repeated."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.key import JOINT, Key, insist_on_key

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.catalogue import Catalogue


@dataclass(frozen=True)
class Pairing:
    """Every row of the edited sheet and what it is to the live export.

    Rows are positions in their file, counted from 0.

    pairs:     rows to compare (live, edited), in the live export's order; settled ones are left out.
    settled:   live rows whose line stands once, byte for byte, in the edited sheet.
    new:       edited rows whose key no live item has.
    blank:     edited rows without a key.
    twins:     edited rows that repeat an earlier row of the same key, alike in every cell.
    rivals:    edited rows that share a key and disagree (frame of edited, key).
    unclear:   edited rows whose key several live items share (frame of edited, key).
    gone:      live rows that no edited row names.
    live_repeated, live_blank: live rows that share a key, or have none (frame of live, key; series).
    """

    pairs: pl.DataFrame
    settled: pl.Series
    new: pl.Series
    blank: pl.Series
    twins: pl.Series
    rivals: pl.DataFrame
    unclear: pl.DataFrame
    gone: pl.Series
    live_repeated: pl.DataFrame
    live_blank: pl.Series


def pair_rows(live: Catalogue, edited: Catalogue, key: Key, shared: Sequence[str]) -> Pairing:
    """Give each edited row to its live item by the key.

    Lines that are equal in two files of one form are equal in every cell and are not parsed.
    """
    keys = _keys(live, key, "live")
    live_blank, live_repeated = keys.filter("blank")["live"], _shared_keys(keys)
    insist_on_key(live, shared, key, live_blank, live_repeated["live"])
    regular = keys.filter(~pl.col("blank")).select("live", "key")
    if len(live_repeated):
        regular = regular.join(live_repeated, on="live", how="anti")
    settled, open_rows = _settle_equal_lines(live, edited, key, regular)

    blank = open_rows.filter("blank")["edited"]
    rows = open_rows.filter(~pl.col("blank")).select("edited", "key")
    twins, rivals = _repeated(edited, shared, rows)
    rows = rows.filter(~pl.col("edited").is_in(pl.concat([twins, rivals["edited"]]).implode()))

    unclear = rows.join(live_repeated.unique("key"), on="key", how="semi")
    rows = rows.join(unclear, on="edited", how="anti")
    pairs = rows.join(regular, on="key", how="left", maintain_order="left")
    named = open_rows["key"].implode()
    return Pairing(
        pairs=pairs.drop_nulls("live").select("live", "edited").sort("live"),
        settled=settled["live"],
        new=pairs.filter(pl.col("live").is_null())["edited"],
        blank=blank,
        twins=twins,
        rivals=rivals,
        unclear=unclear,
        gone=regular.join(settled, on="live", how="anti").filter(~pl.col("key").is_in(named))["live"].sort(),
        live_repeated=live_repeated,
        live_blank=live_blank,
    )


def _keys(catalogue: Catalogue, key: Key, position: str, rows: pl.Series | None = None) -> pl.DataFrame:
    """Frame of row position, key and whether the key is blank."""
    values = key.values(catalogue, rows)
    at = rows if rows is not None else pl.int_range(len(values), eager=True)
    frame = pl.DataFrame({position: at.cast(pl.UInt32), "key": values})
    return frame.with_columns(blank=pl.col("key").str.strip_chars(JOINT + " \t\u00a0") == "")


def _shared_keys(keys: pl.DataFrame) -> pl.DataFrame:
    """The live rows (live, key) whose filled key stands on other live rows too."""
    values = keys["key"]
    # Most exports come sorted by their key; else counting is still far cheaper than marking.
    ascending = (values.slice(1) > values.head(len(values) - 1)).all() if len(values) else True
    if ascending or values.n_unique() == len(values):
        return keys.select("live", "key").clear()
    return keys.filter(~pl.col("blank") & pl.col("key").is_duplicated()).select("live", "key")


def _settle_equal_lines(
    live: Catalogue, edited: Catalogue, key: Key, regular: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Set aside the live rows whose line stands exactly once in the edited sheet, where the two share one form.

    ``regular`` are the live rows with a key of their own (live, key). Returns the settled ones of them, and the
    edited rows still to be looked at (edited, key, blank).
    """
    ours, theirs = live.rows.raw, edited.rows.raw
    if ours is None or theirs is None or not _one_form(live, edited):
        return regular.clear(), _keys(edited, key, "edited")
    settled, rest = _equal_lines(regular.with_columns(line=ours.gather(regular["live"])), theirs)
    open_rows = _keys(edited, key, "edited", rest)
    rivals = settled.join(open_rows, on="key", how="semi")
    if len(rivals):
        # A row equal to the live one, and another row under the same key: all of them are looked at singly.
        settled = settled.join(rivals, on="live", how="anti")
        twice = pl.DataFrame({"line": theirs}).with_row_index("edited").join(rivals, on="line", how="semi")
        open_rows = _keys(edited, key, "edited", pl.concat([rest, twice["edited"]]).unique().sort())
    return settled.select("live", "key"), open_rows


def _equal_lines(regular: pl.DataFrame, theirs: pl.Series) -> tuple[pl.DataFrame, pl.Series]:
    """Pair equal lines one to one: those in the same place first, the others wherever they stand.

    Returns the paired live rows (live, key, line), and the positions of the edited rows that found no partner.
    """
    in_place = regular.filter(pl.col("live") < len(theirs))
    in_place = in_place.filter(pl.col("line") == theirs.gather(in_place["live"]))
    sheet = pl.DataFrame({"line": theirs}).with_row_index("edited")
    sheet = sheet.join(in_place, left_on="edited", right_on="live", how="anti")
    moved = regular.join(in_place, on="live", how="anti").join(sheet, on="line", how="semi")
    partners = sheet.unique("line", keep="first").join(moved, on="line", how="semi")
    rest = sheet.join(partners, on="edited", how="anti")["edited"]
    return pl.concat([in_place, moved]), rest.sort()


def _one_form(live: Catalogue, edited: Catalogue) -> bool:
    """Whether equal lines mean equal cells: same delimiter, same columns in the same places."""
    return live.form.delimiter == edited.form.delimiter and live.names == edited.names and not edited.unnamed


def _repeated(edited: Catalogue, shared: Sequence[str], rows: pl.DataFrame) -> tuple[pl.Series, pl.DataFrame]:
    """Rows that share a key: twins (later rows alike in every shared cell), and rivals (those that disagree)."""
    several = rows.filter(pl.col("key").is_duplicated())
    if several.is_empty():
        return several["edited"], several
    cells = edited.cells(shared, several["edited"])
    told = several.with_columns(content=cells.select(pl.struct(pl.all())).to_series())
    told = told.with_columns(agree=(pl.col("content").n_unique() == 1).over("key"))
    twins = told.filter("agree").filter(~pl.col("key").is_first_distinct())["edited"]
    return twins, told.filter(~pl.col("agree")).select("edited", "key").sort("key", "edited")

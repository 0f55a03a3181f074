"""Rows to items: which rows need a look at all, which live row each belongs to, which keys are repeated."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.key import KEY_SEPARATOR, Key, require_usable_key
from neat_delta.matching.positions import all_different, positions_of
from neat_delta.matching.schemas import PairFrame, Pairs
from neat_delta.reading.csv_rows import CsvRows
from neat_delta.reading.equal_records import equal_in_place, equal_records
from neat_delta.tables.field_types import are_blank

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.tables import Table

SAMPLE_ROWS = 20_000


@dataclass(frozen=True)
class RowMatches:
    """Every row of the edited sheet and what it is to the live export.

    Rows are positions in their file, counted from 0.

    Attributes:
        pairs: rows to compare (live, edited), in the live export's order; identical ones are left out.
        identical: live rows whose line is once, byte for byte, in the edited sheet.
        new: edited rows whose key no live item has.
        missing_key: edited rows without a key.
        exact_duplicates: edited rows that repeat an earlier row of the same key, alike in every cell.
        conflicting_duplicates: edited rows that share a key and disagree (frame of edited, key).
        ambiguous: edited rows whose key several live items share (frame of edited, key).
        missing: live rows that no edited row names.
        live_duplicates: live rows that share a key (frame of live, key).
        live_missing_key: live rows without a key.
    """

    pairs: PairFrame
    identical: pl.Series
    new: pl.Series
    missing_key: pl.Series
    exact_duplicates: pl.Series
    conflicting_duplicates: pl.DataFrame
    ambiguous: pl.DataFrame
    missing: pl.Series
    live_duplicates: pl.DataFrame
    live_missing_key: pl.Series


def match_rows(live: Table, edited: Table, key: Key, shared: Sequence[str], signed: Sequence[str] = ()) -> RowMatches:
    """Give each edited row to its live item by the key.

    ``signed`` are columns of the sheet that say something too, without being fields of both. Lines that are equal in
    two files of one form are equal in every cell and are not parsed.
    """
    # Parsing costs by the pass rather than by the column, so that the columns to be compared come with the key.
    live.cells([*key.fields, *_likely_to_change(live, edited, key, shared)])
    keys = _keys(live, key, "live")
    live_blank, live_repeated = keys.filter("blank")["live"], _shared_keys(keys, ascends=key.is_sorted_by(live))
    require_usable_key(live, shared, key, live_blank, live_repeated["live"])
    differing = pl.concat([live_blank, live_repeated["live"]])
    shop_rows, others, settings = _settle_equal_lines(live, edited, key, keys.select("live", "key"), differing)

    at = positions_of(shop_rows["key"], others["key"], ascends=key.is_sorted_by(live))
    named = pl.repeat(False, len(shop_rows), dtype=pl.Boolean, eager=True).scatter(at.drop_nulls(), True)
    blank = others.filter("blank")["edited"]
    rows = others.with_columns(shop_rows["live"].gather(at).alias("live")).filter(~pl.col("blank"))
    twins, rivals = _repeated(edited, [*shared, *signed], rows.select("edited", "key"))
    rows = rows.filter(~pl.col("edited").is_in(pl.concat([twins, rivals["edited"]]).implode()))
    shares = pl.col("key").is_in(live_repeated["key"].unique().implode())
    unclear = rows.filter(shares).select("edited", "key")
    pairs = rows.filter(~shares)
    return RowMatches(
        pairs=Pairs.checked(pairs.drop_nulls("live").select("live", "edited").sort("live")),
        identical=settings,
        new=pairs.filter(pl.col("live").is_null())["edited"],
        missing_key=blank,
        exact_duplicates=twins,
        conflicting_duplicates=rivals,
        ambiguous=unclear,
        missing=shop_rows["live"].filter(~named).sort(),
        live_duplicates=live_repeated,
        live_missing_key=live_blank,
    )


def _keys(table: Table, key: Key, position: str, rows: pl.Series | None = None) -> pl.DataFrame:
    """Frame of row position, key and whether the key is blank."""
    values = key.values(table, rows)
    at = rows if rows is not None else pl.int_range(len(values), eager=True)
    blank = are_blank(values, rf"^[{KEY_SEPARATOR} \t\u00a0]*$")
    return pl.DataFrame({position: at.cast(pl.UInt32), "key": values, "blank": blank})


def _shared_keys(keys: pl.DataFrame, *, ascends: bool) -> pl.DataFrame:
    """The live rows (live, key) whose filled key stands on other live rows too."""
    values = keys["key"]
    # Most exports come sorted by their key; else counting is still far cheaper than marking.
    if ascends or values.n_unique() == len(values):
        return keys.select("live", "key").clear()
    return keys.filter(~pl.col("blank") & pl.col("key").is_duplicated()).select("live", "key")


def _settle_equal_lines(
    live: Table, edited: Table, key: Key, keys: pl.DataFrame, apart: pl.Series
) -> tuple[pl.DataFrame, pl.DataFrame, pl.Series]:
    """Set aside the live rows whose line stands exactly once in the edited sheet, where the two share one form.

    ``keys`` are all live rows (live, key); those at the positions ``non_data_rows`` have no key of their own. Returns
    what is still to be looked at: live rows with a key of their own (live, key) and edited rows (edited, key, blank);
    and the positions of the settled live rows.
    """
    regular = pl.repeat(True, len(keys), dtype=pl.Boolean, eager=True).scatter(apart, False)
    records = records_of_one_form(live, edited)
    if records is None:
        return keys if regular.all() else keys.filter(regular), _keys(edited, key, "edited"), apart.clear()
    shop_rows, others = _unequal_records(*records, regular)
    rest = _keys(edited, key, "edited", others)
    open_keys = keys.filter(shop_rows)
    # A row whose key is not among the open ones is new, or has a settled row for a rival: then none of them is.
    strange = rest.join(open_keys, on="key", how="anti").filter(~pl.col("blank"))
    rivals = keys.filter(regular & ~shop_rows).join(strange, on="key", how="semi") if len(strange) else keys.clear()
    if len(rivals):
        shop_rows = shop_rows.scatter(rivals["live"], True)
        texts = records[0].hashes(rivals["live"])
        again = _hashes(records[1]).is_in(texts.implode()).arg_true().cast(pl.UInt32)
        rest = _keys(edited, key, "edited", pl.concat([others, again]).unique().sort())
        open_keys = keys.filter(shop_rows)
    return open_keys, rest, (regular & ~shop_rows).arg_true().cast(pl.UInt32)


def _unequal_records(ours: CsvRows, theirs: CsvRows, regular: pl.Series) -> tuple[pl.Series, pl.Series]:
    """Pair equal records one to one, those in the same place first, the others wherever they stand.

    Returns which of our regular records found no partner (a mask), and at which positions of theirs there is none.
    """
    in_place = equal_in_place(ours, theirs)
    in_place = in_place & regular.head(len(in_place))
    ours_left, theirs_left = (
        ~in_place.clone().extend_constant(value=False, n=len(rows) - len(in_place)) for rows in (ours, theirs)
    )
    ours_left &= regular
    left, sheet = (
        pl.DataFrame({"row": (at := mask.arg_true().cast(pl.UInt32)), "hash": rows.hashes(at)})
        for rows, mask in ((ours, ours_left), (theirs, theirs_left))
    )
    moved = left.join(sheet.unique("hash", keep="first", maintain_order=True), on="hash", suffix="_sheet")
    moved = moved.filter(equal_records(ours, moved["row"], theirs, moved["row_sheet"]))
    rest = sheet.join(moved, left_on="row", right_on="row_sheet", how="anti", maintain_order="left")["row"]
    return ours_left.scatter(moved["row"], False), rest


def _hashes(rows: CsvRows) -> pl.Series:
    return rows.hashes(pl.int_range(len(rows), eager=True))


def _likely_to_change(live: Table, edited: Table, key: Key, shared: Sequence[str]) -> list[str]:
    """The fields in which the first records differ that are unequal in one place.

    None if most records are, for then the rows stand in another order. A guess that saves time where it is right, and
    costs little where it is not.
    """
    records = records_of_one_form(live, edited)
    if records is None:
        return []
    unequal = (~equal_in_place(*records).head(SAMPLE_ROWS)).arg_true()
    if len(unequal) > min(len(live), len(edited), SAMPLE_ROWS) // 2:
        return []
    shop_cells, others = live.cells(shared, unequal), edited.cells(shared, unequal)
    return [name for name in shared if name not in key.fields and (shop_cells[name] != others[name]).any()]


def rows_unlike_live(live: Table, edited: Table) -> pl.Series:
    """The edited rows that are not known to be just the live row in their place: of files of two forms, all."""
    every = pl.int_range(len(edited), dtype=pl.UInt32, eager=True)
    records = records_of_one_form(live, edited)
    if records is None:
        return every
    return pl.concat([(~equal_in_place(*records)).arg_true().cast(pl.UInt32), every.slice(min(len(live), len(edited)))])


def records_of_one_form(live: Table, edited: Table) -> tuple[CsvRows, CsvRows] | None:
    """The rows of two files of which equal records have equal cells: same delimiter, same columns in same places."""
    same = (
        live.format.delimiter == edited.format.delimiter and live.names == edited.names and not edited.unnamed_columns
    )
    shop_rows, others = live.rows, edited.rows
    if (
        not same
        or not isinstance(shop_rows, CsvRows)
        or not isinstance(others, CsvRows)
        or shop_rows.width != others.width
    ):
        return None
    return shop_rows, others


def _repeated(edited: Table, shared: Sequence[str], rows: pl.DataFrame) -> tuple[pl.Series, pl.DataFrame]:
    """Rows that share a key: twins (later rows alike in every shared cell), and rivals (those that disagree)."""
    multiple = rows.clear() if all_different(rows["key"]) else rows.filter(pl.col("key").is_duplicated())
    if multiple.is_empty():
        return multiple["edited"], multiple
    cells = edited.cells(shared, multiple["edited"])
    repeated = multiple.with_columns(content=cells.select(pl.struct(pl.all())).to_series())
    repeated = repeated.with_columns(agree=(pl.col("content").n_unique() == 1).over("key"))
    twins = repeated.filter("agree").filter(~pl.col("key").is_first_distinct())["edited"]
    return twins, repeated.filter(~pl.col("agree")).select("edited", "key").sort("key", "edited")

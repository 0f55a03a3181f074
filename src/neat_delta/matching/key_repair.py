"""Rescue: a row whose code a spreadsheet program has hurt is given back to the one item it can be."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.rekey_detection import ALIKE, FEWEST_FIELDS
from neat_delta.reading.frame_rows import FrameRows

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.matching.key import Key
    from neat_delta.matching.row_matching import RowMatches
    from neat_delta.tables import Table

POWER = re.compile(r"([0-9])[.,]?([0-9]*)[eE]\+?([0-9]+)")
PAIRS = {"edited": pl.UInt32, "live": pl.UInt32}


def likely_damaged(live: Table, edited: Table, key: Key, matches: RowMatches) -> pl.DataFrame:
    """New rows and the gone items whose codes they may have meant, one or several (frame of edited, live)."""
    if matches.new.is_empty() or matches.missing.is_empty():
        return pl.DataFrame(schema=PAIRS)
    rows = pl.DataFrame({"edited": matches.new, "code": key.values(edited, matches.new)})
    items = pl.DataFrame({"live": matches.missing, "code": key.values(live, matches.missing)})
    return pl.concat([_but_for_losses(rows, items), _powers(rows, items)]).unique(maintain_order=True)


def repairable_keys(live: Table, edited: Table, key: Key, fields: Sequence[str]) -> pl.DataFrame:
    """Rows whose damaged code can be that of one item only, which no other row can be (frame of edited, live).

    Looked at are rows whose code no item has, and items that no row names. Codes that differ in spaces, case or zeros
    in front are compared with all live codes, not only with those left; a power of ten (9.52E+12) by the digits it
    still shows. Where several items are possible the rest of the row may decide, by these ``fields``.
    """
    codes = pl.DataFrame({"code": key.values(live)}).with_row_index("live")
    sheet = pl.DataFrame({"code": key.values(edited)}).with_row_index("edited")
    rows = sheet.join(codes, on="code", how="anti", maintain_order="left")
    if rows.is_empty():
        return pl.DataFrame(schema=PAIRS)
    unnamed = codes.join(sheet, on="code", how="anti", maintain_order="left").unique("code", keep="none")
    pairs = pl.concat([_but_for_losses(rows, codes), _powers(rows, unnamed)]).unique(maintain_order=True)
    by_rest = _alike(live, edited, pairs.filter(pl.col("edited").is_duplicated()), fields, apart="live")
    alone = pairs.filter(pl.col("edited").is_unique())
    by_rest_too = _alike(live, edited, alone.filter(pl.col("live").is_duplicated()), fields, apart="edited")
    found = pl.concat([alone.filter(pl.col("live").is_unique()), by_rest, by_rest_too])
    found = found.join(unnamed, on="live", how="semi")
    return found.filter(pl.col("live").is_unique() & pl.col("edited").is_unique()).sort("edited")


def with_keys_of(live: Table, edited: Table, key: Key, pairs: pl.DataFrame) -> Table:
    """The sheet with the codes of live items in some of its rows (frame of edited, live)."""
    own = live.cells(key.fields, pairs["live"])
    cells = edited.cells(edited.names)
    for name in key.fields:
        cells = cells.with_columns(cells[name].scatter(pairs["edited"], own[name]))
    return replace(edited, rows=FrameRows(edited.rows.line, cells))


def _bare(code: pl.Expr) -> pl.Expr:
    """What is left of a code when nothing counts that gets lost: spaces, letter case, zeros in front."""
    return code.str.replace_all(r"[\s\u00a0]", "").str.to_lowercase().str.strip_chars_start("0")


def _but_for_losses(rows: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Rows (edited, code) and items (live, code) whose codes are alike but for what gets lost (edited, live)."""
    edited = rows.select("edited", bare=_bare(pl.col("code"))).filter(pl.col("bare") != "")
    live = items.select("live", bare=_bare(pl.col("code")))
    return edited.join(live, on="bare", maintain_order="left_right").select(*PAIRS)


def _powers(rows: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Rows whose code became a power of ten, each with the items of that length that begin so (edited, live)."""
    found = [pl.DataFrame(schema=PAIRS)]
    shown = rows.filter(pl.col("code").str.contains(r"^[0-9][.,]?[0-9]*[eE]\+?[0-9]+$"))
    for (code,), part in shown.partition_by("code", as_dict=True, maintain_order=True).items():
        whole, fraction, power = POWER.fullmatch(str(code)).groups()  # type: ignore[union-attr]
        # The last digit shown may be rounded up, so that it tells nothing.
        digits = (whole + fraction)[:-1] or whole
        like = items.filter(pl.col("code").str.contains(rf"^{digits}[0-9]{{{int(power) + 1 - len(digits)}}}$"))
        found.append(part.select("edited").join(like.select("live"), how="cross"))
    return pl.concat(found)


def _alike(live: Table, edited: Table, pairs: pl.DataFrame, fields: Sequence[str], *, apart: str) -> pl.DataFrame:
    """Of several items that a row can be, or several rows that can be an item, the one that agrees (edited, live).

    ``non_data_rows`` is the side of which there are several. What counts are the fields by which these can be told, in
    most of which the one must agree, and none of the others.
    """
    within = "edited" if apart == "live" else "live"
    if pairs.is_empty() or not fields:
        return pairs.clear()
    cells = {"live": live.cells(fields, pairs["live"]), "edited": edited.cells(fields, pairs["edited"])}
    telling = cells[apart].select(pl.col(fields).n_unique().over(pairs[within]) > 1).get_columns()
    agree = [result & (cells["live"][result.name] == cells["edited"][result.name]) for result in telling]
    counted = pairs.with_columns(
        of=pl.sum_horizontal(result.cast(pl.UInt32) for result in telling),
        alike=pl.sum_horizontal(same.cast(pl.UInt32) for same in agree),
    )
    best = counted.filter((pl.col("alike") >= FEWEST_FIELDS) & (pl.col("alike") >= ALIKE * pl.col("of")))
    return best.filter(pl.col(within).is_unique()).select(*PAIRS)

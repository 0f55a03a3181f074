"""Rescue: a row whose code a spreadsheet program has hurt is given back to the one item it can be."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.reading.grid import Grid

if TYPE_CHECKING:
    from neat_delta.catalogue import Catalogue
    from neat_delta.matching.key import Key
    from neat_delta.matching.rows import Pairing

POWER = re.compile(r"(\d)[.,]?(\d*)[eE]\+?(\d+)")


def bare(code: pl.Expr) -> pl.Expr:
    """What is left of a code when nothing counts that gets lost: spaces, letter case, zeros in front."""
    return code.str.replace_all(r"[\s\u00a0]", "").str.to_lowercase().str.strip_chars_start("0")


def likely_damaged(live: Catalogue, edited: Catalogue, key: Key, pairing: Pairing) -> pl.DataFrame:
    """New rows whose code is that of one gone item but for zeros in front, spaces or letter case (edited, live)."""
    if pairing.new.is_empty() or pairing.gone.is_empty():
        return pl.DataFrame(schema={"edited": pl.UInt32, "live": pl.UInt32})
    sides = []
    for name, catalogue, rows in (("edited", edited, pairing.new), ("live", live, pairing.gone)):
        codes = pl.DataFrame({name: rows, "code": key.values(catalogue, rows)})
        plain = codes.select(name, bare=bare(pl.col("code")))
        sides.append(plain.filter(pl.col("bare").is_unique() & (pl.col("bare") != "")))
    return sides[0].join(sides[1], on="bare", how="inner", maintain_order="left").select("edited", "live")


def rescued_codes(live: Catalogue, edited: Catalogue, key: Key) -> pl.DataFrame:
    """Rows whose damaged code can be that of one item only, which no other row can be (frame of edited, live).

    Looked at are rows whose code no item has, and items that no row names. Codes that differ in spaces, case or zeros
    in front are told by all live codes, not only by those that are left; a power of ten (9.52E+12) by the digits it
    still shows.
    """
    codes = pl.DataFrame({"code": key.values(live)}).with_row_index("live")
    sheet = pl.DataFrame({"code": key.values(edited)}).with_row_index("edited")
    rows = sheet.join(codes, on="code", how="anti", maintain_order="left")
    items = codes.join(sheet, on="code", how="anti", maintain_order="left").unique("code", keep="none")
    every = codes.select(bare=bare(pl.col("code"))).group_by("bare").len()
    alone = every.filter(pl.col("len") == 1).drop("len")
    ours = items.select("live", bare=bare(pl.col("code"))).join(alone, on="bare", how="semi")
    theirs = rows.select("edited", bare=bare(pl.col("code"))).filter(
        pl.col("bare").is_unique() & (pl.col("bare") != "")
    )
    found = pl.concat([theirs.join(ours, on="bare").select("live", "edited"), _powers(rows, items)])
    found = found.filter(pl.col("live").is_unique() & pl.col("edited").is_unique())
    return found.select("edited", "live").sort("edited")


def with_codes_of(live: Catalogue, edited: Catalogue, key: Key, pairs: pl.DataFrame) -> Catalogue:
    """The sheet with the codes of live items in some of its rows (frame of edited, live)."""
    ours = live.cells(key.fields, pairs["live"])
    cells = edited.cells(edited.names)
    for name in key.fields:
        cells = cells.with_columns(cells[name].scatter(pairs["edited"], ours[name]))
    return replace(edited, rows=Grid(edited.rows.line, cells))


def _powers(rows: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Rows whose code became a power of ten, with the only gone item of that length that begins so."""
    found = []
    for row, code in rows.filter(pl.col("code").str.contains(r"^\d[.,]?\d*[eE]\+?\d+$")).iter_rows():
        whole, fraction, power = POWER.fullmatch(code).groups()  # type: ignore[union-attr]
        # The last digit shown may be rounded up, so that it tells nothing.
        shown = (whole + fraction)[:-1] or whole
        like = items.filter(pl.col("code").str.contains(rf"^{shown}\d{{{int(power) + 1 - len(shown)}}}$"))
        if len(like) == 1:
            found.append((like["live"][0], row))
    return pl.DataFrame(found, schema={"live": pl.UInt32, "edited": pl.UInt32}, orient="row")

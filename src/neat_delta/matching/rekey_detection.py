"""A changed code seen in a sheet: a new row and a missing item that are one, by a second identity or by a person.

What else is alike only suggests it.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.schemas import Candidates, Pairs

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.matching.key import Key
    from neat_delta.matching.row_matching import RowMatches
    from neat_delta.tables import Table

# A new row may be a gone item if so large a share of what both say of themselves is the same, in so many fields.
ALIKE, FEWEST_FIELDS = 0.6, 2
MOST_ROWS = 20_000


def match_by_field(live: Table, edited: Table, matches: RowMatches, field: str) -> pl.DataFrame:
    """New rows and gone items that share a value of this field, which nobody else among them has (edited, live)."""
    sides = []
    for name, table, rows in (("edited", edited, matches.new), ("live", live, matches.missing)):
        values = table.cells([field], rows)[field].str.strip_chars()
        frame = pl.DataFrame({name: rows, "value": values}).filter(pl.col("value") != "")
        sides.append(frame.filter(pl.col("value").is_unique()))
    return sides[0].join(sides[1], on="value", maintain_order="left").select("edited", "live")


def split_by_identity(live: Table, edited: Table, matches: RowMatches, field: str) -> RowMatches:
    """The pairing without pairs whose second identity says that they are two: their rows are new, their items gone.

    So are codes seen that items have exchanged, or handed on from one to the next. Only identities that such an item,
    or one without a row, has are taken for the truth; any other is an edit of the field.
    """
    pairs = matches.pairs
    shop_identity = live.cells([field], pairs["live"])[field].str.strip_chars()
    others = edited.cells([field], pairs["edited"])[field].str.strip_chars()
    differing = (shop_identity != others) & (shop_identity != "") & (others != "")
    if not differing.any():
        return matches
    missing = live.cells([field], matches.missing)[field].str.strip_chars()
    identities = pl.concat([shop_identity.filter(differing), missing])
    differing &= others.is_in(identities.implode())
    loose = pairs.filter(differing)
    return replace(
        matches,
        pairs=Pairs.checked(pairs.filter(~differing)),
        new=pl.concat([matches.new, loose["edited"]]),
        missing=pl.concat([matches.missing, loose["live"]]),
    )


def with_free_codes(live: Table, edited: Table, key: Key, pairs: pl.DataFrame) -> pl.DataFrame:
    """Those code changes (edited, live) whose new code no item has, or only one that gets another code as well."""
    while len(pairs):
        new_codes = key.values(edited, pairs["edited"])
        codes = pl.DataFrame({"code": key.values(live)}).with_row_index("row")
        in_use = codes.join(new_codes.to_frame("code"), on="code", how="semi")
        irreversible = in_use.filter(~pl.col("row").is_in(pairs["live"].implode()))["code"]
        free = pairs.filter(~new_codes.is_in(irreversible.implode()))
        if len(free) == len(pairs):
            break
        pairs = free
    return pairs


def match_accepted(live: Table, edited: Table, key: Key, matches: RowMatches, given: pl.DataFrame) -> pl.DataFrame:
    """New rows and gone items that a list of old and new codes (frame of old, new) makes one (edited, live)."""
    new = pl.DataFrame({"edited": matches.new, "new": key.values(edited, matches.new)})
    gone = pl.DataFrame({"live": matches.missing, "old": key.values(live, matches.missing)})
    one_each = given.filter(pl.col("old").is_unique() & pl.col("new").is_unique())
    return new.join(one_each, on="new", maintain_order="left").join(gone, on="old").select("edited", "live")


def suggest_rekeys(live: Table, edited: Table, matches: RowMatches, fields: Sequence[str]) -> pl.DataFrame:
    """New rows and gone items that are alike in most fields and in nobody else (edited, live, alike: in how many)."""
    none = pl.DataFrame(schema=Candidates.dtypes() | {"alike": pl.UInt32})
    if matches.new.is_empty() or matches.missing.is_empty() or len(matches.new) > MOST_ROWS:
        return none
    # A value that only one of each has points at a pair; then all fields of the pair are compared.
    pairs = pl.concat([Candidates.none(), *(match_by_field(live, edited, matches, name) for name in fields)]).unique()
    if pairs.is_empty():
        return none
    shop_cells, others = live.cells(fields, pairs["live"]), edited.cells(fields, pairs["edited"])
    same = [((shop_cells[name] == others[name]) & (shop_cells[name] != "")).cast(pl.UInt32) for name in fields]
    filled = [((shop_cells[name] != "") | (others[name] != "")).cast(pl.UInt32) for name in fields]
    compared = pairs.with_columns(alike=pl.sum_horizontal(same), of=pl.sum_horizontal(filled))
    compared = compared.filter((pl.col("alike") >= FEWEST_FIELDS) & (pl.col("alike") >= ALIKE * pl.col("of")))
    compared = compared.filter(pl.col("edited").is_unique() & pl.col("live").is_unique()).sort("edited")
    return compared.select("edited", "live", "alike")

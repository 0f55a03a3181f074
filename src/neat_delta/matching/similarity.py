"""Unknown codes and the items they may stand for: likeliest candidates, by code and name; never taken by itself.

Comparing each unknown code with each item would take hours. So items are looked up by features that two spellings of
one thing share (a half of the code, its digits, words of the name), the rarest of them, and only what comes up is
compared character by character.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.item_names import fields_label, item_names
from neat_delta.matching.schemas import SuggestionFrame, Suggestions
from neat_delta.tables.roles import named_as

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.matching.key import Key
    from neat_delta.tables import Table

TOP_ROWS = 100
WORDS = r"\p{L}{2,}\W+\p{L}{2,}"
# Beyond so many unknown codes it is the wrong file, or the wrong field.
MOST_UNKNOWN = 5_000
SLICE = 100_000
# A feature that more items share than this tells nothing, and would cost memory.
COMMON = 300
COMPARED = 12
SHOWN = 3
# Likeness from which on a candidate is worth showing, from 0 to 100; codes alone are alike by chance more often.
ALIKE, ALIKE_CODES = 60, 75


def find_name_field(table: Table, key: Key) -> str | None:
    """The field that people call items by: one of such a name, else the first whose values are mostly words."""
    others = [name for name in table.names if name not in key.fields]
    named = next(iter(named_as("name", others)), None)
    if named or not others:
        return named
    top = table.cells(others, pl.int_range(min(len(table), TOP_ROWS), dtype=pl.UInt32, eager=True))
    return next((name for name in others if top[name].str.contains(WORDS).sum() * 2 > len(top)), None)


def suggest_items(
    live: Table, edited: Table, key: Key, rows: pl.Series, named_by: Sequence[str] = ()
) -> SuggestionFrame:
    """For rows of a sheet whose code no item has, the items that are likeliest meant, best first.

    ``named_by`` are the fields by which the sheet names items, if that is not the key.
    At most a few for each row, for many rows none.
    """
    none = Suggestions.none()
    if rows.is_empty() or len(rows) > MOST_UNKNOWN or not len(live):
        return none
    asked = _told(edited, key, rows, ()).rename({"item": "key"})
    shop_items = _told(live, key, None, named_by)
    if named_by:
        asked = asked.with_columns(code=pl.col("code").str.strip_prefix(f"{fields_label(named_by)} "))
    pairs = _worth_comparing(asked, shop_items)
    if pairs.is_empty():
        return none
    suggested = pairs.join(asked.with_row_index("row"), on="row").join(
        shop_items.with_row_index("at"), on="at", suffix="_ours"
    )
    scores = [_likeness(*cells) for cells in suggested.select("code", "code_ours", "name", "name_ours").iter_rows()]
    best = suggested.with_columns(likeness=pl.Series(scores, dtype=pl.UInt8)).filter(pl.col("likeness") > 0)
    best = best.sort("row", "likeness", "at", descending=[False, True, False])
    best = best.group_by("row", maintain_order=True).head(SHOWN)
    return Suggestions.checked(best.select("key", "item", pl.col("name_ours").alias("name"), "likeness"))


def _told(table: Table, key: Key, rows: pl.Series | None, code: Sequence[str]) -> pl.DataFrame:
    """The codes and names of some rows, or of all (frame of item, code, name); blank names are null."""
    items = key.values(table, rows)
    codes = item_names(table, code, rows) if code else items
    name = find_name_field(table, key)
    names = table.cells([name], rows).to_series() if name else pl.Series([""])
    frame = pl.DataFrame({"item": items, "code": codes})
    return frame.with_columns(names.replace("", None).alias("name") if name else pl.lit(None, pl.String).alias("name"))


def _worth_comparing(asked: pl.DataFrame, ours: pl.DataFrame) -> pl.DataFrame:
    """Pairs of positions (row, at) that share rare features, those with the rarest first for each row."""
    asked_features = _features(asked).rename({"at": "row"})
    features = asked_features.select("feature").unique()
    hits = pl.DataFrame(schema={"at": pl.UInt32, "feature": pl.String})
    for start in range(0, len(ours), SLICE):
        part = _features(ours.slice(start, SLICE), start).join(features, on="feature", how="semi")
        hits = pl.concat([hits, part])
        common = hits.group_by("feature").len().filter(pl.col("len") > COMMON).select("feature")
        hits = hits.join(common, on="feature", how="anti")
        features = features.join(common, on="feature", how="anti")
    rarity = hits.group_by("feature").agg(weight=(len(ours) / pl.len()).log() + 1)
    pairs = asked_features.join(hits, on="feature").join(rarity, on="feature")
    scored = pairs.group_by("row", "at").agg(pl.col("weight").sum())
    scored = scored.sort("row", "weight", "at", descending=[False, True, False])
    return scored.group_by("row", maintain_order=True).head(COMPARED).select("row", "at")


def _features(items: pl.DataFrame, start: int = 0) -> pl.DataFrame:
    """What two spellings of one item are likely to share (frame of at, feature): halves of the code, words."""
    bare, length = pl.col("bare"), pl.col("bare").str.len_chars()
    halves = [
        pl.lit("<") + bare.str.head(length // 2),
        pl.lit("<") + bare.str.head((length + 1) // 2),
        pl.lit(">") + bare.str.tail(length // 2),
        pl.lit(">") + bare.str.tail((length + 1) // 2),
        pl.lit("#") + bare.str.extract_all(r"[0-9]").list.join("").str.strip_chars_start("0"),
    ]
    words = pl.col("name").str.to_lowercase().str.extract_all(r"[\p{L}\p{N}]{2,}")
    features = items.select(words=words, bare=pl.col("code").str.to_lowercase().str.replace_all(r"[^\p{L}\p{N}]", ""))
    features = features.with_row_index("at", offset=start)
    of_codes = features.select("at", feature=pl.concat_list(halves)).explode("feature")
    of_names = features.select("at", feature="words").explode("feature")
    return pl.concat([of_codes.filter(pl.col("feature").str.len_chars() > 2), of_names.drop_nulls()]).unique()


def _likeness(code: str, code_ours: str, name: str | None, name_ours: str | None) -> int:
    """How alike two items are, from 0 to 100; 0 where it is too little to tell anything.

    A name that is the same speaks for itself; codes that are alike only together with the name.
    """
    from rapidfuzz import fuzz  # few runs have codes that are unknown

    codes = fuzz.ratio(_plain(code), _plain(code_ours))
    if name is None or name_ours is None:
        return round(codes) if codes >= ALIKE_CODES else 0
    names = fuzz.token_sort_ratio(name.casefold(), name_ours.casefold())
    likeness = max(names, (codes + names) / 2)
    return round(likeness) if likeness >= ALIKE else 0


def _plain(code: str) -> str:
    return "".join(filter(str.isalnum, code.casefold()))

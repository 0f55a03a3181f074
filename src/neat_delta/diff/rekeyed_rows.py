"""Rows of an edited file that are live items under another key."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import CHANGED
from neat_delta.diff.rekey_plan import apply_rekeys, validate
from neat_delta.matching.matched_tables import describe_rows
from neat_delta.matching.rekey_detection import match_accepted, match_by_field, split_by_identity, with_free_codes
from neat_delta.matching.schemas import Pairs

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.matching import RowMatches
    from neat_delta.matching.context import Context
    from neat_delta.matching.matched_tables import MatchedTables


def pair_rekeyed_rows(
    tables: MatchedTables, damaged: pl.DataFrame, identity: str | None, accepted: pl.DataFrame | None
) -> tuple[RowMatches, pl.DataFrame]:
    """The row matches with new rows and missing items paired that are one under another key.

    Args:
        tables: the matched tables.
        damaged: rows whose key is a damaged one, and is no new one (edited, live).
        identity: a field by which an item is known whatever its key.
        accepted: key changes that a person has accepted (old, new).

    Returns:
        the row matches, and the pairs found (edited, live).
    """
    live, edited, key, rows = tables.live, tables.edited, tables.key, tables.rows
    rekeyed = pl.DataFrame(schema={"edited": pl.UInt32, "live": pl.UInt32})
    if identity and identity in live.names and identity in edited.names and identity not in key.fields:
        split = split_by_identity(live, edited, rows, identity)
        rekeyed = pl.concat([rekeyed, match_by_field(live, edited, split, identity)])
    if accepted is not None:
        rekeyed = pl.concat([rekeyed, match_accepted(live, edited, key, rows, accepted)]).unique()
    rekeyed = rekeyed.join(damaged, on=["edited", "live"], how="anti")
    rekeyed = rekeyed.filter(pl.col("edited").is_unique() & pl.col("live").is_unique()).sort("live")
    rekeyed = with_free_codes(live, edited, key, rekeyed)
    return (rows if rekeyed.is_empty() else _with_pairs(rows, rekeyed)), rekeyed


def with_rekeys(
    changes: ChangeSet, tables: MatchedTables, context: Context, rekeyed: pl.DataFrame
) -> tuple[ChangeSet, pl.DataFrame]:
    """The change set with the rows (edited, live) that are live items under another key; what keeps others out."""
    names = describe_rows(tables.live, tables.key, rekeyed["live"])
    names = names.with_columns(line=tables.edited_lines(rekeyed["edited"]), row_state=pl.lit(CHANGED))
    new = tables.key.values(tables.edited, rekeyed["edited"])
    plan = validate(names.select("line", old="key").with_columns(new=new), context)
    rows = names.filter(pl.col("key").is_in(list(plan.to)))
    return apply_rekeys(changes, context, rows, plan.to), plan.findings


def _with_pairs(rows: RowMatches, rekeyed: pl.DataFrame) -> RowMatches:
    rest = rows.pairs.join(rekeyed, on="edited", how="anti", maintain_order="left")
    rest = rest.join(rekeyed, on="live", how="anti", maintain_order="left")
    pairs = pl.concat([rest, rekeyed.select(rows.pairs.columns)]).sort("live")
    taken, given = rekeyed["edited"].implode(), rekeyed["live"].implode()
    new = rows.new.filter(~rows.new.is_in(taken))
    missing = rows.missing.filter(~rows.missing.is_in(given))
    # An item that lost its row to another, and found none, has none.
    bereft = rows.pairs.filter(pl.col("edited").is_in(taken) & ~pl.col("live").is_in(given))["live"]
    return replace(rows, pairs=Pairs.checked(pairs), new=new, missing=pl.concat([missing, bereft]).sort())

"""New rows whose key a spreadsheet program may have changed: they are no new items until somebody has looked."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.diff.row_findings import keys_read_in_two_ways, keys_turned_into_dates
from neat_delta.matching.dated_keys import dated_keys, keys_in_doubt
from neat_delta.matching.key_repair import likely_damaged

if TYPE_CHECKING:
    from neat_delta.matching.matched_tables import MatchedTables


@dataclass(frozen=True)
class UnsureKeys:
    """New rows of which it is unsure which items they are.

    Attributes:
        damaged: those whose key may be a missing item's (edited, live).
        dated: those whose key has become a date or a time.
        read: those whose key may have been typed otherwise (edited, meant).
    """

    damaged: pl.DataFrame
    dated: pl.Series
    read: pl.DataFrame

    @property
    def rows(self) -> pl.Series:
        """All of these rows."""
        return pl.concat([self.damaged["edited"], self.dated, self.read["edited"]]).unique()

    @property
    def of_no_item(self) -> int:
        """How many of them belong to no item that could be named."""
        return len(self.dated) + len(self.read)

    def findings(self, tables: MatchedTables) -> pl.DataFrame:
        """An error for each, but for those that may be a missing item's, which the rows' findings tell."""
        return pl.concat(
            [keys_turned_into_dates(tables, self.dated, self.damaged), keys_read_in_two_ways(tables, self.read)]
        )


def unsure_keys(tables: MatchedTables, repairs: pl.DataFrame) -> UnsureKeys:
    """The new rows whose key is unsure; ``repairs`` are the findings on the keys that were repaired."""
    new = tables.rows.new
    damaged = likely_damaged(tables.live, tables.edited, tables.key, tables.rows)
    dated = dated_keys(tables.live, tables.edited, tables.key, new)
    others = new.filter(~new.is_in(pl.concat([dated, damaged["edited"]]).implode()))
    return UnsureKeys(damaged, dated, keys_in_doubt(tables.live, tables.edited, tables.key, others, repairs))

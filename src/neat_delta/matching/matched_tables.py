"""A live export and an edited file whose columns and rows are matched."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.similarity import find_name_field

if TYPE_CHECKING:
    from neat_delta.matching.column_mapping import ColumnMapping
    from neat_delta.matching.key import Key
    from neat_delta.matching.row_matching import RowMatches
    from neat_delta.tables import Table


@dataclass(frozen=True)
class MatchedTables:
    """The two files, the key, which column is which field, and which row is which item."""

    live: Table
    edited: Table
    key: Key
    columns: ColumnMapping
    rows: RowMatches

    @property
    def fields(self) -> list[str]:
        """The fields whose cells are compared."""
        return [name for name in self.columns.compared if name not in self.key.fields]

    @property
    def plain_fields(self) -> list[str]:
        """Those of them that both files have just so, without columns to append to or remove from."""
        return [name for name in self.columns.shared if name not in self.key.fields]

    def live_lines(self, rows: pl.Series) -> pl.Series:
        """The lines of rows of the live export."""
        return self.live.rows.line.gather(rows)

    def edited_lines(self, rows: pl.Series) -> pl.Series:
        """The lines of rows of the edited file."""
        return self.edited.rows.line.gather(rows)


def describe_rows(table: Table, key: Key, rows: pl.Series) -> pl.DataFrame:
    """What people know rows by: key, line, and name where the file has one (null where not)."""
    name = find_name_field(table, key)
    names = table.cells([name], rows).to_series() if name else pl.repeat(None, len(rows), dtype=pl.String, eager=True)
    return pl.DataFrame({"key": key.values(table, rows), "line": table.rows.line.gather(rows), "name": names})

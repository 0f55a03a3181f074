"""Several values in one cell: tags, pictures, related items."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import polars as pl

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.tables.field_types.field_type import EditedColumn, FieldType, FormatOverrides


@dataclass(frozen=True)
class MultiValue:
    """A kind whose cells hold several values with a separator between them.

    Spaces around a value do not count, nor does an empty one; order counts only if ``ordered``, and without order a
    value counts once.
    """

    single: FieldType
    separator: str
    ordered: bool
    numeric: bool = False

    @property
    def name(self) -> str:
        """The name of the kind of each value."""
        return self.single.name

    @property
    def priority(self) -> int:
        """Such a kind is given, never inferred."""
        return self.single.priority

    @property
    def expected(self) -> str:
        """What a cell should have been."""
        return f"a list with {self.separator!r} between its values, each {self.single.expected}"

    @property
    def matches(self) -> Callable[[pl.Series, str], bool]:
        """Such a kind is given, never inferred."""
        return lambda values, field: False

    def infer_format(self, values: pl.Series, overrides: FormatOverrides | None = None) -> Any:
        """The form of the single values."""
        return self.single.infer_format(self._singles(values)["value"].drop_nulls().unique(), overrides)

    def infer_edited_format(self, sheet: EditedColumn, live_format: Any) -> Any:
        """Lists are written by the live column's form."""
        return live_format

    def normalize(self, cells: pl.Series, form: Any) -> pl.Series:
        """The values' readings, joined; null for a list in which one value cannot be read."""
        singles = self._singles(cells)
        singles = singles.with_columns(reading=self.single.normalize(singles["value"], form))
        return self._joined(singles, len(cells))

    def format(self, readings: pl.Series, cells: pl.Series, form: Any) -> pl.Series:
        """Each value in the live form, in the order of the edited cell."""
        singles = self._singles(cells)
        values = singles["value"]
        singles = singles.with_columns(reading=self.single.format(self.single.normalize(values, form), values, form))
        written = self._joined(singles, len(cells), as_typed=True)
        return (
            pl.DataFrame({"w": written, "r": readings}).select(pl.when(pl.col("r").is_not_null()).then("w")).to_series()
        )

    def _singles(self, cells: pl.Series) -> pl.DataFrame:
        """A row for each value of each cell (at, value), without empty ones; a null for a cell without any."""
        parts = pl.DataFrame({"value": cells.str.split(self.separator)}).with_row_index("at").explode("value")
        return parts.with_columns(pl.col("value").str.strip_chars()).filter(pl.col("value") != "")

    def _joined(self, singles: pl.DataFrame, height: int, *, as_typed: bool = False) -> pl.Series:
        values = pl.col("reading")
        if not self.ordered:
            values = values.unique(maintain_order=True)
        if not self.ordered and not as_typed:
            values = values.sort()
        lists = singles.group_by("at", maintain_order=True).agg(
            joined=values.str.join(self.separator, ignore_nulls=False), unread=pl.col("reading").is_null().any()
        )
        every = pl.DataFrame({"at": pl.int_range(height, dtype=pl.UInt32, eager=True)})
        joined = every.join(lists, on="at", how="left", maintain_order="left")
        return joined.select(pl.when(~pl.col("unread")).then("joined")).to_series()

"""What text, codes, choices, pictures and references have in common: they have one form only."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    import polars as pl

    from neat_delta.tables.field_types.field_type import EditedColumn, FormatOverrides


@dataclass(frozen=True)
class ExactText:
    """A kind compared character by character; ``reading`` gives null where a cell cannot be one.

    A ``tidied`` kind is sent without what does not count in it, such as spaces around a value.
    """

    name: str
    priority: int
    expected: str
    matches: Callable[[pl.Series, str], bool]
    reading: Callable[[pl.Series], pl.Series]
    numeric: bool = False
    tidied: bool = False

    def infer_format(self, values: pl.Series, overrides: FormatOverrides | None = None) -> None:
        """There is one form only."""

    def infer_edited_format(self, sheet: EditedColumn, live_format: None) -> None:
        """There is one form only."""

    def normalize(self, cells: pl.Series, form: None) -> pl.Series:
        """The characters that count."""
        return self.reading(cells)

    def format(self, readings: pl.Series, cells: pl.Series, form: None) -> pl.Series:
        """The edited cell as it is, or tidied to what counts of it."""
        return readings if self.tidied else cells

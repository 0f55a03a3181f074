"""What text, code and gtin have in common: they are sent as they stand, and have one form only."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    import polars as pl

    from neat_delta.catalogue.kinds.kind import SheetForm


@dataclass(frozen=True)
class Verbatim:
    """A kind compared character by character; ``reading`` gives null where a cell cannot be one."""

    name: str
    turn: int
    wants: str
    fits: Callable[[pl.Series, str], bool]
    reading: Callable[[pl.Series], pl.Series]
    numeric: bool = False

    def live_form(self, values: pl.Series) -> None:
        """There is one form only."""

    def sheet_form(self, sheet: SheetForm, live_form: None) -> None:
        """There is one form only."""

    def read(self, cells: pl.Series, form: None) -> pl.Series:
        """The characters that count."""
        return self.reading(cells)

    def write(self, readings: pl.Series, cells: pl.Series, form: None) -> pl.Series:
        """The edited cell as it stands."""
        return cells

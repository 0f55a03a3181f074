"""Text: any characters at all; only line ends inside a cell are a matter of form."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import polars as pl

    from neat_delta.catalogue.kinds.kind import SheetForm


class Text:
    """Names, descriptions and everything that is nothing else."""

    name = "text"
    turn = 90
    wants = "text"
    numeric = False

    def fits(self, values: pl.Series, field: str) -> bool:
        """Everything is text."""
        return True

    def live_form(self, values: pl.Series) -> None:
        """Text has no form of its own."""

    def sheet_form(self, sheet: SheetForm, live_form: None) -> None:
        """Text has no form of its own."""

    def read(self, cells: pl.Series, form: None) -> pl.Series:
        """The text itself, with line feeds as line ends: spreadsheet programs turn the others into these."""
        return cells.str.replace_all("\r\n", "\n", literal=True)

    def write(self, readings: pl.Series, cells: pl.Series, form: None) -> pl.Series:
        """The edited cell as it stands."""
        return cells


KIND = Text()

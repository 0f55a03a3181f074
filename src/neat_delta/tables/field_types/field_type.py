"""What every kind knows: reading, writing and refusing, a column at a time."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol

if TYPE_CHECKING:
    from collections.abc import Callable

    import polars as pl


@dataclass(frozen=True)
class EditedColumn:
    """A column of the edited sheet as evidence for how it is written.

    ``cells`` are its filled cells that differ from the live ones, ``was`` the live cells of the same items;
    ``decimal_separator`` is the one that the rest of the sheet shows, if any. ``whole`` and ``whole_was`` are the
    distinct values of the whole column and of the live one, where some cell may be read in two ways.
    """

    cells: pl.Series
    was: pl.Series
    decimal_separator: str | None
    whole: pl.Series | None = None
    whole_was: pl.Series | None = None


@dataclass(frozen=True)
class FormatOverrides:
    """What is configured for a field's form, whatever its live values show.

    ``decimals``: how many a number has; ``date``: the order of a date's parts, as strftime has them; ``yes`` and
    ``no``: the tokens of a flag; ``decimal_separator``: that of the column's file, for a column that shows none itself.
    """

    decimals: int | None = None
    date: str | None = None
    yes: str | None = None
    no: str | None = None
    decimal_separator: str | None = None


FEW = 64


def sample(values: pl.Series) -> list[str]:
    """Some of a column's values: what must hold for all of them is tried on these first, for most columns fail."""
    return values.head(FEW).to_list()


def sample_matches(values: pl.Series, pattern: str) -> bool:
    """Whether some of a column's values match; for so few, Python's patterns are far faster than those of frames."""
    return all(map(re.compile(pattern).search, sample(values)))


def sample_has_digits(values: pl.Series) -> bool:
    """Whether some of a column's values are all digits and marks: a cheap look at what may be numbers or dates."""
    return sample_matches(values, r"^[0-9.,+/'’%\s\u00a0\u202f-]+$")


def has_any(values: pl.Series, signs: str) -> bool:
    """Whether any of these ASCII characters is in any value; in one text they are found faster than in each."""
    text = values.str.join("").item() or ""
    return any(sign in text for sign in signs)


class FieldType(Protocol):
    """A kind of field.

    A *form* is how one column of one file writes its values (decimal separator, date order, tokens); what it is made of
    is the kind's own affair. A *reading* is a text that is equal for equal values, and null for a cell that cannot
    be read as this kind.
    """

    @property
    def name(self) -> str:
        """What people call it."""

    @property
    def priority(self) -> int:
        """When it is tried as a column's kind is inferred: the pickiest have the lowest turn."""

    @property
    def expected(self) -> str:
        """What a cell should have been, for messages: "a whole number"."""

    @property
    def numeric(self) -> bool:
        """Whether readings are plain decimal numbers, so that differences can be taken."""

    @property
    def matches(self) -> Callable[[pl.Series, str], bool]:
        """Whether a live column's distinct filled values are of this kind; the text is the field's name."""

    def infer_format(self, values: pl.Series, overrides: FormatOverrides | None = None) -> Any:
        """How the live column (its distinct filled values) writes this kind; what is given takes precedence."""

    def infer_edited_format(self, sheet: EditedColumn, live_format: Any) -> Any:
        """How the edited column writes it."""

    def normalize(self, cells: pl.Series, form: Any) -> pl.Series:
        """Readings of cells written in that form."""

    def format(self, readings: pl.Series, cells: pl.Series, form: Any) -> pl.Series:
        """Cells in the live export's form, for readings and the edited cells they were read from."""

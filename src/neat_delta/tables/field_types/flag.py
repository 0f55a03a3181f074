"""Flags: yes or no, in the store's tokens."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types.field_type import sample

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.tables.field_types.field_type import EditedColumn, FormatOverrides

PAIRS = (("1", "0"), ("yes", "no"), ("true", "false"), ("y", "n"), ("on", "off"))
# How spreadsheet programs write TRUE and FALSE in German, French, Italian, Spanish, Portuguese, Dutch, Polish, Czech.
TRUTH = {
    "true": ("wahr", "vrai", "vero", "verdadero", "verdadeiro", "waar", "prawda", "pravda"),
    "false": ("falsch", "faux", "falso", "onwaar", "fałsz", "nepravda"),
}
TRUE = [*(yes for yes, _ in PAIRS), *TRUTH["true"]]
FALSE = [*(no for _, no in PAIRS), *TRUTH["false"]]
# Columns of small numbers that happen to hold nothing but 0 and 1.
QUANTITIES = re.compile(
    r"(^|_)(stock|qty|quantity|count|units|pieces|pcs|min|max|amount|position|sort|order|weight|size|level|number|no)(_|$)"
)


@dataclass(frozen=True)
class FlagFormat:
    """The two tokens of a column, as it writes them."""

    yes: str
    no: str


class Flag:
    """Two-state fields."""

    name = "yes/no"
    priority = 10
    expected = "yes or no (1/0, yes/no, true/false, y/n, on/off)"
    numeric = False

    def matches(self, values: pl.Series, field: str) -> bool:
        """All values are of one pair of tokens.

        For 0 and 1, both must occur, and the name must not speak of quantities: either alone may be a number.
        """
        if len({value.lower() for value in sample(values)}) > len(PAIRS[0]):
            return False
        tokens = values.str.to_lowercase().unique()
        if len(tokens) > len(PAIRS[0]):
            return False
        if set(tokens) & {"1", "0"}:
            return set(tokens) == {"1", "0"} and not QUANTITIES.search(field)
        return any(set(tokens) <= set(pair) for pair in PAIRS)

    def infer_format(self, values: pl.Series, overrides: FormatOverrides | None = None) -> FlagFormat:
        """The tokens given, or the column's; where it shows only one of two, the other in the same letter case."""
        if overrides is not None and overrides.yes is not None and overrides.no is not None:
            return FlagFormat(overrides.yes, overrides.no)
        shown = {token.lower(): token for token in values}
        yes, no = next((pair for pair in PAIRS if set(pair) & set(shown)), PAIRS[0])
        case = _case(next(iter(shown.values()), yes))
        return FlagFormat(shown.get(yes, case(yes)), shown.get(no, case(no)))

    def infer_edited_format(self, sheet: EditedColumn, live_format: FlagFormat) -> FlagFormat:
        """Every known token is understood, so the sheet needs no form of its own."""
        return live_format

    def normalize(self, cells: pl.Series, form: FlagFormat) -> pl.Series:
        """Yes as "1" and no as "0"; null for anything else."""
        token = pl.col("c").str.strip_chars().str.to_lowercase()
        yes, no = form.yes.lower(), form.no.lower()
        # The column's own tokens go before those that everybody understands: in one of them "n" may be yes.
        reading = (
            pl.when(token == yes)
            .then(pl.lit("1"))
            .when(token == no)
            .then(pl.lit("0"))
            .when(token.is_in(TRUE))
            .then(pl.lit("1"))
            .when(token.is_in(FALSE))
            .then(pl.lit("0"))
        )
        return cells.to_frame("c").select(reading).to_series()

    def format(self, readings: pl.Series, cells: pl.Series, form: FlagFormat) -> pl.Series:
        """The live column's tokens."""
        return readings.replace_strict({"1": form.yes, "0": form.no}, default=None, return_dtype=pl.String)


def _case(token: str) -> Callable[[str], str]:
    return str.upper if token.isupper() else str.capitalize if token.istitle() else str.lower


TYPE = Flag()

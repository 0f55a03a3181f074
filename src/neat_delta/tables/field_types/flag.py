"""Flags: yes or no, in the store's tokens."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types.field_type import sample
from neat_delta.tables.roles import speaks_of

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.tables.field_types.field_type import EditedColumn, FormatOverrides

# Words for yes and no: English, then German, French, Spanish, Italian, Dutch, Polish, Portuguese, Swedish and Danish,
# Norwegian, Finnish, Czech, Turkish, Japanese; TRUE and FALSE of spreadsheet programs in these; and for what is active.
PAIRS = (
    *(("1", "0"), ("yes", "no"), ("true", "false"), ("y", "n"), ("on", "off")),
    *(("ja", "nein"), ("oui", "non"), ("sí", "no"), ("si", "no"), ("sì", "no"), ("ja", "nee"), ("tak", "nie")),
    *(("sim", "não"), ("sim", "nao"), ("ja", "nej"), ("ja", "nei"), ("kyllä", "ei"), ("ano", "ne"), ("evet", "hayır")),
    *(("はい", "いいえ"), ("j", "n"), ("o", "n"), ("s", "n"), ("t", "n"), ("a", "n"), ("e", "h")),
    *(("wahr", "falsch"), ("vrai", "faux"), ("vero", "falso"), ("verdadero", "falso"), ("verdadeiro", "falso")),
    *(("waar", "onwaar"), ("prawda", "fałsz"), ("sant", "falskt"), ("sand", "falsk"), ("tosi", "epätosi")),
    *(("pravda", "nepravda"), ("doğru", "yanlış"), ("active", "inactive"), ("aktiv", "inaktiv"), ("actif", "inactif")),
    *(("enabled", "disabled"), ("activo", "inactivo"), ("attivo", "inattivo"), ("有効", "無効"), ("公開", "非公開")),
)
# How spreadsheet programs write TRUE and FALSE in other languages.
TRUTH = {
    "true": (
        "wahr",
        "vrai",
        "vero",
        "verdadero",
        "verdadeiro",
        "waar",
        "prawda",
        "sant",
        "sand",
        "tosi",
        "pravda",
        "doğru",
    ),
    "false": ("falsch", "faux", "falso", "onwaar", "fałsz", "falskt", "falsk", "epätosi", "nepravda", "yanlış"),
}
# A column of just one word is one of yes or no if it is one of these; others are words for other things as well.
LONE = [
    "yes",
    "no",
    "true",
    "false",
    "y",
    "n",
    "on",
    "off",
    "ja",
    "nein",
    "oui",
    "non",
    "tak",
    "nie",
    "sim",
    "não",
    "nej",
    "nei",
    "kyllä",
    "evet",
    "hayır",
    "wahr",
    "falsch",
    "vrai",
    "faux",
]
# One letter says yes or no only beside its own partner: "a" and "e" are sizes and classes elsewhere.
TRUE = [yes for yes, _ in PAIRS if len(yes) > 1 or yes in "1yj" or not yes.isascii()]
FALSE = [no for _, no in PAIRS if len(no) > 1 or no in "0n" or not no.isascii()]
# Columns of small numbers that happen to hold nothing but 0 and 1.
QUANTITIES = re.compile(
    r"(^|_)(stock|qty|quantity|count|units|pieces|pcs|min|max|amount|position|sort|order|weight|size|level|number|no)(_|$)"
)


@dataclass(frozen=True)
class FlagFormat:
    """The two tokens of a column, as it writes them; ``guessed`` is the one that none of its cells shows."""

    yes: str
    no: str
    guessed: str | None = None


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
            return set(tokens) == {"1", "0"} and not (QUANTITIES.search(field) or speaks_of(field, "stock"))
        return any(set(tokens) == set(pair) for pair in PAIRS) or (len(tokens) == 1 and tokens[0] in LONE)

    def infer_format(self, values: pl.Series, overrides: FormatOverrides | None = None) -> FlagFormat:
        """The tokens given, or the column's; where it shows only one of two, the other in the same letter case."""
        if overrides is not None and overrides.yes is not None and overrides.no is not None:
            return FlagFormat(overrides.yes, overrides.no)
        shown = {token.lower(): token for token in values}
        yes, no = max(PAIRS, key=lambda pair: len(set(pair) & set(shown)))
        case = _case(next(iter(shown.values()), yes))
        guessed = None if {yes, no} <= set(shown) else case(yes) if no in shown else case(no)
        return FlagFormat(shown.get(yes, case(yes)), shown.get(no, case(no)), guessed)

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
        """The live column's tokens; for one that it does not show the word as typed, if it is its partner."""
        tokens = readings.replace_strict({"1": form.yes, "0": form.no}, default=None, return_dtype=pl.String)
        if form.guessed is None:
            return tokens
        partners = [word for pair in PAIRS if {form.yes.lower(), form.no.lower()} & set(pair) for word in pair]
        case = _case(form.no if form.guessed == form.yes else form.yes)
        typed = {word: case(word) for word in partners}
        words = cells.str.strip_chars().str.to_lowercase().replace_strict(typed, default=None, return_dtype=pl.String)
        frame = pl.DataFrame({"token": tokens, "typed": words})
        as_typed = pl.when(pl.col("token") == form.guessed).then(pl.coalesce("typed", "token")).otherwise("token")
        return frame.select(as_typed).to_series()


def _case(token: str) -> Callable[[str], str]:
    return str.upper if token.isupper() else str.capitalize if token.istitle() else str.lower


TYPE = Flag()

"""What spreadsheet programs do to texts that are no plain numbers: dates made of codes, formulas run, signs lost."""

from __future__ import annotations

import re
import unicodedata
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.replay.dates import (
    DATE_SHAPES,
    LIKE_A_DATE,
    LIKE_A_TIME,
    TIME_SHAPES,
    is_date_of,
    is_time_of,
    same_moment,
)
from neat_delta.replay.encodings import wrongly_read
from neat_delta.replay.numbers import read_numbers
from neat_delta.tables.corruption import FAILED
from neat_delta.tables.field_types.flag import TRUTH

if TYPE_CHECKING:
    from collections.abc import Callable

WAS, NOW = pl.col("was"), pl.col("now")
SHOWN_DATE, SHOWN_TIME = "|".join(DATE_SHAPES), "|".join(TIME_SHAPES)
MIDNIGHT = r"[ T]00:00(:00(\.0+)?)?$"
# A date with its year in front, with a time or without.
FULL_DATE = r"^[0-9]{4}[-/.][0-9]{1,2}[-/.][0-9]{1,2}([ T][0-9]{1,2}:[0-9]{2}(:[0-9]{2}(\.0+)?)?)?$"
FRACTION = r"^([+-]?)([0-9]{1,9}) ([0-9]{1,5})/([0-9]{1,5})$"
DECIMAL_NUMBER = r"^-?[0-9]+([.,][0-9]+)?$"
# A fraction that never ends is shown with so many decimals at least.
FEWEST_DECIMALS = 5
IN_HUNDREDS = r"^[0-9]{1,3}(,[0-9]{2,3})+$"
TRUE_WORDS = {"true", *TRUTH["true"]}, {"false", *TRUTH["false"]}


def _where(name: str, shows: pl.Expr) -> Callable[[pl.DataFrame], pl.Series]:
    """An effect that an expression over was and now shows."""
    return lambda rows: rows.select(pl.when(shows).then(pl.lit(name))).to_series()


def _each(effect: Callable[[str, str], str | None]) -> Callable[[pl.DataFrame], pl.Series]:
    """An effect that is seen text by text."""
    return lambda rows: pl.Series(
        [effect(was, now) for was, now in rows.select("was", "now").iter_rows()], dtype=pl.String
    )


def _run(was: str, now: str) -> str | None:
    """A formula's value in place of the formula."""
    text = was.strip()[1:].strip('" ').replace('""', '"')
    value = pl.Series([now])
    failed = bool(value.str.contains(FAILED).item())
    is_number = any(read_numbers(value, decimal).item() is not None for decimal in ".,")
    return "formula was run" if text == now or failed or is_number else None


def _as_date(was: str, now: str) -> str | None:
    """A date made of a code, whatever the language."""
    return "code changed into a date" if is_date_of(was, now) else None


def _as_time(was: str, now: str) -> str | None:
    """A time made of a code: the same hour and minute, on a clock of 12 or 24 hours."""
    return "code changed into a time" if is_time_of(was, now) else None


def _date_format(was: str, now: str) -> str | None:
    """A date in another form."""
    return "date format changed" if same_moment(was, now) else None


def _as_number(was: str, now: str) -> str | None:
    """The decimal number of a mixed fraction: 2.75 for 2 3/4."""
    sign, whole, over, under = re.fullmatch(FRACTION, was).groups()  # type: ignore[union-attr]
    try:
        shown = Decimal(now.replace(",", "."))
    except InvalidOperation:
        return None
    if not int(under):
        return None
    value = (int(whole) + Fraction(int(over), int(under))) * (-1 if sign == "-" else 1)
    decimals = -int(shown.as_tuple().exponent)
    exact = Fraction(shown) == value
    near = decimals >= FEWEST_DECIMALS and abs(Fraction(shown) - value) * 10**decimals <= 1
    return "fraction changed into a number" if exact or near else None


def _plain_digits(was: str, now: str) -> str | None:
    """The digits of another script, or of another width."""
    plain = "".join(str(unicodedata.digit(sign)) if sign.isdigit() else sign for sign in was)
    return "digits written otherwise" if plain == now else None


def _plain_spaces(text: pl.Expr) -> pl.Expr:
    """Every white space as a plain one; their number counts, for people do correct double spaces."""
    return text.str.replace_all("\r\n", "\n", literal=True).str.replace_all(r"[\s\u00a0\u202f\u2009]", " ")


def _letters(text: pl.Expr) -> pl.Expr:
    """The ASCII letters and digits, which every encoding keeps."""
    return text.str.replace_all("×", "x", literal=True).str.replace_all("[^A-Za-z0-9]", "")


BEYOND_ASCII = r"[^\x00-\x7f]"
ODD_SPACE = r"[\t\r\n\u00a0\u202f\u2009]"
WORD = WAS.str.to_lowercase()
# Each effect, behind the cells on which it is possible at all: most cells of a file are plain texts, and it is of them
# that there may be many.
EFFECTS: tuple[tuple[pl.Expr, Callable[[pl.DataFrame], pl.Series]], ...] = (
    (
        WAS.str.contains("\t", literal=True),
        _where("tab lost", WAS.str.replace_all("\t", "") == NOW.str.replace_all("\t", "")),
    ),
    (WAS.str.contains(ODD_SPACE), _where("white space changed", _plain_spaces(WAS) == _plain_spaces(NOW))),
    (WAS.str.contains("00:00", literal=True), _where("midnight lost", WAS.str.replace(MIDNIGHT, "") == NOW)),
    (
        WORD.is_in([*TRUE_WORDS[0], *TRUE_WORDS[1]]),
        _where(
            "TRUE/FALSE was translated",
            pl.any_horizontal(
                WORD.is_in(list(words)) & NOW.str.to_lowercase().is_in([*words, number])
                for words, number in zip(TRUE_WORDS, "10", strict=True)
            ),
        ),
    ),
    (WAS.str.contains(r"^\s*=") & ~NOW.str.contains(r"^\s*="), _each(_run)),
    (WAS.str.contains(LIKE_A_TIME) & NOW.str.contains(SHOWN_TIME), _each(_as_time)),
    (WAS.str.contains(FULL_DATE) & NOW.str.contains(FULL_DATE), _each(_date_format)),
    (WAS.str.contains(LIKE_A_DATE) & NOW.str.contains(SHOWN_DATE), _each(_as_date)),
    (WAS.str.contains(FRACTION) & NOW.str.contains(DECIMAL_NUMBER), _each(_as_number)),
    (
        WAS.str.contains(IN_HUNDREDS),
        _where("number format changed", WAS.str.replace_all(",", "", literal=True) == NOW),
    ),
    (WAS.str.contains(r"[^\x00-\x7f]") & WAS.str.contains(r"^\p{N}+$"), _each(_plain_digits)),
    (WAS.str.contains(BEYOND_ASCII) & (_letters(WAS) == _letters(NOW)), _each(wrongly_read)),
)

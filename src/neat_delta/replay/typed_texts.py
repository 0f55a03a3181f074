"""What a person may have typed where a spreadsheet program shows a number: 417 may be 000417 in a column of such codes.

Each loss is read back with the forms that the live column has. What fits none of them was typed as it stands.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from functools import cached_property
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    import polars as pl

# What a program makes of numbers, times and dates, whatever was typed.
SHOWN = r"^-?[0-9]+([.,][0-9]+)?([eE]\+?[0-9]+)?$|[0-9]:[0-9]{2}:00|^[0-9]{4}-[0-9]{2}-[0-9]{2}$"
DIGITS, ZERO_IN_FRONT = r"^[0-9]+$", r"^0[0-9]+$"
DECIMALS, ZERO_BEHIND = r"^-?[0-9]+[.,]([0-9]+)$", r"^-?[0-9]+[.,][0-9]*0$"
PLUS, POWER = r"^\+[0-9]+$", r"^[0-9]+[eE][0-9]+$"
HOURS, UNPADDED_DATE = r"^[0-9]{1,2}:[0-9]{1,2}$", r"^[0-9]{4}-(?:[0-9]-[0-9]{1,2}|[0-9]{1,2}-[0-9])$"
TIME_OF_DAY = r"(?:(\D+) ?)?([0-9]{1,2}):([0-9]{2}):00(?: ?(\D+))?"
AFTERNOON = ("pm", "p.m.", "午後", "下午", "오후", "μμ", "μ.μ.", "chiều", "ch")
MIXED_FRACTION = r"^[0-9]+ [0-9]+/[0-9]+$"
LEAST_WIDTH, FEWEST_ALIKE = 3, 20


class LiveForms:
    """The forms of the values that a column of the shop has (its distinct filled texts); each is looked for once."""

    def __init__(self, values: pl.Series) -> None:
        self.values = values.str.strip_chars()

    def like(self, pattern: str) -> pl.Series:
        """The values of a form."""
        return self.values.filter(self.values.str.contains(pattern))

    @cached_property
    def widths(self) -> set[int]:
        """How long values of digits with zeros in front are."""
        return set(self.like(ZERO_IN_FRONT).str.len_chars())

    @cached_property
    def zeros(self) -> set[int]:
        """How many zeros such values have in front."""
        return set(self.like(ZERO_IN_FRONT).str.extract("^(0+)").str.len_chars())

    @cached_property
    def plain_lengths(self) -> set[int]:
        """How long the values of digits without a zero in front are."""
        return set(self.like(r"^[1-9][0-9]*$").str.len_chars())

    @cached_property
    def common_width(self) -> int | None:
        """How long all values are, where they are many, all of digits, and of one length."""
        lengths = self.values.str.len_chars()
        digits = len(self.values) >= FEWEST_ALIKE and self.values.str.contains(DIGITS).all()
        return int(lengths[0]) if digits and lengths.n_unique() == 1 and lengths[0] >= LEAST_WIDTH else None

    @cached_property
    def places(self) -> set[int]:
        """How many decimals values have that end in a zero."""
        return set(self.like(ZERO_BEHIND).str.extract(DECIMALS).str.len_chars())

    @cached_property
    def places_of_others(self) -> set[int]:
        """How many decimals the other numbers have."""
        others = self.like(r"^-?[0-9]+([.,][0-9]*[1-9])?$")
        return set(others.str.extract(DECIMALS).fill_null("").str.len_chars())

    @cached_property
    def mark(self) -> str:
        """The decimal separator of the values."""
        return "," if len(self.like(r"^-?[0-9]+,[0-9]+$")) > len(self.like(r"^-?[0-9]+\.[0-9]+$")) else "."

    @cached_property
    def powers(self) -> set[tuple[int, int, str]]:
        """Codes such as 12E5, each by the lengths of its two numbers and its letter."""
        parts = [re.split("([eE])", code) for code in self.like(POWER)]
        return {(len(front), len(behind), letter) for front, letter, behind in parts}

    @cached_property
    def denominators(self) -> set[int]:
        """The numbers under the line of mixed fractions."""
        return {int(text) for text in self.like(MIXED_FRACTION).str.extract(r"/([0-9]+)$")} - {0}


@dataclass(frozen=True)
class Readings:
    """What may have been typed: the texts, and whether the text that is there may be one of them."""

    texts: tuple[str, ...]
    as_it_stands: bool


NONE = Readings((), as_it_stands=True)


def _zeros_in_front(text: str, live: LiveForms) -> Readings:
    if not re.fullmatch("[1-9][0-9]*", text):
        return NONE
    length = len(text)
    if not live.widths:
        width = live.common_width
        return Readings((text.zfill(width),), as_it_stands=True) if width and length < width else NONE
    if len(live.widths) == 1:
        padded = [text.zfill(width) for width in live.widths if width > length]
    else:
        padded = ["0" * zeros + text for zeros in sorted(live.zeros) if zeros + length in live.widths]
        if not padded and length < max(live.widths) and length not in live.plain_lengths:
            # As long as no value is, so nobody knows.
            return Readings(tuple("0" * zeros + text for zeros in sorted(live.zeros)), as_it_stands=True)
    return Readings(tuple(padded), length in live.plain_lengths) if padded else NONE


def _zeros_behind(text: str, live: LiveForms) -> Readings:
    if not re.fullmatch(r"-?[0-9]+([.,][0-9]*[1-9])?", text):
        return NONE
    whole, _, fraction = text.replace(",", ".").partition(".")
    padded = [f"{whole}{live.mark}{fraction.ljust(places, '0')}" for places in live.places if places > len(fraction)]
    return Readings(tuple(sorted(padded)), len(fraction) in live.places_of_others) if padded else NONE


def _plus(text: str, live: LiveForms) -> Readings:
    plain = re.fullmatch("[1-9][0-9]*", text) and len(live.like(PLUS))
    return Readings((f"+{text}",), bool(live.plain_lengths)) if plain else NONE


def _power(text: str, live: LiveForms) -> Readings:
    try:
        value = Decimal(text.replace(",", "."))
    except InvalidOperation:
        return NONE
    if not live.powers or not value or value != value.to_integral_value():
        return NONE
    digits = format(value, "f").partition(".")[0]
    front = digits.rstrip("0")
    zeros = len(digits) - len(front)
    codes = [
        (f"{front}{'0' * more}", letter, str(zeros - more))
        for more in range(zeros)
        for _, __, letter in sorted(live.powers)
    ]
    fitting = {a + letter + b for a, letter, b in codes if (len(a), len(b), letter) in live.powers}
    plain = "e" not in text.lower() and len(text) in live.plain_lengths
    return Readings(tuple(sorted(fitting)), plain) if fitting else NONE


def _fraction(text: str, live: LiveForms) -> Readings:
    if not re.fullmatch("[0-9]+[.,][0-9]+", text):
        return NONE
    value = Fraction(text.replace(",", "."))
    whole, rest = divmod(value, 1)
    written = [
        f"{whole} {rest * under}/{under}" for under in sorted(live.denominators) if (rest * under).denominator == 1
    ]
    return Readings(tuple(written), as_it_stands=False) if written else NONE


def _time(text: str, live: LiveForms) -> Readings:
    parts = re.fullmatch(TIME_OF_DAY, text)
    if not parts or not len(live.like(HOURS)):
        return NONE
    in_front, hours, minutes, behind = parts.groups()
    half = (in_front or behind or "").strip().lower()
    hour = int(hours) % 12 + 12 * (half in AFTERNOON) if half else int(hours)
    padded = len(live.like("^0[0-9]:")) > 0
    short = len(live.like(r":[0-9]$")) > 0 and int(minutes) < 10
    start = f"{hour:02}" if padded else str(hour)
    return Readings((f"{start}:{int(minutes) if short else minutes}",), as_it_stands=False)


def _date(text: str, live: LiveForms) -> Readings:
    if not re.fullmatch("[0-9]{4}-[0-9]{2}-[0-9]{2}", text) or "-0" not in text or not len(live.like(UNPADDED_DATE)):
        return NONE
    return Readings((text.replace("-0", "-"),), as_it_stands=len(live.like("^[0-9]{4}-.*0[1-9]")) > 0)


# What a program does to a column, and what may have been typed into it then.
LOSSES: dict[str, Callable[[str, LiveForms], Readings]] = {
    "leading zeros lost": _zeros_in_front,
    "trailing zeros lost": _zeros_behind,
    "plus sign lost": _plus,
    "code read as scientific notation": _power,
    "fraction changed into a number": _fraction,
    "code changed into a time": _time,
    "date format changed": _date,
}
# The forms that no value of the file has any more after it.
GONE = {
    "leading zeros lost": ZERO_IN_FRONT,
    "trailing zeros lost": ZERO_BEHIND,
    "plus sign lost": PLUS,
    "code read as scientific notation": POWER,
    "fraction changed into a number": MIXED_FRACTION,
    "code changed into a time": HOURS,
    "date format changed": UNPADDED_DATE,
}


def losses_of(live: LiveForms, edited: Callable[[], pl.Series], happened: set[str]) -> Iterator[str]:
    """The losses that a column has suffered: the file has suffered them, and the form is gone from it.

    Args:
        live: the forms that the column has in the shop.
        edited: gives the distinct texts of the column in the file.
        happened: what a program has done to cells of the file, in any column.
    """
    for loss in LOSSES.keys() & happened:
        has_form = len(live.like(GONE[loss])) or (loss == "leading zeros lost" and live.common_width)
        if has_form and not edited().str.strip_chars().str.contains(GONE[loss]).any():
            yield loss


def readings_of(text: str, live: LiveForms, losses: set[str]) -> Readings:
    """What a person may have typed into a column with these losses, where ``text`` is shown."""
    each = [LOSSES[loss](text.strip(), live) for loss in sorted(losses)]
    fitting = [one for one in each if one.texts]
    if not fitting:
        return NONE
    texts = tuple(dict.fromkeys(text for one in fitting for text in one.texts))
    return Readings(texts, all(one.as_it_stands for one in fitting))

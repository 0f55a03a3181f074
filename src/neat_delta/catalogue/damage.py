"""Marks that a spreadsheet program leaves on values, as far as one file alone shows them."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.catalogue.profile import ColumnProfile

# What a cell holds when its formula has failed, in English and German programs.
FAILED = r"^#(N/A|NV|REF!|BEZUG!|VALUE!|WERT!|DIV/0!|NAME\?|NUM!|ZAHL!|NULL!|SPILL!)$"
FORMULA = r"^=\s*[\w(\"'+-]"
# UTF-8 read as Windows-1252: every accent becomes two signs.
DOUBLED = r"[ÂÃ][\u0080-\u00bf‚ƒ„…†‡ˆ‰Š‹Œ]|â€"
LOST_SIGN = r"\p{L}\?\p{L}|\ufffd"
POWER_OF_TEN = r"^[+-]?\d+([.,]\d+)?[eE]\+?\d+$"
DAY = r"^(\d{1,2}[./]\d{1,2}[./]\d{2,4}|\d{1,2}-(Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)|(Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)-\d{2})$"  # noqa: E501
NUMBER = r"^[+-]?[\d.,' \u00a0\u202f]*\d$"
OUTER_SPACE = r"^[\s\u00a0]|[\s\u00a0]$"
ANY_SIGN = rf"^[#=\s\u00a0]|[\s\u00a0]$|[?ÂÃ\ufffd]|â€|{POWER_OF_TEN}|{DAY}"
# Where programs and importers cut long texts off.
CUTS = (255, 32_767)
FEW = 0.1


@dataclass(frozen=True)
class Mark:
    """One sort of damage: which of a column's distinct filled values (and their kind's name) show it.

    ``pattern`` ones show it by one of the signs of ``ANY_SIGN``.
    """

    check: str
    say: str
    shows: Callable[[pl.Series, str], pl.Series]
    pattern: bool = False


def damage_in(columns: Sequence[ColumnProfile]) -> pl.DataFrame:
    """Marks on all columns of a table; see ``damage_marks``."""
    # One column's patterns are one thread's work, and the longest work goes first.
    with ThreadPoolExecutor() as workers:
        by_size = sorted(columns, key=lambda column: -len(column.values))
        marks = workers.map(lambda column: damage_marks(column.values, column.field, column.kind), by_size)
        found = {column.field: told for column, told in zip(by_size, marks, strict=True)}
    return pl.concat([pl.DataFrame(schema=SCHEMA), *(found[column.field] for column in columns)])


def damage_marks(values: pl.DataFrame, field: str, kind: str) -> pl.DataFrame:
    """Marks on one column, given by its distinct filled values and their counts (frame of value, count).

    Returns a frame of check, field, value (an example), cells (how many), say.
    """
    found = []
    # One pattern for all tells whether it is worth trying the single ones, which is seldom so.
    signs = bool(values["value"].str.contains(ANY_SIGN).any())
    for mark in MARKS:
        if mark.pattern and not signs:
            continue
        hit = values.filter(mark.shows(values["value"], kind))
        if len(hit):
            found.append((mark.check, field, hit["value"][0], int(hit["count"].sum()), mark.say))
    return pl.DataFrame(found, schema=SCHEMA, orient="row")


SCHEMA = {"check": pl.String, "field": pl.String, "value": pl.String, "cells": pl.UInt32, "say": pl.String}


def _matching(pattern: str) -> Callable[[pl.Series, str], pl.Series]:
    return lambda values, kind: values.str.contains(pattern)


def _nowhere(values: pl.Series) -> pl.Series:
    return pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)


def _powers(values: pl.Series, kind: str) -> pl.Series:
    """Powers of ten, unless the column is one of numbers or such codes are usual in it."""
    powers = values.str.contains(POWER_OF_TEN)
    usual = kind in ("money", "number") or powers.sum() > FEW * len(values)
    return _nowhere(values) if usual else powers


def _days(values: pl.Series, kind: str) -> pl.Series:
    """Days among values that are mostly something else."""
    days = values.str.contains(DAY)
    return days if days.sum() < FEW * len(values) else _nowhere(values)


def _cut_off(values: pl.Series, kind: str) -> pl.Series:
    """The longest texts of a column, if they are just as long as a known limit."""
    lengths = values.str.len_chars()
    longest = lengths.max()
    return lengths == longest if longest in CUTS else _nowhere(values)


def _shortened(values: pl.Series, kind: str) -> pl.Series:
    """Shorter numbers in a column whose numbers have one length and zeros in front."""
    if not _mostly_numbers_at_best(values) or values.str.len_bytes().n_unique() < 2:
        return _nowhere(values)
    digits = values.str.contains(r"^\d+$")
    lengths = values.filter(digits).str.len_chars()
    if lengths.is_empty() or digits.sum() < (1 - FEW) * len(values):
        return _nowhere(values)
    usual = int(lengths.mode().max())  # type: ignore[arg-type]
    zeros = (values.str.starts_with("0") & (values.str.len_chars() == usual)).any()
    shorter = digits & (values.str.len_chars() < usual) & ~values.str.starts_with("0")
    return shorter if zeros and usual > 1 and shorter.sum() < FEW * len(values) else _nowhere(values)


def _mostly_numbers_at_best(values: pl.Series) -> bool:
    """Whether most values begin with no letter, without which they cannot be numbers; far cheaper than a pattern."""
    return int(((values < ":") | (values >= "\u00a0")).sum()) > (1 - FEW) * len(values)


def _no_number(values: pl.Series, kind: str) -> pl.Series:
    """Values without a digit in front among values that are nearly all numbers."""
    if not _mostly_numbers_at_best(values):
        return _nowhere(values)
    numbers = values.str.contains(NUMBER)
    return ~numbers if (1 - FEW / 2) * len(values) < numbers.sum() < len(values) else _nowhere(values)


MARKS = (
    Mark("failed formula", "a formula has failed here; the value behind it is lost", _matching(FAILED), pattern=True),
    Mark("formula text", "this is a formula rather than its value", _matching(FORMULA), pattern=True),
    Mark("power of ten", "a long code was turned into a power of ten; its digits are lost", _powers, pattern=True),
    Mark(
        "code turned date",
        "among values of another sort this looks like a code turned into a date",
        _days,
        pattern=True,
    ),
    Mark("lost zeros", "shorter than the others: zeros in front may be lost", _shortened),
    Mark("no number", "nearly all other values of this column are numbers", _no_number),
    Mark(
        "doubled accents",
        "accents read in the wrong character set (UTF-8 as Windows-1252)",
        _matching(DOUBLED),
        pattern=True,
    ),
    Mark("lost characters", "a question mark stands where a letter was", _matching(LOST_SIGN), pattern=True),
    Mark("cut off", "as long as programs allow: the end may be missing", _cut_off),
    Mark("outer spaces", "spaces in front or behind; they count", _matching(OUTER_SPACE), pattern=True),
)

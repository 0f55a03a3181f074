"""Marks that a spreadsheet program leaves on values, as far as one file alone shows them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.profile import of_each_column
from neat_delta.tables.schemas import DamageFrame, DamageMarks

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.tables.profile import ColumnProfile
    from neat_delta.tables.settings import Settings
    from neat_delta.tables.table import Table

# What a cell holds when its formula has failed, in any language: #REF!, #NAME?, #N/A, #NV, Err:509.
FAILED = r"^(#(N/[A-Z]{1,3}|NV|¡?[\p{Lu}0-9/]+[!?])|Err:[0-9]{3})$"
FORMULA = r"^=\s*[\w(\"'+-]"
# UTF-8 read as Windows-1252: every accent becomes two signs.
DOUBLED = r"[ÂÃ][\u0080-\u00bf‚ƒ„…†‡ˆ‰Š‹Œ]|â€"
LOST_SIGN = r"\p{L}\?\p{L}|\ufffd"
POWER_OF_TEN = r"^[+-]?[0-9]+([.,][0-9]+)?[eE]\+?[0-9]+$"
DAY = r"^([0-9]{1,2}[./][0-9]{1,2}[./][0-9]{2,4}|[0-9]{1,2}-(Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)|(Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)-[0-9]{2})$"  # noqa: E501
NUMBER = r"^[+-]?[0-9.,' \u00a0\u202f]*[0-9]$"
OUTER_SPACE = r"^[\s\u00a0]|[\s\u00a0]$"
ANY_SIGN = rf"^[#=\s\u00a0]|^Err:|[\s\u00a0]$|[?ÂÃ\ufffd]|â€|{POWER_OF_TEN}|{DAY}"
# Where programs and importers cut long texts off.
CUTS = (255, 32_767)
FEW = 0.1


class ColumnStats:
    """What one column shows: its distinct filled values and its kind's name; what several marks ask is asked once."""

    def __init__(self, values: pl.Series, kind: str) -> None:
        self.values = values
        self.type = kind

    @cached_property
    def signs(self) -> bool:
        """Whether any of the patterns' signs is there, which is seldom so: one pattern instead of seven."""
        return bool(self.values.str.contains(ANY_SIGN).any())

    @cached_property
    def lengths(self) -> pl.Series:
        """How many characters each value has."""
        return self.values.str.len_chars()

    @cached_property
    def mostly_numbers_at_best(self) -> bool:
        """Whether most begin with no letter, without which they cannot be numbers; far cheaper than a pattern."""
        return int(((self.values < ":") | (self.values >= "\u00a0")).sum()) > (1 - FEW) * len(self.values)


@dataclass(frozen=True)
class CorruptionRule:
    """One sort of damage: which of a column's values show it; ``None`` where none can."""

    check: str
    say: str
    matches: Callable[[ColumnStats], pl.Series | None]


def profile_with_corruption(table: Table, settings: Settings) -> tuple[list[ColumnProfile], DamageFrame]:
    """Every column of a table, and the marks on all of them; see ``damage_marks``."""

    def of(column: ColumnProfile) -> tuple[ColumnProfile, pl.DataFrame]:
        return column, find_corruption(column.values, column.field, column.type)

    columns = of_each_column(table, settings, of)
    every = pl.concat([DamageMarks.none(), *(marks for _, marks in columns)])
    return [column for column, _ in columns], DamageMarks.checked(every)


def find_corruption(values: pl.DataFrame, field: str, kind: str) -> DamageFrame:
    """Marks on one column, given by its distinct filled values and their counts (frame of value, count)."""
    marks = []
    column = ColumnStats(values["value"], kind)
    for separator in CORRUPTION_RULES:
        shown = separator.matches(column)
        if shown is not None and shown.any():
            hit = values.filter(shown)
            often = hit.filter(pl.col("count") == pl.col("count").max())
            marks.append((separator.check, field, often["value"].min(), int(hit["count"].sum()), separator.say))
    return DamageMarks.checked(pl.DataFrame(marks, schema=DamageMarks.dtypes(), orient="row"))


def _matching(pattern: str) -> Callable[[ColumnStats], pl.Series | None]:
    return lambda column: column.values.str.contains(pattern) if column.signs else None


def _powers(column: ColumnStats) -> pl.Series | None:
    """Powers of ten, unless the column is one of numbers or such codes are usual in it."""
    if not column.signs or column.type in ("price", "number"):
        return None
    powers = column.values.str.contains(POWER_OF_TEN)
    return powers if powers.sum() <= FEW * len(powers) else None


def _days(column: ColumnStats) -> pl.Series | None:
    """Days among values that are mostly something else."""
    if not column.signs:
        return None
    days = column.values.str.contains(DAY)
    return days if days.sum() < FEW * len(days) else None


def _cut_off(column: ColumnStats) -> pl.Series | None:
    """The longest texts of a column, if they are just as long as a known limit."""
    longest = column.lengths.max()
    return column.lengths == longest if longest in CUTS else None


def _shortened(column: ColumnStats) -> pl.Series | None:
    """Shorter numbers in a column whose numbers have one length and zeros in front."""
    values = column.values
    if not column.mostly_numbers_at_best or column.lengths.min() == column.lengths.max():
        return None
    digits = values.str.contains(r"^[0-9]+$")
    if values.is_empty() or digits.sum() < (1 - FEW) * len(values):
        return None
    usual = int(column.lengths.filter(digits).mode().max())  # type: ignore[arg-type]
    zeros = (values.str.starts_with("0") & (column.lengths == usual)).any()
    shorter = digits & (column.lengths < usual) & ~values.str.starts_with("0")
    return shorter if zeros and usual > 1 and shorter.sum() < FEW * len(values) else None


def _no_number(column: ColumnStats) -> pl.Series | None:
    """Values without a digit in front among values that are nearly all numbers."""
    if not column.mostly_numbers_at_best:
        return None
    if not column.values.cast(pl.UInt64, strict=False).has_nulls():  # nothing but digits, as in columns of barcodes
        return None
    numbers = column.values.str.contains(NUMBER)
    return ~numbers if (1 - FEW / 2) * len(numbers) < numbers.sum() < len(numbers) else None


CORRUPTION_RULES = (
    CorruptionRule("formula error", "formula error; the value is lost", _matching(FAILED)),
    CorruptionRule("formula", "a formula instead of its value", _matching(FORMULA)),
    CorruptionRule("scientific notation", "long code in scientific notation; its digits are lost", _powers),
    CorruptionRule(
        "code changed to date",
        "looks like a code changed into a date",
        _days,
    ),
    CorruptionRule("lost zeros", "shorter than the others: leading zeros lost?", _shortened),
    CorruptionRule("not a number", "not a number, unlike nearly all other values", _no_number),
    CorruptionRule(
        "broken accents",
        "broken accents: UTF-8 read as Windows-1252",
        _matching(DOUBLED),
    ),
    CorruptionRule("lost letters", "a question mark instead of a letter", _matching(LOST_SIGN)),
    CorruptionRule("cut off", "as long as programs allow: cut off?", _cut_off),
    CorruptionRule("leading or trailing spaces", "leading or trailing spaces", _matching(OUTER_SPACE)),
)

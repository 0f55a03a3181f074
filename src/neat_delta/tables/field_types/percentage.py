"""Shares: rates and discounts in per cent, written 19, 19 %, or as a part of one, 0.19."""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types.field_type import EditedColumn, sample_matches
from neat_delta.tables.field_types.number_parsing import (
    NumberFormat,
    format_numbers,
    infer_edited_number_format,
    infer_number_format,
    normalize_numbers,
)

if TYPE_CHECKING:
    from neat_delta.tables.field_types.field_type import FormatOverrides

NAMES = re.compile(r"(^|_)(per_?cent|percentage|pct|share)(_|$)")
SIGN = "[ \u00a0\u202f]?%$"
# Some languages write it in front: %20,00.
IN_FRONT = "^%[ \u00a0\u202f]?"
# Room for any share that people write, with every digit kept.
EXACT = pl.Decimal(38, 18)


@dataclass(frozen=True)
class PercentageFormat:
    """How a column writes shares: its numbers, what is behind them, and whether they are parts of one."""

    number: NumberFormat
    sign: str = ""
    part_of_one: bool = False

    @property
    def decimal_separator(self) -> str | None:
        """The decimal separator."""
        return self.number.decimal_separator

    @property
    def decimals(self) -> int | None:
        """The number of decimals."""
        return self.number.decimals


class Percentage:
    """Per cents; a reading is the number of hundredths, as plain decimal text."""

    name = "percent"
    priority = 28
    expected = "a percentage (such as 19 %)"
    numeric = True

    def matches(self, values: pl.Series, field: str) -> bool:
        """Numbers that all have a per cent sign, or that stand in a field whose name speaks of per cent."""
        signed = sample_matches(values, SIGN) and values.str.contains(SIGN).all()
        if not signed and not NAMES.search(field):
            return False
        return not normalize_numbers(_bare(values), infer_number_format(_bare(values))).has_nulls()

    def infer_format(self, values: pl.Series, overrides: FormatOverrides | None = None) -> PercentageFormat:
        """The column's form; without any sign, values up to one with decimals are parts of one."""
        signs = values.str.extract(f"({SIGN})").drop_nulls()
        number = infer_number_format(_bare(values), overrides)
        sign = str(signs.mode()[0]) if len(signs) else ""
        numbers = normalize_numbers(_bare(values), number).cast(EXACT, strict=False)
        parts = not sign and len(numbers) > 0 and bool((numbers.abs() <= 1).all() and (numbers % 1 != 0).any())
        return PercentageFormat(number, sign, parts)

    def infer_edited_format(self, sheet: EditedColumn, live_format: PercentageFormat) -> PercentageFormat:
        """Cells without a sign are what makes most of them live values; the live column's form if tied."""
        whole, whole_was = (None if all_of is None else _bare(all_of) for all_of in (sheet.whole, sheet.whole_was))
        bare = EditedColumn(_bare(sheet.cells), _bare(sheet.was), sheet.decimal_separator, whole, whole_was)
        number = infer_edited_number_format(bare, live_format.number)
        cells = sheet.cells if sheet.whole is None else sheet.whole
        was = sheet.was if sheet.whole_was is None else sheet.whole_was
        numbers = self.normalize(was, live_format).drop_nulls()
        plain = cells.filter(~cells.str.contains(SIGN))
        alike = {
            part: int(self.normalize(plain, PercentageFormat(number, "", part)).is_in(numbers.implode()).sum())
            for part in (False, True)
        }
        part = live_format.part_of_one if alike[True] == alike[False] else alike[True] > alike[False]
        return PercentageFormat(number, "", part)

    def normalize(self, cells: pl.Series, form: PercentageFormat) -> pl.Series:
        """Per cents as plain decimal text; a cell with a sign is in per cent whatever the others are."""
        numbers = normalize_numbers(_bare(cells), form.number)
        if not form.part_of_one:
            return numbers
        signed = cells.str.contains(f"{SIGN}|{IN_FRONT}")
        return numbers.zip_with(signed, _times(numbers, Decimal(100)))

    def format(self, readings: pl.Series, cells: pl.Series, form: PercentageFormat) -> pl.Series:
        """Shares in the live column's form."""
        numbers = _times(readings, Decimal("0.01")) if form.part_of_one else readings
        return format_numbers(numbers, form.number) + form.sign


def _bare(cells: pl.Series) -> pl.Series:
    return cells.str.strip_chars().str.replace(SIGN, "").str.replace(IN_FRONT, "")


def _times(numbers: pl.Series, factor: Decimal) -> pl.Series:
    """Plain decimal texts, multiplied exactly."""
    exact = pl.col("n").cast(EXACT, strict=False) * pl.lit(factor)
    return normalize_numbers(
        numbers.to_frame("n").select(exact.cast(EXACT).cast(pl.String)).to_series(), NumberFormat(".")
    )


TYPE = Percentage()

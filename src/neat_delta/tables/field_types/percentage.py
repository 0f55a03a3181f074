"""Shares: rates and discounts in per cent, written 19, 19 %, or as a part of one, 0.19."""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types.field_type import SheetForm, few_match
from neat_delta.tables.field_types.number_parsing import (
    NumberForm,
    live_number_form,
    read_numbers,
    sheet_number_form,
    write_numbers,
)

if TYPE_CHECKING:
    from neat_delta.tables.field_types.field_type import FormSettings

NAMES = re.compile(r"(^|_)(per_?cent|percentage|pct|share)(_|$)")
SIGN = "[ \u00a0\u202f]?%$"
# Room for any share that people write, with every digit kept.
EXACT = pl.Decimal(38, 18)


@dataclass(frozen=True)
class ShareForm:
    """How a column writes shares: its numbers, what stands behind them, and whether they are parts of one."""

    number: NumberForm
    sign: str = ""
    part_of_one: bool = False

    @property
    def mark(self) -> str | None:
        """The decimal mark."""
        return self.number.mark

    @property
    def decimals(self) -> int | None:
        """The number of decimals."""
        return self.number.decimals


class Share:
    """Per cents; a reading is the number of hundredths, as plain decimal text."""

    name = "share"
    turn = 28
    wants = "a share in per cent (such as 19 %)"
    numeric = True

    def fits(self, values: pl.Series, field: str) -> bool:
        """Numbers that all have a per cent sign, or that stand in a field whose name speaks of per cent."""
        signed = few_match(values, SIGN) and values.str.contains(SIGN).all()
        if not signed and not NAMES.search(field):
            return False
        return not read_numbers(_bare(values), live_number_form(_bare(values))).has_nulls()

    def live_form(self, values: pl.Series, told: FormSettings | None = None) -> ShareForm:
        """The column's form; without any sign, values up to one with decimals are parts of one."""
        signs = values.str.extract(f"({SIGN})").drop_nulls()
        number = live_number_form(_bare(values), told)
        sign = str(signs.mode()[0]) if len(signs) else ""
        numbers = read_numbers(_bare(values), number).cast(EXACT, strict=False)
        parts = not sign and len(numbers) > 0 and bool((numbers.abs() <= 1).all() and (numbers % 1 != 0).any())
        return ShareForm(number, sign, parts)

    def sheet_form(self, sheet: SheetForm, live_form: ShareForm) -> ShareForm:
        """Cells without a sign are what makes most of them live values; the live column's form if tied."""
        whole, whole_was = (None if all_of is None else _bare(all_of) for all_of in (sheet.whole, sheet.whole_was))
        bare = SheetForm(_bare(sheet.cells), _bare(sheet.was), sheet.mark, whole, whole_was)
        number = sheet_number_form(bare, live_form.number)
        cells = sheet.cells if sheet.whole is None else sheet.whole
        was = sheet.was if sheet.whole_was is None else sheet.whole_was
        known = self.read(was, live_form).drop_nulls()
        plain = cells.filter(~cells.str.contains(SIGN))
        alike = {
            part: int(self.read(plain, ShareForm(number, "", part)).is_in(known.implode()).sum())
            for part in (False, True)
        }
        part = live_form.part_of_one if alike[True] == alike[False] else alike[True] > alike[False]
        return ShareForm(number, "", part)

    def read(self, cells: pl.Series, form: ShareForm) -> pl.Series:
        """Per cents as plain decimal text; a cell with a sign is in per cent whatever the others are."""
        numbers = read_numbers(_bare(cells), form.number)
        if not form.part_of_one:
            return numbers
        signed = cells.str.contains(SIGN)
        return numbers.zip_with(signed, _times(numbers, Decimal(100)))

    def write(self, readings: pl.Series, cells: pl.Series, form: ShareForm) -> pl.Series:
        """Shares in the live column's form."""
        numbers = _times(readings, Decimal("0.01")) if form.part_of_one else readings
        return write_numbers(numbers, form.number) + form.sign


def _bare(cells: pl.Series) -> pl.Series:
    return cells.str.strip_chars().str.replace(SIGN, "")


def _times(numbers: pl.Series, factor: Decimal) -> pl.Series:
    """Plain decimal texts, multiplied exactly."""
    exact = pl.col("n").cast(EXACT, strict=False) * pl.lit(factor)
    return read_numbers(numbers.to_frame("n").select(exact.cast(EXACT).cast(pl.String)).to_series(), NumberForm("."))


KIND = Share()

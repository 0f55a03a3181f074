"""The nature of a column: whether it holds numbers, of which size, dates or text; and what is new since last month."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.distinct import distinct_values
from neat_delta.tables.field_types import type_named
from neat_delta.tables.field_types.number_parsing import infer_number_format, normalize_numbers

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.tables import Table

SAMPLE = 5_000
# A column is of the nature that so many of its values share.
MOSTLY = 0.9
# Prices of one list do not move tenfold in a month; a lost decimal separator moves them a hundredfold.
LEAP = 10
NUMBERS = re.compile(r"numbers about ([0-9]+(?:\.[0-9]+)?(?:e[+-]?[0-9]+)?)")


def column_natures(sheet: Table) -> dict[str, str]:
    """The nature of each column of a file, by the first rows."""
    top = sheet.cells(sheet.names, pl.int_range(min(len(sheet), SAMPLE), dtype=pl.UInt32, eager=True))
    return {field.column: nature_of(top[field.name], sheet.format.decimal_separator) for field in sheet.fields}


def nature_of(cells: pl.Series, mark: str | None) -> str:
    """A column's nature in words: "blank", "dates", "text", or "numbers about 12.4", the middle one of their sizes."""
    filled = distinct_values(cells)
    if filled.is_empty():
        return "blank"
    form = infer_number_format(filled)
    numbers = normalize_numbers(
        filled, replace(form, decimal_separator=mark or form.decimal_separator, three_decimals=True)
    ).drop_nulls()
    if len(numbers) >= MOSTLY * len(filled):
        sizes = numbers.cast(pl.Float64).abs().sort()
        return f"numbers about {sizes[len(sizes) // 2]:.4g}"
    return "dates" if type_named("date").matches(filled, "") else "text"


def drift(today: Mapping[str, str], now: Mapping[str, str]) -> list[str]:
    """What is to be said of a list's columns, by what they were last time and what they are now; nothing at first."""
    if not today:
        return []
    lost, new = [name for name in today if name not in now], [name for name in now if name not in today]
    message = []
    if lost:
        message.append(f"missing columns (present last time): {', '.join(lost)}")
    if new:
        message.append(f"new columns since last time: {', '.join(new)}")
    changed = ((column, describe_change(today.get(column, nature), nature)) for column, nature in now.items())
    return message + [f"column {column} {what}" for column, what in changed if what]


def describe_change(before: str, now: str) -> str | None:
    """What is to be said of a column whose nature is another one now; ``None`` if nothing is."""
    if "blank" in (before, now):
        return f"was {before}, is {now}" if before != now else None
    was, size = (NUMBERS.fullmatch(nature) for nature in (before, now))
    if not (was and size):
        return None if before == now else f"held {before}, holds {now}"
    small, large = sorted((float(was[1]), float(size[1])))
    if small == large or (small > 0 and large < LEAP * small):
        return None
    times = (
        f", {large / small:.0f} times {'as large' if float(size[1]) > float(was[1]) else 'smaller'}" if small else ""
    )
    return f"held {before}, holds {now}{times}"

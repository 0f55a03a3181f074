"""What accidents and honest edits are made of: rows of a shop, and how some of them are taken."""

from __future__ import annotations

import random
from collections.abc import Callable
from decimal import Decimal

Row = dict[str, str]
Edit = Callable[[list[Row], random.Random], set[tuple[str, str]] | None]


def some(rows: list[Row], chance: random.Random, name: str, count: int = 8) -> list[Row]:
    """Some rows that have a value in this field."""
    return chance.sample([row for row in rows if row[name]], count)


def block(rows: list[Row], chance: random.Random, count: int = 12) -> list[Row]:
    """Neighbouring rows."""
    start = chance.randrange(len(rows) - count)
    return rows[start : start + count]


def number(factor: str) -> Callable[[str], str]:
    """A number times something, with two decimals."""
    return lambda text: f"{Decimal(text) * Decimal(factor):.2f}"

"""Money: amounts in the shop's currency, exact to the last digit."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from neat_delta.tables.field_types.field_type import FEW, sample_matches
from neat_delta.tables.field_types.numeric import Numeric, all_numbers

if TYPE_CHECKING:
    import polars as pl

# Words that shops use in the names of money columns, whatever is around them.
NAMES = re.compile(r"(^|_)(price|prices|cost|costs|rrp|msrp|net|gross|amount|fee|deposit|surcharge|special)(_|$)")

CENTS = r"[.,][0-9][0-9]$"


def matches(values: pl.Series, field: str) -> bool:
    """All values are numbers, and the field's name speaks of money or every value has two decimals."""
    if not all_numbers(values.head(FEW)):
        return False
    named = bool(NAMES.search(field)) or (sample_matches(values, CENTS) and bool(values.str.contains(CENTS).all()))
    return named and all_numbers(values)


TYPE = Numeric("price", priority=30, expected="a price", matches=matches)

"""Money: amounts in the shop's currency, exact to the last digit."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from neat_delta.tables.field_types.field_type import FEW, sample_matches
from neat_delta.tables.field_types.numeric import Numeric, all_numbers
from neat_delta.tables.roles import MONEY, plain, speaks_of

if TYPE_CHECKING:
    import polars as pl

# Words for amounts of money besides those for price and cost.
NAMES = re.compile(
    r"(^|_)(prices|costs|msrp|net|gross|amount|fee|deposit|surcharge|special|betrag|gebuhr|pfand|montant|importe|importo|"
    r"bedrag|kwota|valor|belopp|belob|summa|castka|tutar|金額)(_|$)"
)

CENTS = r"[.,][0-9][0-9]$"


def matches(values: pl.Series, field: str) -> bool:
    """All values are numbers, and the field's name speaks of money or every value has two decimals."""
    if not all_numbers(values.head(FEW)):
        return False
    named = (
        speaks_of(field, *MONEY)
        or bool(NAMES.search(plain(field)))
        or (sample_matches(values, CENTS) and bool(values.str.contains(CENTS).all()))
    )
    return named and all_numbers(values)


TYPE = Numeric("price", priority=30, expected="a price", matches=matches)

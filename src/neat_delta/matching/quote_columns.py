"""Which columns of a list of quotes or agreed prices hold the item's code, the quantity and the price."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption
from neat_delta.tables.roles import named_as

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.tables import Table

QUANTITY = re.compile(r"(^|_)(qty|quantity|units|pieces|amount)(_|$)")
PRICE = re.compile(r"(^|_)(price|net|unit_price|agreed)(_|$)")


def quote_columns(records: Table, key: Sequence[str]) -> dict[str, str]:
    """The names of the columns for key, price, and quantity where there is one.

    Raises:
        InvalidOption: there is no column of codes or of prices.
    """
    names = records.names
    code = next((name for name in (*key, *named_as("key", names)) if name in names), None)
    price = next((name for name in names if PRICE.search(name)), None)
    lacking = [what for what, name in ((f"the SKU ({', '.join(key)})", code), ("the price", price)) if name is None]
    if code is None or price is None or len(key) > 1:
        raise InvalidOption(
            f"{records.source.name}: no column found for {' and '.join(lacking) or 'the whole key'}",
            hint="Name its columns sku, quantity and price. Found: " + ", ".join(names) + ".",
        )
    quantity = next((name for name in names if QUANTITY.search(name)), None)
    return {"key": code, "price": price} | ({"quantity": quantity} if quantity else {})

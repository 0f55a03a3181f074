"""References: codes of other items, such as related ones, parents or the parts of a bundle."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from neat_delta.tables.field_types import code
from neat_delta.tables.field_types.exact_text import ExactText
from neat_delta.tables.roles import speaks_of

if TYPE_CHECKING:
    import polars as pl

# Words that shops use in the names of columns that point at other items.
NAMES = re.compile(
    r"(^|_)(related|similar|accessor(y|ies)|parent|bundle|parts?_of|components?|replaces|replaced_by|upsells?|cross_?sells?)(_|$)"
)


def matches(values: pl.Series, field: str) -> bool:
    """Codes in a field whose name speaks of other items."""
    return (speaks_of(field, "parent") or bool(NAMES.search(field))) and code.matches(values, field)


TYPE = ExactText("item link", priority=55, expected="a SKU, as text", matches=matches, reading=code.normalize)

"""What a page has of its items besides their changes: the fields that stay as they are, and where the images lie."""

from __future__ import annotations

import base64
import gzip
import re
from typing import TYPE_CHECKING
from urllib.parse import quote, urlsplit

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.json_form import json_bytes
from neat_delta.base.nearest import nearest_hint
from neat_delta.matching import Key
from neat_delta.matching.positions import positions_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.analysis.before_after import BeforeAfter

# Bytes of a page that these may take; beyond, it has the changed fields only.
MOST = 3_000_000
# Cells that are looked at at all: packing takes about a second for so many.
MOST_CELLS = 2_000_000
PLACEHOLDER = re.compile(r"\{([^{}]+)\}")


def image_source(pattern: str | None) -> str:
    """What a page must be allowed to load images from, as a source of its Content-Security-Policy; none without."""
    if pattern is None:
        return ""
    address = urlsplit(PLACEHOLDER.sub("x", pattern))
    return f" {address.scheme}://{address.netloc}" if address.netloc else " 'self' file:"


def item_rest(both: BeforeAfter, keys: Sequence[str], pattern: str | None) -> str:
    """The rest of these items, in their order, as JSON in gzip in base64; nothing where it would be too large.

    It has ``fields``, ``rows`` (the live values of each item, null of one that the shop lacks) and ``images``.
    """
    rows = _rows_of(both, keys)
    rows_in_export = rows.drop_nulls()
    images = _images(both, rows, pattern)
    if len(rows_in_export) * len(both.live.names) <= MOST_CELLS:
        values = both.live.cells(both.live.names, rows_in_export).rows()
        next_values = iter(values)
        listed = [None if row is None else next(next_values) for row in rows]
        packed = packed_data({"fields": both.live.names, "rows": listed, "images": images})
        if len(packed) <= MOST:
            return packed
    packed = packed_data({"fields": [], "rows": [], "images": images})
    return packed if images and len(packed) <= MOST else ""


def packed_data(data: object) -> str:
    """Data in letters that end no element of a page, whatever texts they hold: gzip (RFC 1952) in base64."""
    return base64.b64encode(gzip.compress(json_bytes(data), compresslevel=6, mtime=0)).decode()


def _rows_of(both: BeforeAfter, keys: Sequence[str]) -> pl.Series:
    """The row of the live export that each item has; of a key that it has twice the first."""
    codes = Key(both.changes.head.key, explicit=True).values(both.live)
    rows = pl.DataFrame({"key": codes}).with_row_index("row").unique("key", keep="first", maintain_order=True)
    place = positions_of(rows["key"], pl.Series(keys, dtype=pl.String))
    return rows["row"].gather(place)


def _images(both: BeforeAfter, rows: pl.Series, pattern: str | None) -> list[str | None]:
    """The address of each item's image: the pattern with the item's values in the places of its field names."""
    if pattern is None:
        return []
    names = PLACEHOLDER.findall(pattern)
    for name in names:
        if name not in both.live.names:
            raise InvalidOption(
                "there is no field with this name", file="[page] image in catalogue.toml", value=name,
                hint=nearest_hint(name, both.live.names),
            )  # fmt: skip
    shop_cells = both.live.cells(names, rows.drop_nulls())
    separators = {name: info.separator for name, info in both.changes.head.fields.items() if info.separator}
    next_rows = iter(shop_cells.rows(named=True))

    def address(values: dict[str, str]) -> str | None:
        if not all(values.values()):
            return None

        def value(match: re.Match[str]) -> str:
            name = match.group(1)
            first = values.get(name, "").split(separators.get(name) or "|")[0].strip()
            return quote(first, safe="/")

        return PLACEHOLDER.sub(value, pattern)

    return [None if row is None else address(next(next_rows)) for row in rows]

"""Rows of a supplier's file get our keys: by remembered answers, and by other fields that name an item as well."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.matching.schemas import Unidentified, UnidentifiedFrame
from neat_delta.matching.supplier_mapping import insist_on, with_column

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.matching.key import Key
    from neat_delta.tables import Table
    from neat_delta.tables.settings import SupplierProfile

# Rows of a list that no single live item belongs to: the row, what it calls itself, whether several items have that.
AND = " + "


def fields_label(fields: Sequence[str]) -> str:
    """How fields that name an item together are called: "brand + model"."""
    return AND.join(fields)


def item_names(table: Table, fields: Sequence[str], rows: pl.Series | None = None) -> pl.Series:
    """What rows are called by these fields, their parts joined by a plus sign; blank where a part is blank."""
    parts = table.cells(fields, rows).select(pl.all().str.strip_chars())
    whole = pl.all_horizontal(pl.all() != "")
    return parts.select(pl.when(whole).then(pl.concat_str(fields, separator=AND)).otherwise(pl.lit(""))).to_series()


def with_live_keys(
    sheet: Table, live: Table, key: Key, profile: SupplierProfile, *, for_new: bool = False
) -> tuple[Table, UnidentifiedFrame]:
    """A list whose rows get our codes: by remembered answers, and by other fields that name an item as well.

    A row that no live item is called as, or several are, gets no code of ours; it is named by what it calls itself
    instead, and told besides (frame ``Unidentified``). ``for_new`` keeps the fields for rows that get a code which no
    item has.

    Raises:
        InvalidOption: a field is in one of the files only, or the key has several parts.
    """
    if profile.match_on:
        return _keyed_by(sheet, live, key, profile.match_on, profile.codes, for_new=for_new)
    none = Unidentified.none()
    if not profile.codes:
        return sheet, none
    (name,) = _single(key, "map_code")
    codes = sheet.cells([name])[name]
    return with_column(sheet, live, name, codes.replace(dict(profile.codes))), none


def _keyed_by(
    sheet: Table, live: Table, key: Key, fields: Sequence[str], remembered: Mapping[str, str], *, for_new: bool
) -> tuple[Table, UnidentifiedFrame]:
    (name,) = _single(key, "match_on")
    for table in (live, sheet):
        for field in fields:
            insist_on(field, table.names, ("match_on", field), f"field of {table.source.name}")
    named_items = pl.DataFrame({"code": live.cells([name])[name], "on": item_names(live, fields)})
    named_items = named_items.filter(pl.col("on") != "")
    called = item_names(sheet, fields)
    unknown = pl.when(pl.col("on") == "").then(pl.lit("")).otherwise(pl.format(f"{fields_label(fields)} {{}}", "on"))
    remembered_code = pl.col("on").replace_strict(dict(remembered), default=None, return_dtype=pl.String)
    items = (
        _items_called(called, named_items).with_row_index("row").with_columns(code=pl.coalesce(remembered_code, "code"))
    )
    codes = items.select(pl.coalesce("code", unknown)).to_series()
    nameless = items.filter(pl.col("code").is_null() & (pl.col("on") != "")).select("row", "on", "several")
    # The fields have done their work of naming the item; as they are equal there is nothing to compare in them.
    without_names = replace(sheet, fields=tuple(f for f in sheet.fields if f.name not in fields))
    without_names = with_column(without_names, live, name, codes)
    for field in fields if for_new else ():
        without_names = with_column(
            without_names, live, field, _of_items(live, name, field, codes, sheet.cells([field])[field])
        )
    return without_names, Unidentified.checked(nameless)


def _items_called(called: pl.Series, named_items: pl.DataFrame) -> pl.DataFrame:
    """For each name in its order the one item called so, and whether several are (frame of on, code, several).

    Spelling counts first. Where no item is spelt so, case, inner spaces and zeros in front of digits do not: barcodes
    are the same number with and without them (GS1 General Specifications, section 3.3, pads GTINs to 14 digits).
    """
    plain = pl.col("on").str.to_lowercase().str.replace_all(r"\s+", " ").str.replace(r"^0+(\d+)$", "$1")
    named_items = named_items.with_columns(plain=plain)
    names = called.to_frame("on").with_columns(plain=plain)
    for column in ("on", "plain"):
        single = named_items.unique(column, keep="none").select(column, pl.col("code").alias(f"by_{column}"))
        names = names.join(single, on=column, how="left", maintain_order="left")
    exact = pl.col("on").is_in(named_items["on"].implode())
    code = pl.when(exact).then(pl.col("by_on")).otherwise(pl.col("by_plain"))
    return names.select("on", code=code, several=code.is_null() & pl.col("plain").is_in(named_items["plain"].implode()))


def _of_items(live: Table, name: str, field: str, codes: pl.Series, values: pl.Series) -> pl.Series:
    """A field as the live items with these codes have it, and these values for codes that no item has."""
    items = live.cells([name, field]).select(code=name, there=field).unique("code", keep="first")
    items_of_codes = codes.to_frame("code").join(items, on="code", how="left", maintain_order="left")
    return items_of_codes.select(pl.coalesce("there", values)).to_series()


def _single(key: Key, option: str) -> tuple[str]:
    if len(key.fields) != 1:
        hint = "The key is " + " and ".join(key.fields) + "."
        raise InvalidOption("this needs a key of one column", option=option, hint=hint)
    return (key.fields[0],)

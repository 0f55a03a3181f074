"""The draft of catalogue.toml: what a live export shows, in the words of people who run shops."""

from __future__ import annotations

from typing import TYPE_CHECKING

import tomlkit
from tomlkit.exceptions import TOMLKitError

from neat_delta.catalogue.settings import DANGEROUS
from neat_delta.errors import Unreadable

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.catalogue.profile import ColumnProfile

HEAD = """What is settled about this catalogue. Lines behind a # are remarks; every setting may be left out.

key      the field, or fields, that name an item
column   the column's name in the live export; aliases: other names for it in other people's sheets
kind     text, code, gtin, money, number, count, flag or date: decides which values are the same
locked   true: a change is held back unless --unlock says otherwise for one run
blank    "leave" or "clear": what a blank cell in a sheet means for this field"""


def draft(columns: Sequence[ColumnProfile], key: Sequence[str], existing: str = "") -> tuple[str, list[str]]:
    """The text of a catalogue.toml for an export, and the fields that are new in it.

    What stands in ``existing`` stays as it is, remarks and layout too; only fields that it lacks are added.

    Raises:
        Unreadable: the existing text is no TOML.
    """
    try:
        document = tomlkit.parse(existing)
    except TOMLKitError as error:
        raise Unreadable(f"the existing file is no TOML: {error}", file="catalogue.toml") from error
    if not existing.strip():
        for line in HEAD.splitlines():
            document.add(tomlkit.comment(line) if line else tomlkit.comment(""))
        document.add(tomlkit.nl())
        document.add("key", tomlkit.item(list(key)))
    if "fields" not in document:
        document.add("fields", tomlkit.table(is_super_table=True))
    fields = document["fields"]
    added = []
    for column in columns:
        if column.field in fields:
            continue
        fields[column.field] = _table(column, locked=bool(DANGEROUS.search(column.field)))
        added.append(column.field)
    return tomlkit.dumps(document), added


def _table(column: ColumnProfile, *, locked: bool) -> tomlkit.items.Table:
    table = tomlkit.table()
    table.add(tomlkit.comment(_remark(column)))
    table.add("column", column.column)
    table.add("kind", column.kind)
    if locked:
        table.add("locked", tomlkit.item(True).comment("the shop keeps this itself, or it changes more than it shows"))
    table.add(tomlkit.nl())
    return table


def _remark(column: ColumnProfile) -> str:
    """What the export holds, on one line without anything that would end it."""
    if column.smallest is not None:
        shown = f"{column.smallest} to {column.largest}"
    elif column.commonest:
        shown = ", ".join(value for value, _ in column.commonest)
    else:
        shown = ", ".join(column.first)
    plain = "".join(sign if sign.isprintable() else " " for sign in shown)
    return f"{column.distinct} different values: {plain[:90]}"

"""The draft of catalogue.toml: what a live export shows, in the words of people who run shops."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import polars as pl
import tomlkit
from tomlkit.exceptions import TOMLKitError

from neat_delta.errors import InvalidInput
from neat_delta.tables import DELIMITERS
from neat_delta.tables.field_types import infer_type, type_named
from neat_delta.tables.field_types.date import named_formats
from neat_delta.tables.settings import LOCKED_BY_DEFAULT

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.tables import FileFormat
    from neat_delta.tables.profile import ColumnProfile

HEAD = """What is settled about this catalogue. Lines behind a # are remarks; every setting may be left out.

key       the field, or fields, that name an item
column    the column's name in the live export; aliases: other names for it in other people's sheets
kind      decides which values are the same: text, code, gtin, money, number, count, share, flag, date, choice, path,
          picture or itemref (codes of other items)
locked    true: a change is held back unless one run unlocks it
allowed   the values of a limited field; another one is held back unless one run allows new values
blank     "leave" or "clear": what a blank cell in a sheet means for this field
required  true: the field must not be emptied; length: the most characters; decimals: the most digits behind the mark
separator what parts several values in one cell; ordered = true: their order counts"""

FORMS = """How the shop writes its exports and reads its imports. Exports are recognised, and imports are written as the
exports are; take the # away from a line to settle it.

[export]
delimiter = "{delimiter}"        # comma, semicolon, tab or pipe
encoding = "{encoding}"
header_line = {header_line}

[import]
delimiter = "{delimiter}"
encoding = "{encoding}"
decimal = "{decimal}"
blank = "empties"          # what a blank cell does in the shop: "empties" the field or "leaves" it as it is
marker = "(none)"          # what to write where a field is to be emptied, if a blank does not do it
columns = ["{key}"]          # fields that every file must have
rows = 5000                # the most rows in one file, the header among them
bytes = 2000000            # the most bytes in one file"""

# What often stands between several values of one cell, and the share of cells that must have it.
SEPARATORS = ("|", ";")
OFTEN = 0.05
PROSE = r"\n|[^|;]{60}"
SHOWN = 90


def draft_config(
    columns: Sequence[ColumnProfile], key: Sequence[str], form: FileFormat, existing: str = ""
) -> tuple[str, list[str]]:
    """The text of a catalogue.toml for an export, and the fields that are new in it.

    What stands in ``existing`` stays as it is, remarks and layout too; only fields that it lacks are added.

    Raises:
        InvalidInput: the existing text is no TOML.
    """
    try:
        document = tomlkit.parse(existing)
    except TOMLKitError as error:
        raise InvalidInput(f"the existing file is no TOML: {error}", file="catalogue.toml") from error
    if not existing.strip():
        _remarks(document, HEAD)
        document.add("key", tomlkit.item(list(key)))
        document.add(tomlkit.nl())
        _remarks(document, _forms(form, key))
    if "fields" not in document:
        document.add("fields", tomlkit.table(is_super_table=True))
    fields = document["fields"]
    added = []
    for column in columns:
        if column.field in fields:
            continue
        fields[column.field] = _table(column, key)
        added.append(column.field)
    return tomlkit.dumps(document), added


def _remarks(document: tomlkit.TOMLDocument, text: str) -> None:
    for line in text.splitlines():
        document.add(tomlkit.comment(line))
    document.add(tomlkit.nl())


def _forms(form: FileFormat, key: Sequence[str]) -> str:
    return FORMS.format(
        delimiter=DELIMITERS[form.delimiter],
        encoding=form.writing_encoding,
        header_line=form.header_line,
        decimal=form.decimal_separator or ".",
        key=key[0],
    )


def _table(column: ColumnProfile, key: Sequence[str]) -> tomlkit.items.Table:
    table = tomlkit.table()
    table.add(tomlkit.comment(_remark(column)))
    table.add("column", column.column)
    for name, value in _settings(column).items():
        table.add(name, value)
    if LOCKED_BY_DEFAULT.search(column.field) and column.field not in key:
        table.add("locked", tomlkit.item(True).comment("the shop keeps this itself, or it changes more than it shows"))
    table.add(tomlkit.nl())
    return table


def _settings(column: ColumnProfile) -> dict[str, Any]:
    """The kind of a column and what goes with it, as far as its values show."""
    values = column.values["value"]
    separator = next((sign for sign in SEPARATORS if _often_has(column, sign)), None)
    if separator:
        singles = values.str.split(separator).explode().str.strip_chars().unique()
        kind = "image" if column.kind == "image" else _single_kind(singles, column.field)
        return {"kind": kind, "separator": separator} | ({"ordered": True} if kind == "image" else {})
    if column.kind == "text" and column.limited and not values.str.contains("\n").any():
        allowed = tomlkit.array().multiline(multiline=False)
        allowed.extend(values.sort().to_list())
        return {"kind": "choice", "allowed": allowed}
    settings: dict[str, Any] = {"kind": column.kind}
    form = type_named(column.kind).infer_format(values) if len(values) else None
    if column.kind == "date":
        settings["date"] = next(name for name, known in named_formats().items() if known == form)
    if column.kind == "price" and form is not None and form.decimals and not form.unpadded_integers:
        settings["decimals"] = form.decimals
    return settings


def _single_kind(values: pl.Series, field: str) -> str:
    return infer_type(values.filter(values != ""), field).name


def _often_has(column: ColumnProfile, mark: str) -> bool:
    """Whether many cells of a column that is no path or prose hold the mark."""
    if column.kind not in ("text", "code", "image", "item link") or not column.filled:
        return False
    # Prose has semicolons too, but with spaces behind and long sentences between.
    if column.values["value"].str.contains(PROSE).any():
        return False
    values = pl.col("value").str
    having = column.values.filter(values.contains(mark, literal=True) & ~values.contains(f"{mark} ", literal=True))
    return int(having["count"].sum()) >= OFTEN * column.filled


def _remark(column: ColumnProfile) -> str:
    """What the export holds, on one line without anything that would end it."""
    if column.smallest is not None:
        shown = f"{column.smallest} to {column.largest}"
    elif column.commonest:
        shown = ", ".join(value for value, _ in column.commonest)
    else:
        shown = ", ".join(column.first)
    plain = "".join(sign if sign.isprintable() else " " for sign in shown)
    return f"{column.distinct} different values: {plain[:SHOWN]}"

"""The draft of catalogue.toml: what a live export shows, in the words of people who run shops."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import polars as pl
import tomlkit
from tomlkit.exceptions import TOMLKitError

from neat_delta.base.errors import InvalidInput
from neat_delta.tables import DELIMITERS, field_name
from neat_delta.tables.field_types import infer_type, type_named
from neat_delta.tables.field_types.date import named_formats
from neat_delta.tables.roles import taxed_otherwise
from neat_delta.tables.settings import LOCKED_BY_DEFAULT
from neat_delta.tables.type_inference import are_links, split_values

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.tables import FileFormat
    from neat_delta.tables.profile import ColumnProfile

HEAD = """Settings for this catalogue. Lines starting with # are comments; all settings are optional.

key       the field, or fields, that identify an item
column    the column's name in the live export; aliases: its names in other people's files
type      text, code, barcode, price, number, quantity, percent, yes/no, date, choice, category, image or item link;
          it decides which values are equal
locked    true: changes are errors, unless a run unlocks the field
allowed   the allowed values of a choice field
blank     "leave" or "clear": what a blank cell in an edited file means for this field
required  true: the field cannot be empty; length: maximum characters; decimals: maximum decimals
separator what separates several values in one cell; ordered = true: their order counts"""

FORMS = """How the shop writes its exports and reads its imports. Exports are detected, and imports are written like the
exports; remove # to activate a line.

[export]
delimiter = "{delimiter}"        # comma, semicolon, tab or pipe
encoding = "{encoding}"
header_line = {header_line}

[import]
delimiter = "{delimiter}"
encoding = "{encoding}"
decimal = "{decimal}"
blank = "empties"          # what a blank cell does in the shop: "empties" the field, or "leaves" it as it is
marker = "(none)"          # text that empties a field, if a blank does not
columns = ["{key}"]          # columns that every file must have
rows = 5000                # maximum rows of one file, with the header
bytes = 2000000            # maximum bytes of one file"""

# What often is between several values of one cell, and the share of cells that must have it.
SEPARATORS = ("|", ";")
OFTEN = 0.05
PROSE = r"\n|[^|;]{60}"
SHOWN = 90


def draft_config(
    columns: Sequence[ColumnProfile],
    key: Sequence[str],
    form: FileFormat,
    existing: str = "",
    roles: Mapping[str, Sequence[str]] | None = None,
    spread: Sequence[str] = (),
) -> tuple[str, list[str]]:
    """The text of a catalogue.toml for an export, and the fields that are new in it.

    What is in ``existing`` stays as it is, comments and layout too; only fields that it lacks are added.

    ``roles`` are the fields found for each role; ``spread`` are those with a value for each place, where the export has
    a row for each item and place, and the place is the last field of the key.

    Raises:
        InvalidInput: the existing text is no TOML.
    """
    try:
        document = tomlkit.parse(existing)
    except TOMLKitError as error:
        raise InvalidInput(f"the existing file is not valid TOML: {error}", file="catalogue.toml") from error
    if not existing.strip():
        _remarks(document, HEAD)
        document.add("key", tomlkit.item(list(key)))
        document.add(tomlkit.nl())
        _remarks(document, _forms(form, key))
        document.add("roles", _roles(roles or {}))
        taxed = _tax_remark(columns, roles or {})
        if taxed is not None:  # (A table of comments only is false.)
            document.add("money", taxed)
    if "fields" not in document:
        document.add("fields", tomlkit.table(is_super_table=True))
    fields = document["fields"]
    keys = next((one.values["value"] for one in columns if [one.field] == list(key)), None)
    added = []
    for column in columns:
        if column.field in fields:
            continue
        table = _table(column, key, keys)
        if column.field in spread and column.field not in key:
            _remarks_on_wide(table, column, next(one for one in columns if one.field == key[-1]))
        table.add(tomlkit.nl())
        fields[column.field] = table
        added.append(column.field)
    return tomlkit.dumps(document), added


def _roles(roles: Mapping[str, Sequence[str]]) -> tomlkit.items.Table:
    """Which field is the price, the cost …; roles without a field as comments, to be filled in."""
    table = tomlkit.table()
    table.add(tomlkit.comment("which field is what; checks on money and stock need it"))
    for role, names in roles.items():
        if names:
            table.add(role, list(names) if role == "stock" else names[0])
        else:
            table.add(tomlkit.comment(f"{role} = []" if role == "stock" else f'{role} = ""'))
    table.add(tomlkit.nl())
    return table


def _tax_remark(columns: Sequence[ColumnProfile], roles: Mapping[str, Sequence[str]]) -> tomlkit.items.Table | None:
    """A section to fill in, where the prices include tax by their name and the costs do not."""
    names = {one.field: one.column for one in columns}
    price, cost = (next(iter(roles.get(role, ())), None) for role in ("price", "cost"))
    if price is None or cost is None or not taxed_otherwise(names[price], names[cost]):
        return None
    table = tomlkit.table()
    table.add(tomlkit.comment(f"{names[price]} includes tax, {names[cost]} does not: write the rate, such as 0.19"))
    table.add(tomlkit.comment("tax = 0.19"))
    table.add(tomlkit.nl())
    return table


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


def _table(column: ColumnProfile, key: Sequence[str], keys: pl.Series | None) -> tomlkit.items.Table:
    table = tomlkit.table()
    table.add(tomlkit.comment(_remark(column)))
    table.add("column", column.column)
    settings = _settings(column)
    if settings["type"] == "code" and column.field not in key and keys is not None:
        singles = split_values(column.values["value"], settings.get("separator"))
        settings["type"] = "item link" if len(singles) < len(keys) and are_links(singles, keys) else "code"
    for name, value in settings.items():
        table.add(name, value)
    if LOCKED_BY_DEFAULT.search(column.field) and column.field not in key:
        table.add("locked", tomlkit.item(True).comment("set by the shop, or affects other data"))
    return table


def _remarks_on_wide(table: tomlkit.items.Table, column: ColumnProfile, place: ColumnProfile) -> None:
    """How files with a column for each place go together with this export."""
    values = [value for value, _ in place.commonest] or list(place.first)
    columns = ", ".join(f'"{value}" = "{column.field}_{field_name(value)}"' for value in values)
    table.add(tomlkit.comment(f"for files with a column for each {place.field}, remove # and name these columns"))
    table.add(tomlkit.comment(f'by = "{place.field}"'))
    table.add(tomlkit.comment(f"columns = {{ {columns} }}"))


def _settings(column: ColumnProfile) -> dict[str, Any]:
    """The kind of a column and what goes with it, as far as its values show."""
    values = column.values["value"]
    separator = next((sign for sign in SEPARATORS if _often_has(column, sign)), None)
    if separator:
        singles = values.str.split(separator).explode().str.strip_chars().unique()
        kind = "image" if column.type == "image" else _single_kind(singles, column.field)
        return {"type": kind, "separator": separator} | ({"ordered": True} if kind == "image" else {})
    if column.type == "text" and column.limited and not values.str.contains("\n").any():
        allowed = tomlkit.array().multiline(multiline=False)
        allowed.extend(values.sort().to_list())
        return {"type": "choice", "allowed": allowed}
    settings: dict[str, Any] = {"type": column.type}
    form = type_named(column.type).infer_format(values) if len(values) else None
    if column.type == "date":
        settings["date"] = next(name for name, described in named_formats().items() if described == form)
    if column.type == "price" and form is not None and form.decimals and not form.unpadded_integers:
        settings["decimals"] = form.decimals
    return settings


def _single_kind(values: pl.Series, field: str) -> str:
    return infer_type(values.filter(values != ""), field).name


def _often_has(column: ColumnProfile, mark: str) -> bool:
    """Whether many cells of a column that is no path or prose hold the mark."""
    if column.type not in ("text", "code", "image", "item link") or not column.filled:
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

"""What a file is and how it is written, in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.tables import DELIMITERS
from neat_delta.tables.line_names import line_names
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import labelled, sentence

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

    from neat_delta.tables import Table

SOME_ROWS = 5
CHARSETS = {"ascii": "ASCII", "utf-8": "UTF-8", "utf-16-le": "UTF-16", "utf-16-be": "UTF-16", "cp1252": "Windows-1252"}
MARKS = {".": "decimal point", ",": "decimal comma"}


def catalogue_view(label: str, table: Table, row: str, width: int, widest: int = 0, besides: int = 0) -> Iterator[Text]:
    """One file: its name (on so many columns), its size with the rows ``besides``, how it is written.

    A ``row`` is an "item" in the one file and a "row" in the other, whose sizes stand below each other.
    """
    rows = table.rows_read + besides
    number, _, word = pluralize(rows, row).partition(" ")
    size = f"{number} {word:<5} × {pluralize(len(table.fields), 'field')}"
    line, form = labelled(label, f"{table.source.name.ljust(widest)}   {size}"), describe_format(table)
    if len(line) + len(form) + 3 <= width:
        yield line.append(f"   {form}")
    else:
        yield from (line, labelled("", form))
    yield from remarks_view(table, width)


def remarks_view(table: Table, width: int) -> Iterator[Text]:
    """What to know of a table of several files: which they are, and what is missing in them."""
    if table.parts:
        names = [part.name for part in table.parts]
        some = ", ".join(names[:SOME_ROWS]) + (" …" if len(names) > SOME_ROWS else "")
        yield from sentence("", f"{pluralize(len(names), 'file')}: {some}", width)
    if table.missing_parts:
        missing = ", ".join(table.missing_parts[:SOME_ROWS]) + (" …" if len(table.missing_parts) > SOME_ROWS else "")
        one = len(table.missing_parts) == 1
        yield from sentence("", f"missing file{'' if one else 's'}, going by the names: {missing}", width, "warning")
    for remark in table.remarks:
        yield from sentence("", remark, width, "warning")


def charset_name(charset: str) -> str:
    """A character set as people call it."""
    if charset in CHARSETS:
        return CHARSETS[charset]
    return charset.upper().replace("ISO8859", "ISO-8859").replace("CP125", "Windows-125")


def describe_format(table: Table) -> str:
    """How a file is written, in a few words."""
    form = table.format
    if form.container:
        words = [form.container]
    else:
        words = [
            charset_name(form.encoding) + ("" if form.encoding_certain else " (detected)"),
            DELIMITERS[form.delimiter] + ("" if form.delimiter_certain else " (detected)"),
        ]
    if form.decimal_separator is not None:
        words.append(MARKS[form.decimal_separator])
    if form.header_line != 1 and not form.container:
        words.append(f"header on line {form.header_line}" if form.header_line else "no header")
    if form.packing:
        words.append(form.packing)
    return " · ".join(words)


def no_data_view(table: Table, width: int, whose: str = "") -> Iterator[Text]:
    """Rows that were passed over because they are no data, by what they are; and cells that no row has."""
    if table.blank_columns:
        names = ", ".join(field.column for field in table.fields[-table.blank_columns :])
        message = f"{table.source.name}: no row has a cell for the last columns of the header ({names}); read as blank"
        yield from sentence("short rows", message, width, "warning")
    for message, lines in table.non_data_rows.group_by("message", maintain_order=True).agg("line").iter_rows():
        where = line_names(table.parts, lines[:SOME_ROWS]) + (" …" if len(lines) > SOME_ROWS else "")
        yield from sentence("skipped", f"{pluralize(len(lines), 'row')}{whose}, {message}: {where}", width)

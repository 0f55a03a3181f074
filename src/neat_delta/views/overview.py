"""The terminal view of one file: what it is, its first rows, its columns, possible keys, marks of damage."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl
from rich.cells import cell_len
from rich.text import Text

from neat_delta.tables import field_name
from neat_delta.tables.line_names import line_name, line_names
from neat_delta.views.file_format import charset_name, describe_format, no_data_view, remarks_view
from neat_delta.views.formatting import STYLES, count, cut, pluralize, printable
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.table import Cell, Column, table

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from neat_delta.matching.key_detection import KeyCandidates
    from neat_delta.tables import FilePart, Table
    from neat_delta.tables.profile import ColumnProfile
    from neat_delta.tables.settings import Settings

FIRST_ROWS = 5
WIDEST_CELL = 24
SOME_BAD = 5
SOME_LINES = 6


def overview(
    table: Table,
    columns: Sequence[ColumnProfile],
    keys: KeyCandidates,
    marks: pl.DataFrame,
    settings: Settings,
    width: int,
) -> Iterator[Text]:
    """The whole view, line by line."""
    size = f"{pluralize(table.rows_read, 'row')} × {pluralize(len(table.fields), 'column')}"
    yield from sentence("file", f"{table.source.name}   {size}   {describe_format(table)}", width)
    yield from remarks_view(table, width)
    if not table.format.delimiter_certain:
        yield from sentence("warning", "delimiter detected, not certain; set it with --delimiter", width, "warning")
    if not table.format.encoding_certain:
        charset = charset_name(table.format.encoding)
        message = f"encoding {charset} detected, not certain; if accents look wrong, use --encoding"
        yield from sentence("", message, width)
    if table.unnamed_columns:
        yield from sentence(
            "not used", f"{pluralize(table.unnamed_columns, 'column')} without a name", width, "warning"
        )
    yield from keys_view(keys, table.parts, width)
    yield from no_data_view(table, width)
    if settings.path:
        yield from settings_view(table, settings, width)
    if len(table):
        yield Text()
        yield from first_rows(table, width)
    yield Text()
    named = any(field.name != field_name(field.column) for field in table.fields)
    yield from columns_view(columns, len(table), width, fields=named)
    yield from corruption_view(table, marks, width)


def keys_view(keys: KeyCandidates, parts: Sequence[FilePart], width: int) -> Iterator[Text]:
    """What could name the items."""
    if keys.alone:
        yield from sentence("key", " or ".join(keys.alone), width, "good")
    elif keys.pairs:
        yield from sentence("key", "two together: " + " or ".join(f"{a} + {b}" for a, b in keys.pairs), width, "good")
    else:
        yield from sentence("key", "no unique column, or pair of columns", width, "warning")
    if keys.repeated:
        message = "; ".join(f"{printable(value)} in {line_names(parts, lines[:6])}" for value, lines in keys.repeated)
        yield from sentence("", f"duplicate {keys.expected}: {message}", width, "warning")


def first_rows(catalogue: Table, width: int) -> Iterator[Text]:
    """The first rows, of as many columns as fit, to see at once whether the columns fell in place."""
    first = catalogue.cells(catalogue.names, pl.int_range(min(FIRST_ROWS, len(catalogue)), eager=True))
    shown: list[str] = []
    room = width - 2
    for field in catalogue.fields:
        cells = [field.column, *map(printable, first[field.name])]
        room -= min(WIDEST_CELL, max(map(cell_len, cells))) + 2
        if room < 0 and shown:
            break
        shown.append(field.name)
    heads = [Column(catalogue.field(name).column, least=WIDEST_CELL) for name in shown]
    rows = [[Cell(printable(row[name])) for name in shown] for row in first.rows(named=True)]
    yield from table(heads, rows, width)
    hidden = len(catalogue.fields) - len(shown)
    if hidden:
        yield Text(f"  … and {pluralize(hidden, 'more column')}, all below", STYLES["note"])


def settings_view(table: Table, settings: Settings, width: int) -> Iterator[Text]:
    """How the columns match the fields of catalogue.toml."""
    unknown, missing = settings.unknown_in(table.names), settings.missing_in(table.names)
    matched = len(table.names) - len(unknown)
    message = f"{settings.path} has {count(matched)} of {pluralize(len(table.names), 'column')}"
    yield from sentence("settings", message, width)
    if unknown:
        columns = ", ".join(table.field(name).column for name in unknown)
        message = f"not in catalogue.toml: {columns}. Add a field, or an alias"
        yield from sentence("", message, width, "warning")
    if missing:
        yield from sentence("", f"not in this file: {', '.join(missing)}", width)


def columns_view(columns: Sequence[ColumnProfile], rows: int, width: int, *, fields: bool = False) -> list[Text]:
    """Each column: kind, fill, distinct values, and its range or commonest values; with the field it stands for."""
    heads = [
        Column("column", least=8),
        *([Column("field", least=8)] if fields else []),
        Column("type"),
        Column("filled", right=True),
        Column("distinct", right=True),
        Column("values", least=16),
    ]
    cells = [
        [
            Cell(printable(column.column)),
            *([Cell(column.field)] if fields else []),
            Cell(column.type, "note"),
            Cell(_share(column.filled, rows), right=True),
            Cell(count(column.distinct), right=True),
            Cell(_values(column)),
        ]
        for column in columns
    ]
    return table(heads, cells, width)


def _share(filled: int, rows: int) -> str:
    """The share of filled cells, never rounded to all or none."""
    if not rows or filled == rows:
        return "all" if rows else "–"
    if not filled:
        return "none"
    return f"{min(99, max(1, round(100 * filled / rows)))} %"


def _values(column: ColumnProfile) -> str:
    if column.smallest is not None and column.largest is not None:
        return f"{printable(column.smallest)} to {printable(column.largest)}"
    if column.commonest:
        return " · ".join(f"{cut(printable(value), WIDEST_CELL)} ({count(times)})" for value, times in column.commonest)
    return " · ".join(cut(printable(value), WIDEST_CELL) for value in column.first)


def corruption_view(catalogue: Table, marks: pl.DataFrame, width: int) -> Iterator[Text]:
    """Rows that cannot be read, and values that a spreadsheet program has likely damaged."""
    if len(catalogue.unreadable_rows):
        yield Text()
        yield labelled("unreadable", pluralize(len(catalogue.unreadable_rows), "row"), "error")
        rows = [
            [Cell("   "), Cell(line_name(catalogue.parts, line), "note"), Cell(message), Cell(printable(raw), "now")]
            for line, raw, message in catalogue.unreadable_rows.head(SOME_BAD).iter_rows()
        ]
        yield from table([Column(), Column(), Column(least=20), Column(least=10)], rows, width)
    if len(marks):
        yield Text()
        yield labelled("damaged?", pluralize(int(marks["cells"].sum()), "cell"), "warning")
        rows = [
            [
                Cell("   "),
                Cell(field),
                Cell(pluralize(cells, "cell"), "note"),
                Cell(printable(value), "now"),
                Cell(message),
            ]
            for _, field, value, cells, message in marks.iter_rows()
        ]
        yield from table([Column(), Column(least=6), Column(), Column(least=10), Column(least=20)], rows, width)

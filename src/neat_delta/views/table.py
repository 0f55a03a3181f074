"""Tables of plain text that fit the width there is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from rich.cells import cell_len, set_cell_size
from rich.text import Text

from neat_delta.views.formatting import STYLES, cut, on_mark

if TYPE_CHECKING:
    from collections.abc import Sequence

GAP = "  "
INDENT = "  "


@dataclass(frozen=True)
class Cell:
    """A text, its style by name, and whether it is right-aligned."""

    text: str = ""
    style: str = "plain"
    right: bool = False


@dataclass(frozen=True)
class Column:
    """A heading, whether it is right-aligned, and the width below which cells are not cut (0: never cut)."""

    head: str = ""
    right: bool = False
    least: int = 0


def table(columns: Sequence[Column], rows: Sequence[Sequence[Cell]], width: int) -> list[Text]:
    """Lines of a table; columns that may be cut give way, the widest first, until the lines fit.

    If they still do not, each row is a stack of lines.
    """
    head, blocks = table_blocks(columns, rows, width)
    return [*head, *(line for block in blocks for line in block)]


def table_blocks(
    columns: Sequence[Column], rows: Sequence[Sequence[Cell]], width: int
) -> tuple[list[Text], list[list[Text]]]:
    """The heading of a table (one line or none), and the lines of each of its rows."""
    widths = fitted(columns, rows, width)
    if len(INDENT) + sum(widths) + len(GAP) * (len(columns) - 1) > width:
        return [], [_stacked(columns, row, width) for row in rows]
    head = [Cell(column.head, "head", column.right) for column in columns]
    heading = [_line(head, widths)] if any(column.head for column in columns) else []
    return heading, [[_line(cells, widths)] for cells in rows]


def aligned(texts: Sequence[str], numeric: Sequence[bool], style: str = "plain") -> list[Cell]:
    """The cells of one column; numbers flush right on their decimal separator, texts flush left."""
    numbers = iter(on_mark([text for text, is_number in zip(texts, numeric, strict=True) if is_number]))
    return [
        Cell(next(numbers), style, right=True) if is_number else Cell(text, style)
        for text, is_number in zip(texts, numeric, strict=True)
    ]


def fitted(columns: Sequence[Column], rows: Sequence[Sequence[Cell]], width: int) -> list[int]:
    """The width of each column."""
    # A cell wider than the screen is cut anyway.
    widths = [
        max([cell_len(column.head), *(min(width, cell_len(row[at].text)) for row in rows)])
        for at, column in enumerate(columns)
    ]
    room = width - len(INDENT) - len(GAP) * (len(columns) - 1)
    while sum(widths) > room:
        loose = [at for at, column in enumerate(columns) if column.least and widths[at] > column.least]
        if not loose:
            break
        widths[max(loose, key=lambda at: widths[at])] -= 1
    return widths


def _stacked(columns: Sequence[Column], row: Sequence[Cell], width: int) -> list[Text]:
    """A row as lines: its cells one after another, each with its heading, as many on a line as fit."""
    lines = [Text(INDENT)]
    for column, cell in zip(columns, row, strict=True):
        text = " ".join(cell.text.split())
        if not text:
            continue
        head = f"{column.head} " if column.head and len(lines[0]) > len(INDENT) else ""
        started = bool(lines[-1].plain.strip())
        if started and lines[-1].cell_len + len(GAP) + cell_len(head + text) > width:
            lines.append(Text(INDENT * 3))
            started = False
        lines[-1].append(GAP if started else "").append(head, STYLES["label"])
        lines[-1].append(cut(text, max(8, width - lines[-1].cell_len)), STYLES[cell.style])
    return lines


def _line(cells: Sequence[Cell], widths: Sequence[int]) -> Text:
    line = Text(INDENT)
    for at, (cell, width) in enumerate(zip(cells, widths, strict=True)):
        text = cut(cell.text, width)
        padded = " " * (width - cell_len(text)) + text if cell.right else set_cell_size(text, width)
        line.append(padded, STYLES[cell.style])
        if at < len(cells) - 1:
            line.append(GAP)
    line.rstrip()
    return line

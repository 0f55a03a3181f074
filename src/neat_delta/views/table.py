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
    """A text, its style by name, and whether it stands flush right."""

    text: str = ""
    style: str = "plain"
    right: bool = False


@dataclass(frozen=True)
class Column:
    """A heading, whether it stands flush right, and the width below which cells are not cut (0: never cut)."""

    head: str = ""
    right: bool = False
    least: int = 0


def table(columns: Sequence[Column], rows: Sequence[Sequence[Cell]], width: int) -> list[Text]:
    """Lines of a table; columns that may be cut give way, the widest first, until the lines fit."""
    widths = fitted(columns, rows, width)
    head = [Cell(column.head, "head", column.right) for column in columns]
    lines = [head, *rows] if any(column.head for column in columns) else list(rows)
    return [_line(cells, widths) for cells in lines]


def aligned(texts: Sequence[str], numeric: Sequence[bool], style: str = "plain") -> list[Cell]:
    """The cells of one column; numbers flush right on their decimal mark, texts flush left."""
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

"""Lines as people find them: the line of a file, or of one of the files that a table is made of."""

from __future__ import annotations

from bisect import bisect_right
from typing import TYPE_CHECKING, Any

import polars as pl

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from neat_delta.tables.table import FilePart


def file_and_line(parts: Sequence[FilePart], line: int) -> tuple[str | None, int]:
    """The file, where there are several, and the line in it."""
    at = bisect_right(parts, line, key=lambda part: part.first_line) - 1
    return (None, line) if at < 0 else (parts[at].name, line - parts[at].shift)


def with_own_line(row: dict[str, Any], parts: Sequence[FilePart]) -> dict[str, Any]:
    """A row with a ``line`` of the table, with the line of its file, and the ``file`` where there are several."""
    if not parts or row.get("line") is None:
        return row
    file, line = file_and_line(parts, row["line"])
    return row | {"file": file, "line": line}


def line_name(parts: Sequence[FilePart], line: int | str) -> str:
    """A line in words: "line 12", "items-2.csv line 12"."""
    file, line_in_file = file_and_line(parts, int(line))
    return f"line {line_in_file}" if file is None else f"{file} line {line_in_file}"


def lines_as_text(parts: Sequence[FilePart], lines: pl.Series) -> pl.Series:
    """Each line as text: "12" of a file, "items-2.csv line 12" of several."""
    if not parts:
        return lines.cast(pl.String)
    named = [None if line is None else line_name(parts, line) for line in lines]
    return pl.Series(lines.name, named, dtype=pl.String)


def word_before(parts: Sequence[FilePart], word: str) -> str:
    """What stands before lines as text: the word and a blank, or nothing where they bring their own."""
    return "" if parts else f"{word} "


def line_names(parts: Sequence[FilePart], lines: Iterable[int]) -> str:
    """Several lines in words: "lines 3, 7", "items-1.csv line 3, items-2.csv line 7"."""
    lines = list(lines)
    if parts:
        return ", ".join(line_name(parts, line) for line in lines)
    return f"line{'s' if len(lines) > 1 else ''} {', '.join(map(str, lines))}"

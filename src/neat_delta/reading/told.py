"""What a person tells about a file, where recognising it would go wrong."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Told:
    """Statements about a file's form; ``None`` leaves a thing to be recognised.

    ``charset`` is a Python codec name; ``mark`` the decimal mark; ``header_line`` the header's line, counted from
    1, or 0 for a file without one; ``sheet`` the name or number (from 1) of a workbook's sheet.
    """

    delimiter: str | None = None
    charset: str | None = None
    mark: str | None = None
    header_line: int | None = None
    sheet: str | None = None


NOTHING_TOLD = Told()

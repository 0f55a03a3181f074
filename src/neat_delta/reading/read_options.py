"""What a person tells about a file, where recognising it would go wrong."""

from __future__ import annotations

import codecs
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from neat_delta.tables.settings import ExportForm


@dataclass(frozen=True)
class Told:
    """Statements about a file's form; ``None`` leaves a thing to be recognised.

    ``charset`` is a Python codec name; ``mark`` the decimal mark; ``header_line`` the header's line, counted from
    1, or 0 for a file without one; ``sheet`` the name or number (from 1) of a workbook's sheet; ``every_row`` that
    rows which look like sums or footers are data all the same.
    """

    delimiter: str | None = None
    charset: str | None = None
    mark: str | None = None
    header_line: int | None = None
    sheet: str | None = None
    every_row: bool = False

    @classmethod
    def as_exported(cls, form: ExportForm) -> Told:
        """What catalogue.toml settles about the shop's exports."""
        charset = codecs.lookup(form.encoding).name if form.encoding else None
        return cls(form.delimiter, charset, form.decimal, form.header_line, form.sheet)


NOTHING_TOLD = Told()

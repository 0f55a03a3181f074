"""Fields: the columns of a catalogue under names that two files can share."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput

if TYPE_CHECKING:
    from collections.abc import Iterable


@dataclass(frozen=True)
class Field:
    """One column: ``name`` as we call it everywhere, ``column`` as the file's header writes it."""

    name: str
    column: str


# Behind the name of a field of several values: the column's values are added to it, or taken from it. In front of the
# name they would make a spreadsheet program look for a formula.
ADD, TAKE = "+", "-"


# So many signs of a header without a letter make its field's name.
LONGEST_OF_SIGNS = 4


def _name_of_sign(sign: str) -> str:
    return re.sub(r"\W+", "_", unicodedata.name(sign, f"sign {ord(sign):x}").casefold())


def field_name(column: str) -> str:
    """The field name for a column header: lower case, words joined by ``_`` ("Item No." → "item_no").

    A sign behind the name stays ("Tags +" → "tags+"). A header of nothing but signs is called by their names in Unicode
    ("%" → "percent_sign"), for names without a letter mean something else in expressions.
    """
    plain = unicodedata.normalize("NFKC", column).casefold().strip()
    name = re.sub(r"\W+", "_", plain).strip("_")
    if not name:
        return "_".join(_name_of_sign(sign) for sign in plain[:LONGEST_OF_SIGNS])
    sign = plain[-1:].replace("\u2212", TAKE)
    return name + sign if name and sign in (ADD, TAKE) and plain[:-1].endswith(" ") else name


def parse_header(columns: Iterable[str], file: str, line: int | None = None) -> tuple[Field | None, ...]:
    """Fields for a header row, position by position; ``None`` where the header cell is empty.

    ``file`` and ``line`` tell where the header is.

    Raises:
        InvalidInput: two columns would become the same field, or no column has a name.
    """
    fields: list[Field | None] = []
    names: dict[str, str] = {}
    for position, column in enumerate(columns, start=1):
        name = field_name(column)
        if not name:
            fields.append(None)
            continue
        if name in names:
            raise InvalidInput(
                f"duplicate column name ({names[name]!r} and {column!r})",
                file=file,
                line=line,
                column=f"{position} ({column})",
                hint="Rename or remove one of the two.",
            )
        names[name] = column
        fields.append(Field(name, column))
    if not names:
        raise InvalidInput("the header row has no column names", file=file, line=line, hint="Add a header row.")
    return tuple(fields)

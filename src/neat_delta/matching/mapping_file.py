"""Answers given once: a table of their codes or values and ours."""

from __future__ import annotations

from collections import defaultdict
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput
from neat_delta.reading import ReadOptions, read_strict
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from neat_delta.locations import Location


def read_mapping_file(path: Location) -> tuple[dict[str, str], dict[str, dict[str, str]]]:
    """Our code for each of theirs, and by field our value for each of theirs.

    A file of two columns has their codes and ours; one of three has a field's name in front, and is about its values.

    Raises:
        InvalidInput: it has other columns, a row lacks one of them, or one of theirs is to be two of ours.
    """
    table = read_strict(path, options=ReadOptions(keep_non_data=True))
    if len(table.names) not in (2, 3) or table.unnamed_columns:
        raise InvalidInput(
            f"the number of its columns is {len(table.names) + table.unnamed_columns}",
            file=path,
            line=table.format.header_line,
            hint="Use 2 columns (their code, our SKU) or 3 (field, their value, ours).",
        )
    codes: dict[str, str] = {}
    values: dict[str, dict[str, str]] = defaultdict(dict)
    for line, cells in zip(table.rows.line, table.cells(table.names).iter_rows(), strict=True):
        *field, edited, live = (cell.strip() for cell in cells)
        if not edited or not live or field == [""]:
            raise InvalidInput("this row has a blank cell", file=path, line=line, hint="Fill it, or remove the row.")
        pairs = values[field_name(field[0])] if field else codes
        if pairs.setdefault(edited, live) != live:
            raise InvalidInput(
                f"mapped to both {pairs[edited]!r} and {live!r}", file=path, line=line, value=edited, hint="Keep one."
            )
    return codes, dict(values)

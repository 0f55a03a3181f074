"""JSON Lines: one object per item; numbers keep the digits they are written with."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import InvalidInput
from neat_delta.reading.frame_rows import MOST_COLUMNS, ParsedFile, too_many_columns

if TYPE_CHECKING:
    from neat_delta.locations import Location

LIST_SEPARATOR = "|"


def read_json_lines(text: str, path: Location) -> ParsedFile:
    """Objects as rows, their names as columns in the order of first sight; a list becomes one cell, parted by ``|``.

    Lines that are no object, and cells that are objects themselves, are faults of their row.

    Raises:
        InvalidInput: no line is an object.
    """
    objects: list[tuple[int, dict[str, Any]]] = []
    faults = []
    columns: dict[str, None] = {}
    for number, line in enumerate(text.split("\n"), start=1):
        if not line.strip():
            continue
        try:
            # Numbers as text: 12.50 must not become 12.5 on its way through a float.
            item = json.loads(line, parse_float=str, parse_int=str, parse_constant=str, object_pairs_hook=_each_once)
            row = {_whole(name): _cell(value) for name, value in item.items()}
        except (ValueError, AttributeError, RecursionError) as error:
            message = str(error) if isinstance(error, _Refused) else "the line is not a JSON object"
            faults.append((number, line, message))
            continue
        columns.update(dict.fromkeys(row))
        if len(columns) > MOST_COLUMNS:
            raise too_many_columns(path, number)
        objects.append((number, row))
    if not objects:
        raise InvalidInput("no JSON objects found", file=path, line=1, hint="Write one object per line.")
    rows = [list(columns), *([row.get(name, "") for name in columns] for _, row in objects)]
    return ParsedFile(list(zip(*rows, strict=True)), [0, *(number for number, _ in objects)], "JSON Lines", faults)


class _Refused(ValueError):
    """A row that cannot be taken as it is: a value that is no single cell, or a name that is there twice."""


def _each_once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """The values of an object by their names (RFC 8259 leaves open which of two counts)."""
    once = dict(pairs)
    if len(once) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise _Refused(f"the object has {twice} twice")
    return once


def _whole(text: str) -> str:
    """A text; one with half a character (RFC 8259, section 8.2) could be stored nowhere."""
    if any("\ud800" <= sign <= "\udfff" for sign in text) if not text.isascii() else False:
        raise _Refused("a text has half a character in it")
    return text


def _cell(value: object) -> str:
    match value:
        case None:
            return ""
        case True | False:
            return "true" if value else "false"
        case str():
            return _whole(value)
        case list():
            return LIST_SEPARATOR.join(map(_cell, value))
        case _:
            raise _Refused("a cell holds another object")

"""What the shell offers while somebody types: names of fields, checks, profiles, schemas.

Only the beginning of a file is looked at, so that it comes at once; where that is not enough, nothing is offered.
"""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

# So many bytes of a file are looked at.
BEGINNING = 1 << 16
DELIMITERS = ",;\t|"


def offered(kind: str | None, given: Mapping[str, Any]) -> list[str]:
    """What may stand for a value: ``kind`` is how help names it, ``given`` are the arguments so far."""
    if kind == "CHECK":
        from neat_delta.checks import all_checks

        return [check.name for check in all_checks()]
    if kind == "PROFILE":
        return _profiles(given)
    if kind == "FIELD":
        return list(dict.fromkeys(name for path in _files(given) for name in _fields_of(path)))
    return []


def _files(given: Mapping[str, Any]) -> Iterator[Path]:
    """The files among the arguments."""
    for value in given.values():
        for one in value if isinstance(value, tuple | list) else [value]:
            path = Path(one) if isinstance(one, str) else one
            if isinstance(path, Path) and path.is_file():
                yield path


def _fields_of(path: Path) -> list[str]:
    """The fields of a change set or of delimited text, by the file's beginning."""
    from neat_delta.tables import field_name

    try:
        with path.open("rb") as file:
            first = file.read(BEGINNING).split(b"\n", 1)[0].decode("utf-8-sig").strip()
    except (OSError, UnicodeDecodeError):
        return []
    if first.startswith('{"neat_delta"'):
        try:
            return list(json.loads(first)["fields"])
        except (ValueError, KeyError, TypeError):
            return []
    sign = max(DELIMITERS, key=first.count)
    names = [part.strip().strip('"') for part in first.split(sign)]
    return [field_name(name) for name in names if re.search(r"\w", name)] if first.count(sign) else []


def _profiles(given: Mapping[str, Any]) -> list[str]:
    """The supplier profiles of catalogue.toml."""
    import tomllib

    path = given.get("config") or Path("catalogue.toml")
    try:
        return list(tomllib.loads(Path(path).read_text("utf-8-sig")).get("profiles", {}))
    except (OSError, ValueError):
        return []

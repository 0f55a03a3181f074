"""Settings in TOML files: read, and every mistake named with its line and what is allowed."""

from __future__ import annotations

import difflib
import re
import tomllib
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from neat_delta.errors import Unreadable
from neat_delta.output_paths import note_input

if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path

WORDS = {
    str: "a text in quotes",
    list: "a list of texts",
    bool: "true or false",
    dict: "a table",
    int: "a whole number",
    Decimal: "a share such as 0.5",
}


def read_toml(path: Path, remedy: str) -> tuple[dict[str, Any], str]:
    """What a TOML file holds, parsed and as text; ``remedy`` is for those who have no such file.

    Raises:
        Unreadable: there is none, or it is no TOML.
    """
    note_input(path)
    try:
        text = path.read_text("utf-8-sig")
        told = tomllib.loads(text, parse_float=Decimal)
    except FileNotFoundError as error:
        raise Unreadable("there is no such file", file=path, remedy=remedy) from error
    except (OSError, UnicodeDecodeError) as error:
        raise Unreadable(
            "the file cannot be read as UTF-8 text", file=path, remedy="Name a TOML file, saved as UTF-8."
        ) from error
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line ([0-9]+)", str(error))
        raise Unreadable(
            f"this is no TOML: {error}",
            file=path,
            line=int(line[1]) if line else None,
            remedy="Mend that line; texts stand in quotes.",
        ) from error
    return told, text


class Checker:
    """Checks a parsed file part by part; knows where in the text each part stands."""

    def __init__(self, path: Path, text: str) -> None:
        self.path = path
        self._lines = text.splitlines()

    def check(self, table: dict[str, Any], allowed: Mapping[str, type], place: tuple[str, ...]) -> None:
        """Only settings that exist, each of its type."""
        for key, value in table.items():
            if key not in allowed:
                near = difflib.get_close_matches(key, allowed, 1)
                meant = f"Did you mean {near[0]}?" if near else "Allowed: " + ", ".join(allowed) + "."
                raise self.wrong(key, place, f"there is no setting {key!r}", meant)
            # True is an int to Python, but no number to people.
            wanted = (Decimal, int) if allowed[key] is Decimal else allowed[key]
            if not isinstance(value, wanted) or (allowed[key] in (int, Decimal) and isinstance(value, bool)):
                raise self.wrong(key, place, f"{key} must be {WORDS[allowed[key]]}", "Mend this line.", str(value))

    def at_least(self, table: dict[str, Any], place: tuple[str, ...], key: str, least: int) -> None:
        """A number is no less than it may be."""
        if key in table and table[key] < least:
            raise self.wrong(key, place, f"{key} must be {least} or more", "Mend this line.", str(table[key]))

    def texts(self, values: list[Any], place: tuple[str, ...], key: str) -> None:
        """A list has texts only, none of them empty."""
        for value in values:
            if not isinstance(value, str) or not value:
                raise self.wrong(key, place, f"{key} must be a list of texts", "Mend this line.", str(value))

    def one_of(self, table: dict[str, Any], place: tuple[str, ...], key: str, allowed: list[str]) -> None:
        """A text is one of those allowed."""
        if key in table and table[key] not in allowed:
            raise self.wrong(key, place, f"no such {key}", "Allowed: " + ", ".join(allowed) + ".", table[key])

    def wrong(self, key: str, place: tuple[str, ...], what: str, remedy: str, value: str | None = None) -> Unreadable:
        """The error about a setting, with its line."""
        column = ".".join((*place, key))
        return Unreadable(what, file=self.path, line=self._line(key, place), column=column, value=value, remedy=remedy)

    def _line(self, key: str, place: tuple[str, ...]) -> int | None:
        """The line on which a setting stands, below the header of its table; or that of the table it is itself."""
        table, itself = _table_header(place), _table_header((*place, key))
        setting = re.compile(rf"^\s*[\"']?{re.escape(key)}[\"']?\s*=")
        below = not place
        for number, line in enumerate(self._lines, start=1):
            if itself.match(line):
                return number
            if place and table.match(line):
                below = True
            elif below and setting.match(line):
                return number
        return None


def _table_header(place: tuple[str, ...]) -> re.Pattern[str]:
    names = r"\s*\.\s*".join(rf"[\"']?{re.escape(name)}[\"']?" for name in place)
    return re.compile(rf"^\s*\[\s*{names}\s*\]")

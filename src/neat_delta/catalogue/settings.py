"""catalogue.toml: what a person has settled about the catalogue, once, instead of having it recognised each time."""

from __future__ import annotations

import difflib
import re
import tomllib
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from neat_delta.catalogue.field import field_name
from neat_delta.catalogue.kinds import kinds
from neat_delta.errors import Unreadable

if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path

NAME = "catalogue.toml"
LEAVE, CLEAR = "leave", "clear"
# What a shop keeps itself, or what changes far more than one cell when it changes.
DANGEROUS = re.compile(
    r"^(item_|product_)?(id|type|uuid)$|(^|_)(tax_class|attribute_(set|group))$|^(added|created|updated|changed)(_at|_on)?$"
)
TOP = {"key": list, "fields": dict}
OF_FIELD = {
    "column": str,
    "aliases": list,
    "kind": str,
    "locked": bool,
    "blank": str,
    "labels": dict,
    "separator": str,
    "ordered": bool,
}
WORDS = {str: "a text in quotes", list: "a list of texts", bool: "true or false", dict: "a table"}


@dataclass(frozen=True)
class FieldSettings:
    """What is settled of one field.

    Its column and other names for it, its kind, its lock, what a blank means; ``labels``: what people read for each
    value that the store writes; ``separator``: what parts several values in one cell, and whether they are ``ordered``.
    """

    column: str | None = None
    aliases: tuple[str, ...] = ()
    kind: str | None = None
    locked: bool = False
    blank: str | None = None
    labels: Mapping[str, str] = field(default_factory=dict)
    separator: str | None = None
    ordered: bool = False


@dataclass(frozen=True)
class Settings:
    """The whole of catalogue.toml; everything may be left out. ``path`` is where it stands, if it does."""

    key: tuple[str, ...] = ()
    fields: Mapping[str, FieldSettings] = field(default_factory=dict)
    path: Path | None = None

    def names(self) -> dict[str, str]:
        """Field by the normalised name of each column and alias that is settled for it."""
        found = {}
        for name, told in self.fields.items():
            for column in (told.column, *told.aliases):
                if column:
                    found[field_name(column)] = name
        return found

    def kinds(self) -> dict[str, str]:
        """The kinds that are settled, by field."""
        return {name: told.kind for name, told in self.fields.items() if told.kind}

    def labels(self) -> dict[str, Mapping[str, str]]:
        """The labels that are settled, by field."""
        return {name: told.labels for name, told in self.fields.items() if told.labels}

    def is_locked(self, name: str) -> bool:
        """Whether a field is locked: as settled, else if it is one whose change has wide effects."""
        return self.fields[name].locked if name in self.fields else bool(DANGEROUS.search(name))


def load_settings(path: Path) -> Settings:
    """Read and check a catalogue.toml.

    Raises:
        Unreadable: with the line, what is wrong there, and what is allowed.
    """
    try:
        text = path.read_text("utf-8")
        told = tomllib.loads(text)
    except FileNotFoundError as error:
        raise Unreadable("there is no such file", file=path, remedy="Make one with: neat-delta setup EXPORT") from error
    except (OSError, UnicodeDecodeError) as error:
        raise Unreadable("the file cannot be read as UTF-8 text", file=path) from error
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line (\d+)", str(error))
        raise Unreadable(
            f"this is no TOML: {error}",
            file=path,
            line=int(line[1]) if line else None,
            remedy="See the examples in the file that setup makes.",
        ) from error
    return _Reader(path, text).settings(told)


class _Reader:
    """Checks the parsed file part by part; knows where in the text each part stands."""

    def __init__(self, path: Path, text: str) -> None:
        self._path = path
        self._lines = text.splitlines()

    def settings(self, told: dict[str, Any]) -> Settings:
        self._check(told, TOP, None)
        self._texts(told.get("key", []), None, "key")
        fields = {}
        for name, table in told.get("fields", {}).items():
            if field_name(name) != name:
                raise self._wrong(
                    name, None, f"field names are written like {field_name(name)!r}", f"[fields.{field_name(name)}]"
                )
            if not isinstance(table, dict):
                raise self._wrong(name, None, "a field is a table", f"Write [fields.{name}] and its settings below.")
            fields[name] = self._field(name, table)
        self._check_names(fields)
        return Settings(tuple(told.get("key", [])), fields, self._path)

    def _field(self, name: str, table: dict[str, Any]) -> FieldSettings:
        self._check(table, OF_FIELD, name)
        self._texts(table.get("aliases", []), name, "aliases")
        known = sorted(kind.name for kind in kinds())
        self._one_of(table, name, "kind", known)
        self._one_of(table, name, "blank", [LEAVE, CLEAR])
        self._labels(name, table.get("labels", {}))
        if table.get("separator") == "":
            raise self._wrong("separator", name, "a separator must not be empty", 'Write one such as "|".')
        return FieldSettings(**{**table, "aliases": tuple(table.get("aliases", ()))})

    def _check(self, table: dict[str, Any], allowed: Mapping[str, type], name: str | None) -> None:
        for key, value in table.items():
            if key not in allowed:
                near = difflib.get_close_matches(key, allowed, 1)
                meant = f"Did you mean {near[0]}?" if near else "Allowed: " + ", ".join(allowed) + "."
                raise self._wrong(key, name, f"there is no setting {key!r}", meant)
            if not isinstance(value, allowed[key]):
                raise self._wrong(key, name, f"{key} must be {WORDS[allowed[key]]}", "Mend this line.", str(value))

    def _labels(self, name: str, labels: dict[str, Any]) -> None:
        """Labels must turn back into one value each."""
        for value, label in labels.items():
            if not isinstance(label, str) or not label.strip():
                raise self._wrong("labels", name, f"the label of {value!r} must be a text", "Mend it.", str(label))
        if len({label.strip().casefold() for label in labels.values()}) < len(labels):
            raise self._wrong("labels", name, "two values have the same label", "Give each value a label of its own.")
        clash = [
            v for v, label in labels.items() for other in labels if other != v and label.casefold() == other.casefold()
        ]
        if clash:
            raise self._wrong(
                "labels", name, f"the label of {clash[0]!r} is another value of the store", "Choose another."
            )

    def _texts(self, values: list[Any], name: str | None, key: str) -> None:
        for value in values:
            if not isinstance(value, str) or not value:
                raise self._wrong(key, name, f"{key} must be a list of texts", "Mend this line.", str(value))

    def _one_of(self, table: dict[str, Any], name: str, key: str, allowed: list[str]) -> None:
        if key in table and table[key] not in allowed:
            raise self._wrong(key, name, f"no such {key}", "Allowed: " + ", ".join(allowed) + ".", table[key])

    def _check_names(self, fields: Mapping[str, FieldSettings]) -> None:
        taken: dict[str, str] = {}
        for name, told in fields.items():
            for column in (told.column or name, *told.aliases):
                other = taken.setdefault(field_name(column), name)
                if other != name:
                    key = "aliases" if column in told.aliases else "column"
                    raise self._wrong(key, name, f"{column!r} already stands for {other}", "Name it once.", column)

    def _wrong(self, key: str, name: str | None, what: str, remedy: str, value: str | None = None) -> Unreadable:
        place = f"fields.{name}.{key}" if name else key
        return Unreadable(what, file=self._path, line=self._line(key, name), column=place, value=value, remedy=remedy)

    def _line(self, key: str, name: str | None) -> int | None:
        """The line on which a setting stands, below the header of its table if it has one."""
        table = re.compile(rf"^\s*\[\s*fields\s*\.\s*[\"']?{re.escape(name or key)}[\"']?\s*\]")
        setting = re.compile(rf"^\s*[\"']?{re.escape(key)}[\"']?\s*=")
        below = name is None
        for number, line in enumerate(self._lines, start=1):
            if table.match(line):
                if name is None:
                    return number
                below = True
            elif below and setting.match(line):
                return number
        return None

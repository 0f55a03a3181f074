"""catalogue.toml as a file: read, and checked part by part."""

from __future__ import annotations

import codecs
import difflib
import re
import tomllib
from dataclasses import replace
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from neat_delta.catalogue.catalogue import DELIMITERS
from neat_delta.catalogue.field import field_name
from neat_delta.catalogue.kinds import kinds
from neat_delta.catalogue.kinds.date import told_forms
from neat_delta.catalogue.settings import (
    CLEAR,
    EMPTIES,
    LEAVE,
    LEAVES,
    REPLACE,
    CheckSettings,
    Condition,
    ExportForm,
    FieldSettings,
    ImportRules,
    ListSettings,
    MoneySettings,
    RefreshSettings,
    Settings,
)
from neat_delta.errors import Unreadable

if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path

NAME = "catalogue.toml"
SIGNS = {name: sign for sign, name in DELIMITERS.items()}
TOP = {
    "key": list,
    "identity": str,
    "fields": dict,
    "export": dict,
    "import": dict,
    "lists": dict,
    "rates": dict,
    "known": dict,
    "checks": dict,
    "money": dict,
    "refresh": dict,
}
OF_FIELD = {
    "column": str,
    "aliases": list,
    "kind": str,
    "locked": bool,
    "blank": str,
    "labels": dict,
    "allowed": list,
    "separator": str,
    "ordered": bool,
    "cells": str,
    "required": bool,
    "length": int,
    "decimals": int,
    "date": str,
    "yes": str,
    "no": str,
    "unique": bool,
    "lowest": bool,
}
OF_CHECKS = {"largest_move": Decimal, "most_changed": Decimal, "margin_floor": Decimal, "off": list, "conditions": list}
OF_CONDITION = {"must": str, "level": str, "say": str}
OF_REFRESH = {"difference": list, "hours": int}
OF_MONEY = {"price": str, "cost": str, "sale_price": str, "tax": Decimal}
OF_EXPORT = {"delimiter": str, "encoding": str, "decimal": str, "header_line": int, "sheet": str}
OF_IMPORT = {
    "delimiter": str,
    "encoding": str,
    "decimal": str,
    "blank": str,
    "marker": str,
    "columns": list,
    "rows": int,
    "bytes": int,
    "table": str,
    "instead_of_removal": dict,
}
OF_LIST = OF_EXPORT | {
    "columns": dict,
    "leave_out": list,
    "match_on": str,
    "assume": dict,
    "set": list,
    "set_new": list,
    "remember": dict,
    "values": dict,
    "seen": dict,
}
WORDS = {
    str: "a text in quotes",
    list: "a list of texts",
    bool: "true or false",
    dict: "a table",
    int: "a whole number",
    Decimal: "a share such as 0.5",
}


def load_settings(path: Path) -> Settings:
    """Read and check a catalogue.toml.

    Raises:
        Unreadable: with the line, what is wrong there, and what is allowed.
    """
    try:
        text = path.read_text("utf-8")
        told = tomllib.loads(text, parse_float=Decimal)
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
        self._check(told, TOP, ())
        self._texts(told.get("key", []), (), "key")
        fields = {}
        for name, table in told.get("fields", {}).items():
            if field_name(name) != name:
                raise self._wrong(
                    name,
                    ("fields",),
                    f"field names are written like {field_name(name)!r}",
                    f"[fields.{field_name(name)}]",
                )
            if not isinstance(table, dict):
                raise self._wrong(
                    name, ("fields",), "a field is a table", f"Write [fields.{name}] and its settings below."
                )
            fields[name] = self._field(name, table)
        self._check_names(fields)
        return Settings(
            key=tuple(told.get("key", [])),
            identity=field_name(told["identity"]) if "identity" in told else None,
            fields=fields,
            export=self._export(told.get("export", {})),
            imports=self._import(told.get("import", {})),
            lists={name: self._list(name, table) for name, table in told.get("lists", {}).items()},
            rates=self._rates(told.get("rates", {})),
            known=self._known(told.get("known", {})),
            checks=self._checks(told.get("checks", {})),
            money=self._money(told.get("money", {})),
            refresh=self._refresh(told.get("refresh", {})),
            path=self._path,
        )

    def _field(self, name: str, table: dict[str, Any]) -> FieldSettings:
        place = ("fields", name)
        self._check(table, OF_FIELD, place)
        for key in ("aliases", "allowed"):
            self._texts(table.get(key, []), place, key)
        self._one_of(table, place, "kind", sorted(kind.name for kind in kinds()))
        self._one_of(table, place, "blank", [LEAVE, CLEAR])
        self._one_of(table, place, "cells", [REPLACE, "add", "take"])
        self._one_of(table, place, "date", list(told_forms()))
        self._at_least(table, place, "length", 1)
        self._at_least(table, place, "decimals", 0)
        self._labels(place, table.get("labels", {}))
        for key in ("separator", "yes", "no"):
            if table.get(key) == "":
                raise self._wrong(key, place, f"{key} must not be empty", 'Write a text such as "|" or "Y".')
        if ("yes" in table) != ("no" in table):
            raise self._wrong(
                "yes" if "yes" in table else "no", place, "yes and no go together", "Settle both tokens of a flag."
            )
        if "labels" in table and "allowed" in table:
            raise self._wrong("allowed", place, "labels and allowed say the same", "Keep one of the two.")
        return FieldSettings(
            **{**table, "aliases": tuple(table.get("aliases", ())), "allowed": tuple(table.get("allowed", ()))}
        )

    def _list(self, name: str, table: Any) -> ListSettings:
        place = ("lists", name)
        if not isinstance(table, dict):
            raise self._wrong(name, ("lists",), "a list is a table", f"Write [lists.{name}] and its settings below.")
        self._check(table, OF_LIST, place)
        for key in ("leave_out", "set", "set_new"):
            self._texts(table.get(key, []), place, key)
        for key in ("columns", "assume", "remember", "seen"):
            self._texts(list(table.get(key, {}).values()), place, key)
        for field, pairs in table.get("values", {}).items():
            if not isinstance(pairs, dict):
                remedy = f'Write {field} = {{"theirs" = "ours"}}.'
                raise self._wrong(field, (*place, "values"), "the values of a field are a table", remedy)
            self._texts(list(pairs.values()), (*place, "values"), field)
        form = {key: value for key, value in table.items() if key in OF_EXPORT}
        return ListSettings(
            form=self._export(form, place),
            columns={column: field_name(field) for column, field in table.get("columns", {}).items()},
            leave_out=tuple(map(field_name, table.get("leave_out", ()))),
            match_on=field_name(table["match_on"]) if "match_on" in table else None,
            assume={field_name(field): value for field, value in table.get("assume", {}).items()},
            rules=tuple(table.get("set", ())),
            rules_new=tuple(table.get("set_new", ())),
            remember=table.get("remember", {}),
            values={field_name(field): pairs for field, pairs in table.get("values", {}).items()},
            seen=table.get("seen", {}),
        )

    def _known(self, table: dict[str, Any]) -> dict[str, tuple[str, ...]]:
        for name, values in table.items():
            if not isinstance(values, list):
                raise self._wrong(name, ("known",), "known values are a list of texts", f'Write {name} = ["…"].')
            self._texts(values, ("known",), name)
        return {field_name(name): tuple(values) for name, values in table.items()}

    def _checks(self, table: dict[str, Any]) -> CheckSettings:
        place = ("checks",)
        self._check(table, OF_CHECKS, place)
        self._texts(table.get("off", []), place, "off")
        conditions = []
        for told in table.get("conditions", []):
            if not isinstance(told, dict) or "must" not in told:
                remedy = 'Write one such as {must = "sale_price < price", say = "a sale is cheaper"}.'
                raise self._wrong("conditions", place, "a condition is a table with what must hold", remedy)
            self._check(told, OF_CONDITION, (*place, "conditions"))
            self._one_of(told, (*place, "conditions"), "level", ["stop", "warn", "note"])
            conditions.append(Condition(**told))
        shares = {key: float(value) for key, value in table.items() if OF_CHECKS[key] is Decimal}
        for key, share in shares.items():
            if not share >= 0:
                raise self._wrong(key, place, f"{key} must be 0 or more", "Mend this line.", str(share))
        return CheckSettings(**shares, off=tuple(table.get("off", ())), conditions=tuple(conditions))

    def _money(self, table: dict[str, Any]) -> MoneySettings:
        self._check(table, OF_MONEY, ("money",))
        names = {key: field_name(value) for key, value in table.items() if key != "tax"}
        return MoneySettings(**names, tax=Decimal(table.get("tax", 0)))

    def _refresh(self, table: dict[str, Any]) -> RefreshSettings:
        place = ("refresh",)
        self._check(table, OF_REFRESH, place)
        self._texts(table.get("difference", []), place, "difference")
        self._at_least(table, place, "hours", 1)
        return RefreshSettings(tuple(map(field_name, table.get("difference", ()))), table.get("hours"))

    def _rates(self, table: dict[str, Any]) -> dict[str, str]:
        for name, rate in table.items():
            if not isinstance(rate, Decimal | int) or isinstance(rate, bool) or rate <= 0:
                raise self._wrong(name, ("rates",), "a rate must be a number above zero", "Mend this line.", str(rate))
        return {field_name(name): str(rate) for name, rate in table.items()}

    def _export(self, table: dict[str, Any], place: tuple[str, ...] = ("export",)) -> ExportForm:
        self._check(table, OF_EXPORT, place)
        self._form(table, place)
        self._at_least(table, place, "header_line", 0)
        form = ExportForm(**table)
        return replace(form, delimiter=SIGNS.get(form.delimiter or ""))

    def _import(self, table: dict[str, Any]) -> ImportRules:
        place = ("import",)
        self._check(table, OF_IMPORT, place)
        self._form(table, place)
        self._one_of(table, place, "blank", [EMPTIES, LEAVES])
        self._texts(table.get("columns", []), place, "columns")
        self._at_least(table, place, "rows", 2)
        self._at_least(table, place, "bytes", 1)
        if table.get("marker") == "":
            remedy = 'Where a blank empties a field, say blank = "empties".'
            raise self._wrong("marker", place, "a marker must not be empty", remedy)
        instead = table.get("instead_of_removal", {})
        self._texts(list(instead.values()), place, "instead_of_removal")
        listed = {
            "columns": tuple(map(field_name, table.get("columns", ()))),
            "instead_of_removal": {field_name(name): value for name, value in instead.items()},
        }
        rules = ImportRules(**{**table, **listed})
        return replace(rules, delimiter=SIGNS.get(rules.delimiter or ""))

    def _form(self, table: dict[str, Any], place: tuple[str, ...]) -> None:
        self._one_of(table, place, "delimiter", list(SIGNS))
        self._one_of(table, place, "decimal", [".", ","])
        try:
            codecs.lookup(table.get("encoding", "utf-8"))
        except LookupError as error:
            raise self._wrong(
                "encoding", place, "no such character set", 'Write one such as "utf-8" or "windows-1252".'
            ) from error

    def _check(self, table: dict[str, Any], allowed: Mapping[str, type], place: tuple[str, ...]) -> None:
        for key, value in table.items():
            if key not in allowed:
                near = difflib.get_close_matches(key, allowed, 1)
                meant = f"Did you mean {near[0]}?" if near else "Allowed: " + ", ".join(allowed) + "."
                raise self._wrong(key, place, f"there is no setting {key!r}", meant)
            # True is an int to Python, but no number to people.
            wanted = (Decimal, int) if allowed[key] is Decimal else allowed[key]
            if not isinstance(value, wanted) or (allowed[key] in (int, Decimal) and isinstance(value, bool)):
                raise self._wrong(key, place, f"{key} must be {WORDS[allowed[key]]}", "Mend this line.", str(value))

    def _at_least(self, table: dict[str, Any], place: tuple[str, ...], key: str, least: int) -> None:
        if key in table and table[key] < least:
            raise self._wrong(key, place, f"{key} must be {least} or more", "Mend this line.", str(table[key]))

    def _labels(self, place: tuple[str, ...], labels: dict[str, Any]) -> None:
        """Labels must turn back into one value each."""
        for value, label in labels.items():
            if not isinstance(label, str) or not label.strip():
                raise self._wrong("labels", place, f"the label of {value!r} must be a text", "Mend it.", str(label))
        if len({label.strip().casefold() for label in labels.values()}) < len(labels):
            raise self._wrong("labels", place, "two values have the same label", "Give each value a label of its own.")
        clash = [
            v for v, label in labels.items() for other in labels if other != v and label.casefold() == other.casefold()
        ]
        if clash:
            raise self._wrong(
                "labels", place, f"the label of {clash[0]!r} is another value of the store", "Choose another."
            )

    def _texts(self, values: list[Any], place: tuple[str, ...], key: str) -> None:
        for value in values:
            if not isinstance(value, str) or not value:
                raise self._wrong(key, place, f"{key} must be a list of texts", "Mend this line.", str(value))

    def _one_of(self, table: dict[str, Any], place: tuple[str, ...], key: str, allowed: list[str]) -> None:
        if key in table and table[key] not in allowed:
            raise self._wrong(key, place, f"no such {key}", "Allowed: " + ", ".join(allowed) + ".", table[key])

    def _check_names(self, fields: Mapping[str, FieldSettings]) -> None:
        taken: dict[str, str] = {}
        for name, told in fields.items():
            for column in (told.column or name, *told.aliases):
                other = taken.setdefault(field_name(column), name)
                if other != name:
                    key = "aliases" if column in told.aliases else "column"
                    what = f"{column!r} already stands for {other}"
                    raise self._wrong(key, ("fields", name), what, "Name it once.", column)

    def _wrong(self, key: str, place: tuple[str, ...], what: str, remedy: str, value: str | None = None) -> Unreadable:
        column = ".".join((*place, key))
        return Unreadable(what, file=self._path, line=self._line(key, place), column=column, value=value, remedy=remedy)

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

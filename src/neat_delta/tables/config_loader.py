"""catalogue.toml as a file: read, and checked part by part."""

from __future__ import annotations

import codecs
from dataclasses import replace
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from neat_delta.tables.field import field_name
from neat_delta.tables.field_types import kinds
from neat_delta.tables.field_types.date import told_forms
from neat_delta.tables.settings import (
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
from neat_delta.tables.table import DELIMITERS
from neat_delta.tables.toml_validation import Checker, read_toml

if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path

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


def load_settings(path: Path) -> Settings:
    """Read and check a catalogue.toml.

    Raises:
        Unreadable: with the line, what is wrong there, and what is allowed.
    """
    told, text = read_toml(path, "Make one with: neat-delta setup EXPORT")
    return _Reader(path, text).settings(told)


class _Reader(Checker):
    """Checks the parsed file part by part."""

    def settings(self, told: dict[str, Any]) -> Settings:
        self.check(told, TOP, ())
        self.texts(told.get("key", []), (), "key")
        fields = {}
        for name, table in told.get("fields", {}).items():
            if field_name(name) != name:
                raise self.wrong(
                    name,
                    ("fields",),
                    f"field names are written like {field_name(name)!r}",
                    f"[fields.{field_name(name)}]",
                )
            if not isinstance(table, dict):
                raise self.wrong(
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
            path=self.path,
        )

    def _field(self, name: str, table: dict[str, Any]) -> FieldSettings:
        place = ("fields", name)
        self.check(table, OF_FIELD, place)
        for key in ("aliases", "allowed"):
            self.texts(table.get(key, []), place, key)
        self.one_of(table, place, "kind", sorted(kind.name for kind in kinds()))
        self.one_of(table, place, "blank", [LEAVE, CLEAR])
        self.one_of(table, place, "cells", [REPLACE, "add", "take"])
        self.one_of(table, place, "date", list(told_forms()))
        self.at_least(table, place, "length", 1)
        self.at_least(table, place, "decimals", 0)
        self._labels(place, table.get("labels", {}))
        for key in ("separator", "yes", "no"):
            if table.get(key) == "":
                raise self.wrong(key, place, f"{key} must not be empty", 'Write a text such as "|" or "Y".')
        if ("yes" in table) != ("no" in table):
            raise self.wrong(
                "yes" if "yes" in table else "no", place, "yes and no go together", "Settle both tokens of a flag."
            )
        if "labels" in table and "allowed" in table:
            raise self.wrong("allowed", place, "labels and allowed say the same", "Keep one of the two.")
        return FieldSettings(
            **{**table, "aliases": tuple(table.get("aliases", ())), "allowed": tuple(table.get("allowed", ()))}
        )

    def _list(self, name: str, table: Any) -> ListSettings:
        place = ("lists", name)
        if not isinstance(table, dict):
            raise self.wrong(name, ("lists",), "a list is a table", f"Write [lists.{name}] and its settings below.")
        self.check(table, OF_LIST, place)
        for key in ("leave_out", "set", "set_new"):
            self.texts(table.get(key, []), place, key)
        for key in ("columns", "assume", "remember", "seen"):
            self.texts(list(table.get(key, {}).values()), place, key)
        for field, pairs in table.get("values", {}).items():
            if not isinstance(pairs, dict):
                remedy = f'Write {field} = {{"theirs" = "ours"}}.'
                raise self.wrong(field, (*place, "values"), "the values of a field are a table", remedy)
            self.texts(list(pairs.values()), (*place, "values"), field)
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
                raise self.wrong(name, ("known",), "known values are a list of texts", f'Write {name} = ["…"].')
            self.texts(values, ("known",), name)
        return {field_name(name): tuple(values) for name, values in table.items()}

    def _checks(self, table: dict[str, Any]) -> CheckSettings:
        place = ("checks",)
        self.check(table, OF_CHECKS, place)
        self.texts(table.get("off", []), place, "off")
        conditions = []
        for told in table.get("conditions", []):
            if not isinstance(told, dict) or "must" not in told:
                remedy = 'Write one such as {must = "sale_price < price", say = "a sale is cheaper"}.'
                raise self.wrong("conditions", place, "a condition is a table with what must hold", remedy)
            self.check(told, OF_CONDITION, (*place, "conditions"))
            self.one_of(told, (*place, "conditions"), "level", ["stop", "warn", "note"])
            conditions.append(Condition(**told))
        shares = {key: float(value) for key, value in table.items() if OF_CHECKS[key] is Decimal}
        for key, share in shares.items():
            if not share >= 0:
                raise self.wrong(key, place, f"{key} must be 0 or more", "Mend this line.", str(share))
        return CheckSettings(**shares, off=tuple(table.get("off", ())), conditions=tuple(conditions))

    def _money(self, table: dict[str, Any]) -> MoneySettings:
        self.check(table, OF_MONEY, ("money",))
        names = {key: field_name(value) for key, value in table.items() if key != "tax"}
        return MoneySettings(**names, tax=Decimal(table.get("tax", 0)))

    def _refresh(self, table: dict[str, Any]) -> RefreshSettings:
        place = ("refresh",)
        self.check(table, OF_REFRESH, place)
        self.texts(table.get("difference", []), place, "difference")
        self.at_least(table, place, "hours", 1)
        return RefreshSettings(tuple(map(field_name, table.get("difference", ()))), table.get("hours"))

    def _rates(self, table: dict[str, Any]) -> dict[str, str]:
        for name, rate in table.items():
            if not isinstance(rate, Decimal | int) or isinstance(rate, bool) or rate <= 0:
                raise self.wrong(name, ("rates",), "a rate must be a number above zero", "Mend this line.", str(rate))
        return {field_name(name): str(rate) for name, rate in table.items()}

    def _export(self, table: dict[str, Any], place: tuple[str, ...] = ("export",)) -> ExportForm:
        self.check(table, OF_EXPORT, place)
        self._form(table, place)
        self.at_least(table, place, "header_line", 0)
        form = ExportForm(**table)
        return replace(form, delimiter=SIGNS.get(form.delimiter or ""))

    def _import(self, table: dict[str, Any]) -> ImportRules:
        place = ("import",)
        self.check(table, OF_IMPORT, place)
        self._form(table, place)
        self.one_of(table, place, "blank", [EMPTIES, LEAVES])
        self.texts(table.get("columns", []), place, "columns")
        self.at_least(table, place, "rows", 2)
        self.at_least(table, place, "bytes", 1)
        if table.get("marker") == "":
            remedy = 'Where a blank empties a field, say blank = "empties".'
            raise self.wrong("marker", place, "a marker must not be empty", remedy)
        instead = table.get("instead_of_removal", {})
        self.texts(list(instead.values()), place, "instead_of_removal")
        listed = {
            "columns": tuple(map(field_name, table.get("columns", ()))),
            "instead_of_removal": {field_name(name): value for name, value in instead.items()},
        }
        rules = ImportRules(**{**table, **listed})
        return replace(rules, delimiter=SIGNS.get(rules.delimiter or ""))

    def _form(self, table: dict[str, Any], place: tuple[str, ...]) -> None:
        self.one_of(table, place, "delimiter", list(SIGNS))
        self.one_of(table, place, "decimal", [".", ","])
        try:
            codecs.lookup(table.get("encoding", "utf-8"))
        except LookupError as error:
            raise self.wrong(
                "encoding", place, "no such character set", 'Write one such as "utf-8" or "windows-1252".'
            ) from error

    def _labels(self, place: tuple[str, ...], labels: dict[str, Any]) -> None:
        """Labels must turn back into one value each."""
        for value, label in labels.items():
            if not isinstance(label, str) or not label.strip():
                raise self.wrong("labels", place, f"the label of {value!r} must be a text", "Mend it.", str(label))
        if len({label.strip().casefold() for label in labels.values()}) < len(labels):
            raise self.wrong("labels", place, "two values have the same label", "Give each value a label of its own.")
        clash = [
            v for v, label in labels.items() for other in labels if other != v and label.casefold() == other.casefold()
        ]
        if clash:
            raise self.wrong(
                "labels", place, f"the label of {clash[0]!r} is another value of the store", "Choose another."
            )

    def _check_names(self, fields: Mapping[str, FieldSettings]) -> None:
        taken: dict[str, str] = {}
        for name, told in fields.items():
            for column in (told.column or name, *told.aliases):
                other = taken.setdefault(field_name(column), name)
                if other != name:
                    key = "aliases" if column in told.aliases else "column"
                    what = f"{column!r} already stands for {other}"
                    raise self.wrong(key, ("fields", name), what, "Name it once.", column)

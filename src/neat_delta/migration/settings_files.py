"""Settings and run files of format 1 as those of today; comments and order stay as they are."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import tomlkit
from tomlkit.container import Container
from tomlkit.items import AoT, Array, InlineTable, Key, SingleKey, String, Table

from neat_delta.migration import format_1 as old

Place = tuple[str, ...]
Names = Mapping[Place, Mapping[str, str]]
# The edited file's columns in formulas; what stands in quotes is a text.
FILE_SIDE = re.compile(r"('(?:[^']|'')*'|\"[^\"]*\")|\blist\.")
# (Today "list" may be a table of one's own, in a profile that is not called a list.)
FORMULAS = ("set", "set_new")


def is_run_file(document: Mapping[str, Any]) -> bool:
    """Whether this is a run file and not catalogue.toml: it says where the live export is."""
    return "live" in document


def lifted_settings(text: str) -> str:
    """The text of a settings or run file with today's names; the same text if it has them already."""
    document = tomlkit.parse(text)
    run = is_run_file(document)
    lifted = _lifted_container(document, (), old.RUN_SETTINGS if run else old.SETTINGS)
    if run:
        _lift_included(lifted)
    else:
        _lift_roles(lifted)
    return lifted.as_string()


def _lifted_container(source: Container, place: Place, names: Names) -> Container:
    """What stands in a table, comments too, in its order, with the names and values of today.

    Places are named as they were.
    """
    # (As if it were parsed: nothing is laid out anew.)
    lifted = Container(parsed=True)
    new_names = _at(names, place)
    for key, item in source.body:
        if key is None:
            lifted.append(None, item)
            continue
        name = key.key
        if name in new_names and new_names[name] not in source:
            name = new_names[name]
        new = key if name == key.key else SingleKey(name, sep=_between(key))
        lifted.append(new, _lifted_item(item, (*place, key.key), names), validate=False)
    lifted.parsing(False)
    return lifted


def _between(key: Key) -> str:
    """What stands between a name and its value (blanks before the sign belong to the name as it was written)."""
    written = key.as_string()
    return written[len(written.rstrip()) :] + key.sep


def _lifted_item(item: Any, place: Place, names: Names) -> Any:
    if isinstance(item, AoT):
        return AoT([_lifted_item(one, place, names) for one in item], parsed=True)
    if isinstance(item, Table):
        inner = _lifted_container(item.value, place, names)
        return Table(inner, item.trivia, item.is_aot_element(), item.is_super_table())
    if isinstance(item, InlineTable):
        return InlineTable(_lifted_container(item.value, place, names), item.trivia)
    if isinstance(item, Array):
        for at, one in enumerate(item):
            new = _lifted_item(one, place, names)
            if new is not one:
                item[at] = new
        return item
    if isinstance(item, String):
        new = _lifted_text(str(item), place)
        return item if new == item else _like(item, new)
    return item


def _like(item: String, text: str) -> String:
    """Another text in the quotes and with the comment that this one has."""
    made = tomlkit.string(text, literal="'" in item.as_string()[:1], multiline=item.as_string()[:3] in ('"""', "'''"))
    made.trivia.comment, made.trivia.comment_ws = item.trivia.comment, item.trivia.comment_ws
    made.trivia.indent, made.trivia.trail = item.trivia.indent, item.trivia.trail
    return made


def _lifted_text(text: str, place: Place) -> str:
    if place[0] == "lists" and place[-1] in FORMULAS:
        return FILE_SIDE.sub(lambda found: found[1] or "file.", text)
    return _at(old.VALUES, place).get(text, text)


def _at(by_place: Names, place: Place) -> Mapping[str, str]:
    """What is told of a place; a name in it may be any."""
    for known, names in by_place.items():
        if len(known) == len(place) and all(one in ("*", other) for one, other in zip(known, place, strict=True)):
            return names
    return {}


def _lift_included(document: Container) -> None:
    """``include`` and ``at_most`` became two settings of their own."""
    included = document.get("include", [])
    if not isinstance(included, list):
        return  # (a mistake, which is shown as one)
    most = document.pop("at_most", None)
    document.pop("include", None)
    if "new" in included:
        document.add("add_new", True)
    if most is not None:
        document.add("delete_missing", most)


def _lift_roles(document: Container) -> None:
    """Fields for prices and costs moved from [money] to [roles]."""
    money = document.get("money", {})
    if not isinstance(money, dict) or not isinstance(document.get("roles", {}), dict):
        return
    named = {name: money.pop(name) for name in old.ROLES if name in money}
    if named:
        roles = document.setdefault("roles", tomlkit.table())
        for name, field in named.items():
            roles.setdefault(name, field)
    if "money" in document and not money:
        document.pop("money")

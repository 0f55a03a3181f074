"""Change sets of format 1 as change sets of today."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import orjson

from neat_delta.errors import InvalidInput
from neat_delta.migration import format_1 as old

if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path

    Members = dict[str, Any]


def lifted_change_set(data: bytes, path: Path) -> bytes:
    """The same changes in format 2; items, values and their texts stay as they are.

    Raises:
        InvalidInput: a line is damaged.
    """
    lines = []
    for number, line in enumerate(data.splitlines(), 1):
        try:
            members = orjson.loads(line)
            lines.append(orjson.dumps(_head(members) if number == 1 else _item(members)))
        except (ValueError, TypeError, AttributeError, KeyError) as error:
            raise InvalidInput(
                "this line is damaged", file=path, line=number, hint="Make the change set again."
            ) from error
    return b"".join(line + b"\n" for line in lines)


def _head(members: Members) -> Members:
    head = _renamed(members, old.HEAD_MEMBERS) | {"neat_delta": 2}
    for file in ("live", "edited"):
        head[file] = _renamed(head[file], old.FILE_MEMBERS)
    head["fields"] = {name: _field(field) for name, field in head["fields"].items()}
    head["counts"] = _renamed(head["counts"], old.STATES)
    if "overrides" in head:
        allowed = _renamed(head["overrides"], old.OVERRIDES)
        allowed |= {"ignore": [_text(name, old.CHECKS) for name in allowed.get("ignore", [])]}
        head["overrides"] = {name: names for name, names in allowed.items() if names}
    return head


def _field(members: Members) -> Members:
    field = _renamed(members, old.FIELD_MEMBERS)
    return field | {"type": _text(field["type"], old.TYPES)}


def _item(members: Members) -> Members:
    item = _renamed(members, old.ITEM_MEMBERS)
    if "row_state" in item:
        item["row_state"] = _text(item["row_state"], old.STATES)
    if "findings" in item:
        item["findings"] = [_finding(finding) for finding in item["findings"]]
    return item


def _finding(members: Members) -> Members:
    finding = _renamed(members, old.FINDING_MEMBERS)
    level = _text(finding["level"], old.LEVELS)
    return finding | {"code": _text(finding["code"], old.CHECKS), "level": level}


def _renamed(members: Members, names: Mapping[str, str]) -> Members:
    return {names.get(name, name): value for name, value in members.items()}


def _text(value: str, names: Mapping[str, str]) -> str:
    return names.get(value, value)

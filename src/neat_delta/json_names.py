"""Dataclasses as JSON objects, where a member's name in a file differs from its name in the code."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from typing import TYPE_CHECKING, Any, TypeVar

if TYPE_CHECKING:
    from collections.abc import Callable

T = TypeVar("T")
_NAMES: dict[type, dict[str, str]] = {}


def json_names(**names: str) -> Callable[[type[T]], type[T]]:
    """A class decorator: these members (name in the code) have those names in files."""

    def register(cls: type[T]) -> type[T]:
        _NAMES[cls] = names
        return cls

    return register


def to_json(value: Any) -> Any:
    """A dataclass, and those inside it, as dictionaries with the names that files use; other values as they are."""
    if is_dataclass(value) and not isinstance(value, type):
        names = _NAMES.get(type(value), {})
        return {names.get(member.name, member.name): to_json(getattr(value, member.name)) for member in fields(value)}
    if isinstance(value, dict):
        return {key: to_json(each) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [to_json(each) for each in value]
    return value


def from_json(cls: type[T], data: dict[str, Any]) -> T:
    """A dataclass from a dictionary with the names that files use.

    Raises:
        TypeError: a name is unknown, or one without a default is missing.
    """
    names = {edited: live for live, edited in _NAMES.get(cls, {}).items()}
    return cls(**{names.get(name, name): value for name, value in data.items()})

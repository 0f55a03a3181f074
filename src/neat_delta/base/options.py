"""How an option is declared: once, as a member of a request, for every door that leads to the job.

The command line, the arguments of the Python API, the keys of a run file, variables, completion and the reference
follow from it.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Hashable, Mapping
from dataclasses import MISSING, dataclass, fields
from datetime import datetime
from functools import cache
from os import PathLike
from types import UnionType
from typing import TYPE_CHECKING, Any, Literal, Union, get_args, get_origin, get_type_hints

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint

if TYPE_CHECKING:
    from collections.abc import Callable

MATCHING = "Matching rows and columns"
SCOPE = "Which items and fields"
VALUES = "Values"
SUPPLIER = "Supplier files"
OUTPUT = "Output"
SAFETY = "Safety, this run only"
READING = "Reading the file"
DISPLAY = "Display"
GROUPS = (MATCHING, SCOPE, VALUES, SUPPLIER, OUTPUT, SAFETY, READING, DISPLAY)

OPTION = "option"


@dataclass(frozen=True)
class Option:
    """What people need to know of an option, and how its value is written.

    Attributes:
        group: the heading of the help under which it is.
        help: what it does.
        metavar: how the help names its value.
        common: whether the short help has it.
        names: what it is called on the command line; without any, as the member of the request.
        choices: the words it can be; a function of them where plug-ins bring more.
        least: the smallest number it can be.
        required: whether the command line insists on it, because it makes nothing else.
        shows_default: whether the help shows the default.
    """

    group: str
    help: str
    metavar: str | None = None
    common: bool = False
    names: tuple[str, ...] = ()
    choices: tuple[str, ...] | Callable[[], tuple[str, ...]] = ()
    least: int | None = None
    shows_default: bool = False
    required: bool = False

    def words(self) -> tuple[str, ...]:
        """The words it can be; none if it is no choice."""
        return self.choices() if callable(self.choices) else self.choices


def option(default: Any, group: str, help_text: str, **declared: Any) -> Any:
    """A member of a request that is an option; ``declared`` are further attributes of ``Option``."""
    metadata = {OPTION: Option(group, help_text, **declared)}
    if default is MISSING:
        return dataclasses.field(metadata=metadata)
    if isinstance(default, dict):
        return dataclasses.field(default_factory=dict, metadata=metadata)
    return dataclasses.field(default=default, metadata=metadata)


def options_of(request: type) -> dict[str, Option]:
    """The options of a request by the names of its members, in the order of the help."""
    return {one.name: one.metadata[OPTION] for one in fields(request) if OPTION in one.metadata}


def declared_types(request: type) -> dict[str, Any]:
    """The type of each option; of the core's own classes only that they are some object, for none is loaded here."""
    return _declared_types(request)


@cache
def _declared_types(request: Hashable) -> dict[str, Any]:
    assert isinstance(request, type)
    types = get_type_hints(request, localns={"Table": object, "ChangeSet": object, "Settings": object})
    return {name: types[name] for name in options_of(request)}


def without_none(declared: Any) -> Any:
    """The type of a value that is given, where it may be left out."""
    parts = [part for part in get_args(declared) if part is not type(None)]
    is_optional = get_origin(declared) in (Union, UnionType) and len(parts) == 1
    return parts[0] if is_optional else declared


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class Options:
    """Members of a request that are options; values that none of its doors can take are refused at once.

    Raises:
        InvalidOption: a value is of another kind, or a word or a number that the option cannot be.
    """

    def __post_init__(self) -> None:
        """A single text where several may be given is one of them."""
        types = declared_types(type(self))
        for name, declared in options_of(type(self)).items():
            value = getattr(self, name)
            if value is None:
                continue
            kind = get_origin(without_none(types[name])) or without_none(types[name])
            if kind is tuple and isinstance(value, str):
                value = (value,)
            _insist_on_kind(name, kind, value, get_args(types[name]) or (types[name],))
            _insist_on_choice(name, declared, value)
            if kind is tuple:
                object.__setattr__(self, name, tuple(value))


# What a value of each kind is, for those who gave another; what is not here is a path, an address or a table.
KINDS: dict[Any, tuple[tuple[type, ...], str]] = {
    bool: ((bool,), "Give true or false."),
    str: ((str,), "Give a text."),
    int: ((int,), "Give a whole number."),
    tuple: ((list, tuple), "Give a list of texts."),
    Mapping: ((Mapping,), "Give pairs."),
    datetime: ((datetime,), "Give a date and time."),
}
NO_PLACE = (bool, int, float, list, tuple, Mapping)


def _insist_on_kind(name: str, kind: Any, value: Any, parts: tuple[Any, ...]) -> None:
    """Refuse a value of another kind than the option's, or, where it is a place or a table, than its ``parts``.

    Raises:
        InvalidOption: it is one.
    """
    if kind is Literal:
        return
    places = tuple(part for part in parts if isinstance(part, type))
    takes, hint = KINDS.get(kind, ((*places, str, PathLike), "Give a path or an address."))
    is_wrong = not isinstance(value, takes) or (kind not in KINDS and isinstance(value, NO_PLACE))
    is_wrong |= kind is int and isinstance(value, bool)
    if is_wrong or (kind is tuple and not all(isinstance(one, str) for one in value)):
        raise InvalidOption("not what this option can be", option=name, value=str(value), hint=hint)


def _insist_on_choice(name: str, declared: Option, value: Any) -> None:
    """Refuse a word or a number that the option cannot be.

    Raises:
        InvalidOption: it is one.
    """
    if declared.choices and value not in (words := declared.words()):
        hint = nearest_hint(str(value), list(words), "Choose from")
        raise InvalidOption("there is no such choice", option=name, value=str(value), hint=hint)
    if declared.least is not None and value < declared.least:
        hint = f"Give a whole number, {declared.least} or more."
        raise InvalidOption("not a number that it can be", option=name, value=str(value), hint=hint)


def words_of(literal: Any) -> tuple[str, ...]:
    """The words of a ``Literal``."""
    return get_args(literal)

"""How an option is declared: once, as a member of a request, for every door that leads to the job.

The command line, the arguments of the Python API, the keys of a run file, variables, completion and the reference
follow from it.
"""

from __future__ import annotations

import dataclasses
from dataclasses import MISSING, dataclass, fields
from typing import TYPE_CHECKING, Any, get_args, get_type_hints

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
    types = get_type_hints(request, localns={"Table": object, "ChangeSet": object, "Settings": object})
    return {name: types[name] for name in options_of(request)}


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class Options:
    """Members of a request that are options; values that none of its doors can take are refused at once.

    Raises:
        InvalidOption: a word or a number is none that the option can be.
    """

    def __post_init__(self) -> None:
        """A single text where several may be given is one of them; words and numbers are what they can be."""
        for one in fields(self):
            declared = one.metadata.get(OPTION)
            value = getattr(self, one.name)
            if declared is None or value is None or value is one.default:
                continue
            if str(one.type).startswith("tuple["):
                object.__setattr__(self, one.name, (value,) if isinstance(value, str) else tuple(value))
            _insist(one.name, declared, value)


def _insist(name: str, declared: Option, value: Any) -> None:
    """Refuse a value that the option cannot have."""
    words = declared.words() if declared.choices else ()
    if words and value not in words:
        hint = nearest_hint(str(value), list(words), "Choose from")
        raise InvalidOption("there is no such choice", option=name, value=str(value), hint=hint)
    if declared.least is not None and (not isinstance(value, int) or isinstance(value, bool) or value < declared.least):
        hint = f"Give a whole number, {declared.least} or more."
        raise InvalidOption("not a number that it can be", option=name, value=str(value), hint=hint)


def words_of(literal: Any) -> tuple[str, ...]:
    """The words of a ``Literal``."""
    return get_args(literal)

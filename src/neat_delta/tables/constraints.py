"""What a setting may be, declared in its type: ``Annotated[int, AtLeast(1)]``; the loader converts and refuses by it.

A constraint has ``convert(value)``: the value as the program uses it; it raises ``InvalidSetting`` for one it refuses.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Annotated, Any

from neat_delta.base.errors import InvalidOption
from neat_delta.locations import parse_place
from neat_delta.locations.dated_names import with_dates
from neat_delta.tables.encodings import codec_name
from neat_delta.tables.field import field_name
from neat_delta.tables.table import DELIMITERS

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from neat_delta.locations import Place

FIX = "Correct this line."
# No setting that counts something needs more.
MOST = 1_000_000_000
RATE_LOWEST, RATE_HIGHEST, RATE_DIGITS = Decimal("0.00000001"), 1_000_000_000, 15


class InvalidSetting(ValueError):
    """One mistake in a file of settings.

    Args:
        message: what is wrong; ``{key}`` stands for the setting's name.
        hint: what to write instead.
        value: what the file has, where that helps.
        key: the setting within a table, where a whole table is judged.
        unknown: whether there is no such setting.
    """

    def __init__(
        self, message: str, hint: str = FIX, value: object = None, key: str | None = None, *, unknown: bool = False
    ) -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint
        self.value = None if value is None else str(value)
        self.key = key
        self.unknown = unknown


@dataclass(frozen=True)
class Key:
    """The setting has this name in the file, where that is no name for the code."""

    name: str


@dataclass(frozen=True)
class Inlined:
    """The members of this dataclass stand in the file's table itself."""


@dataclass(frozen=True)
class NotInFile:
    """Only the program sets it."""


@dataclass(frozen=True)
class AtLeast:
    """A number no smaller than this."""

    least: int

    def convert(self, value: Any) -> Any:
        """The number."""
        if not value >= self.least:  # which is so of NaN as well
            raise InvalidSetting(f"{{key}} must be {self.least} or more", value=value)
        return value


@dataclass(frozen=True)
class AtMost:
    """A number no larger than this."""

    most: int

    def convert(self, value: Any) -> Any:
        """The number."""
        if value > self.most:
            raise InvalidSetting(f"{{key}} must be {self.most} or less", value=value)
        return value


@dataclass(frozen=True)
class Rate:
    """A number above zero that formulas can calculate with."""

    def convert(self, value: Any) -> Any:
        """The number."""
        if not RATE_LOWEST <= value <= RATE_HIGHEST or len(Decimal(value).as_tuple().digits) > RATE_DIGITS:
            raise InvalidSetting(
                f"a rate must be a number from {RATE_LOWEST:f} to {RATE_HIGHEST}, of {RATE_DIGITS} digits at most",
                value=value,
            )
        return value


@dataclass(frozen=True)
class OneOf:
    """One of these texts; they may be looked up only when a file is read."""

    choices: Sequence[str] | Callable[[], Sequence[str]]

    def convert(self, value: str) -> str:
        """The text."""
        choices = self.choices() if callable(self.choices) else self.choices
        if value not in choices:
            raise InvalidSetting("not a valid {key}", "Allowed: " + ", ".join(choices) + ".", value)
        return value


@dataclass(frozen=True, eq=False)
class Translated:
    """One of these words, which stands for something else."""

    meanings: Mapping[str, str]

    def convert(self, value: str) -> str:
        """What the word stands for."""
        return self.meanings[OneOf(tuple(self.meanings)).convert(value)]


@dataclass(frozen=True)
class FileNamePattern:
    """A pattern of file names with the number of the file, which must be different for each file."""

    members: Sequence[str]

    def convert(self, value: str) -> str:
        """The pattern."""
        allowed = ", ".join(f"{{{name}}}" for name in self.members)
        used = re.findall(r"\{([^{}]*)\}", value)
        strange = [name for name in used if name not in self.members]
        rest = re.sub(r"\{[^{}]*\}", "", value)
        if strange or not re.fullmatch(r"[\w.() +-]*", rest):
            raise InvalidSetting("not a valid {key}", f"Use letters, digits, - and _, and: {allowed}.", value)
        if "number" not in used:
            raise InvalidSetting("{key} must have {number}, or two files would have one name", "Add it.", value)
        return value


@dataclass(frozen=True)
class NotEmpty:
    """A text with something in it."""

    message: str = "{key} must not be empty"
    hint: str = 'Write a text such as "|" or "Y".'

    def convert(self, value: str) -> str:
        """The text."""
        if not value:
            raise InvalidSetting(self.message, self.hint)
        return value


@dataclass(frozen=True)
class AsFieldName:
    """A field's name; it is normalised, or ``strict``ly has to be so already."""

    strict: bool = False

    def convert(self, value: str) -> str:
        """The normalised name."""
        name = field_name(value)
        if self.strict and name != value:
            raise InvalidSetting(f"field names are written like {name!r}", f"[fields.{name}]")
        return name


@dataclass(frozen=True)
class AsEncoding:
    """A character set that Python knows."""

    def convert(self, value: str) -> str:
        """The name of its codec."""
        try:
            return codec_name(value)
        except LookupError as error:
            raise InvalidSetting("unknown encoding", 'Example: "utf-8" or "windows-1252".') from error


SIGNS = {name: sign for sign, name in DELIMITERS.items()}
FieldName = Annotated[str, AsFieldName()]
Delimiter = Annotated[str, Translated(SIGNS)]
Encoding = Annotated[str, AsEncoding()]
DecimalSeparator = Annotated[str, OneOf((".", ","))]
Count = Annotated[int, AtLeast(1), AtMost(MOST)]
CountOrZero = Annotated[int, AtLeast(0), AtMost(MOST)]


@dataclass(frozen=True)
class AsPlace:
    """A folder of this machine, or an address without a password."""

    written_as = str

    def convert(self, value: str) -> Place:
        """The folder or the address."""
        try:
            return parse_place(with_dates(value))
        except InvalidOption as error:
            raise InvalidSetting(error.what, error.hint or FIX, error.file) from error

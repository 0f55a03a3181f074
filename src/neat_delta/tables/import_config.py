"""``[import]`` of catalogue.toml: how the shop reads an update."""

from __future__ import annotations

# (The loader looks these types up when it runs.)
from collections.abc import Iterator, Mapping  # noqa: TC003
from dataclasses import dataclass, field
from typing import Annotated, Any

from neat_delta.base.json_form import to_json
from neat_delta.tables.constraints import (
    AtLeast,
    Count,
    DecimalSeparator,
    Delimiter,
    Encoding,
    FieldName,
    FileNamePattern,
    InvalidSetting,
    NotEmpty,
    OneOf,
)
from neat_delta.tables.field import field_name

EMPTIES, LEAVES = "empties", "leaves"
# What files of an update are called, by what becomes of their items; and what a file name may be made of.
KINDS_OF_FILES = ("codes", "new-items", "changes", "removals")
PATTERN_MEMBERS = ("number", "content", "date", "time", "id")


@dataclass(frozen=True)
class ImportConfig:
    """``[import]``: how the shop reads an update; what is ``None`` is as in its exports."""

    delimiter: Delimiter | None = None
    """The delimiter of the files: `comma`, `semicolon`, `tab` or `pipe`."""
    encoding: Encoding | None = None
    """The encoding of the files."""
    decimal: DecimalSeparator | None = None
    """The decimal separator of the files."""
    blank: Annotated[str, OneOf((EMPTIES, LEAVES))] | None = None
    """What a blank cell does in the shop: `empties` the field (default) or `leaves` it. With `leaves`, an update is one
    file with blank cells."""
    marker: (
        Annotated[str, NotEmpty("a marker must not be empty", 'If a blank empties a field, set blank = "empties".')]
        | None
    ) = None
    """The text that empties a field. If a blank cell leaves it and there is no marker, no file can empty a field, and
    such changes are errors."""
    columns: tuple[FieldName, ...] = ()
    """Fields that every file must have; unchanged ones have the live value."""
    rows: Annotated[int, AtLeast(2)] | None = None
    """Maximum rows of one file, with the header; longer files are split."""
    bytes: Count | None = None
    """Maximum bytes of one file."""
    table: str = "items"
    """The database table for updates as SQL; default `items`."""
    names: Mapping[FieldName, Annotated[str, NotEmpty()]] = field(default_factory=dict)
    """The importer's own column names, where they are not those of the export: `{price = "Verkaufspreis"}`."""
    constants: Mapping[Annotated[str, OneOf(KINDS_OF_FILES)], Mapping[Annotated[str, NotEmpty()], str]] = field(
        default_factory=dict
    )
    """Columns with the same value in every row, for each kind of file: `{changes = {action = "update"}}`. Kinds:
    `codes`, `new-items`, `changes`, `removals`."""
    file_name: Annotated[str, FileNamePattern(PATTERN_MEMBERS)] = "{number}-{content}"
    """The names of the files, such as `"{date}-{time}-{number}-{content}"`, so that two updates never have a file of
    the same name; `{id}` is the beginning of the change set's checksum. Dates and times are UTC."""
    instead_of_removal: Mapping[FieldName, str] = field(default_factory=dict)
    """Values for an item that would be deleted, such as `{active = "0"}` or `{category = "Archive"}`, if
    the shop keeps such items."""

    def as_dict(self) -> dict[str, Any]:
        """The same for JSON, without what is as by default."""
        return {name: value for name, value in to_json(self).items() if value != to_json(_DEFAULT)[name]}

    def mistakes(self) -> Iterator[InvalidSetting]:
        """Two fields must not have one column name."""
        taken: dict[str, str] = {}
        for name, column in self.names.items():
            other = taken.setdefault(field_name(column), name)
            if other != name:
                yield InvalidSetting(
                    f"{column!r} is already the name of {other}", "Use it once.", column, f"names.{name}"
                )

    @property
    def can_empty(self) -> bool:
        """Whether a file can empty a field at all."""
        return not self.leaves_blanks or self.marker is not None

    @property
    def leaves_blanks(self) -> bool:
        """Whether a blank cell leaves a field alone; where nobody has said so, it is taken to empty it."""
        return self.blank == LEAVES


_DEFAULT = ImportConfig()

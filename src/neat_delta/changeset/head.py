"""The head of a change set: where it came from, what its run let through, and what later commands must know."""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any, Literal

from neat_delta.base.json_form import to_json
from neat_delta.files.user_data import folded_name, names_as_text, user_name
from neat_delta.tables import FilePart, field_name

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.tables import Table
    from neat_delta.tables.import_config import ImportConfig


@dataclass(frozen=True)
class FileRef:
    """By what a file is known again: its name, its number of rows, its SHA-256; and how it was read, where it is text.

    Whoever reads it again must read it just so: what a file is, is not guessed twice. Several files have ``parts``.
    """

    name: str
    rows: int
    sha256: str
    delimiter: str | None = None
    encoding: str | None = None
    decimal_separator: str | None = None
    header_line: int | None = None
    parts: tuple[FilePart, ...] = ()

    def as_dict(self) -> dict[str, Any]:
        """The same for JSON, without what is not known."""
        return {name: value for name, value in to_json(self).items() if value is not None and value != []}


def file_ref(table: Table, rows: int) -> FileRef:
    """The stamp of a file that was read."""
    form = table.format
    as_read = () if form.container else (form.delimiter, form.encoding, form.decimal_separator, form.header_line)
    return replace(FileRef(table.source.name, rows, table.source.sha256, *as_read), parts=table.parts)


@dataclass(frozen=True)
class FieldInfo:
    """What a change set must remember of a field: its column in the live export, its kind, its decimal separator.

    ``separator`` parts the values of a cell that may hold several. ``decimals_shown``: with how many decimals the
    field's changed numbers were written in the edited file, if nearly all had as many.
    """

    column: str
    type: str
    decimal_separator: str | None = None
    separator: str | None = None
    decimals_shown: int | None = None


@dataclass(frozen=True)
class Overrides:
    """What one run lets through: locked fields, new values, what looks like damage (all by field), checks (by name).

    ``allow``: checks of single fields, each as "FIELD=CHECK".
    """

    unlock: tuple[str, ...] = ()
    allow_new_values: tuple[str, ...] = ()
    as_typed: tuple[str, ...] = ()
    ignore: tuple[str, ...] = ()
    allow: tuple[str, ...] = ()

    def as_dict(self) -> dict[str, list[str]]:
        """The same without what is empty, for a change set's head."""
        return {name: values for name, values in to_json(self).items() if values}

    def joined(self, *others: Overrides) -> Overrides:
        """What this run and others let through, each once."""
        every = (self, *others)
        return Overrides(
            **{
                sort.name: tuple(dict.fromkeys(value for one in every for value in getattr(one, sort.name)))
                for sort in fields(self)
            }
        )


@dataclass(frozen=True)
class Exclusion:
    """What was left out when a part of a change set was picked: how the part was named, and what people said."""

    by: str
    cells: int
    items: int
    comments: tuple[str, ...] = ()


@dataclass(frozen=True)
class Identity:
    """By what items are known whose key changes: a field, and its value of each such item by the key it has now."""

    field: str
    values: dict[str, str]

    def rekeyed(self, keys: Mapping[str, str]) -> Identity:
        """The same where items have other keys."""
        return Identity(self.field, {keys.get(key, key): value for key, value in self.values.items()})


Rule = Literal["other", "any"]
OTHER: Rule = "other"


@dataclass(frozen=True)
class Head:
    """Where a change set came from, and what its run let through.

    Attributes:
        key: the fields that identify an item.
        live: the live export.
        edited: the edited file.
        fields: what later commands must know of each field.
        other_rows: by state, the rows of the edited file that no item stands for, and the live items without a row.
        made: when, as a time by ISO 8601.
        made_by: who made it: each person as the system or NEAT_DELTA_USER names them, in the order of their work.
        approval: who has to approve it, by the settings under which it was made: another person, or anybody.
        overrides: what the run let through.
        exclusions: what was left out when parts were picked.
        identity: by what items are known whose key changes.
        imports: how the shop reads an update, by the settings under which it was made; ``None``: as its exports are.
        destination: the name of the place for which it was made; ``None``: for any.
    """

    key: tuple[str, ...]
    live: FileRef
    edited: FileRef
    fields: dict[str, FieldInfo]
    other_rows: dict[str, int]
    made: str = field(default_factory=lambda: datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ"))
    overrides: Overrides = field(default_factory=Overrides)
    exclusions: tuple[Exclusion, ...] = ()
    identity: Identity | None = None
    made_by: tuple[str, ...] = field(default_factory=lambda: tuple(filter(None, (user_name(),))))
    approval: Rule | None = None
    imports: ImportConfig | None = None
    destination: str | None = None

    def with_rule(self, *rules: Rule | None) -> Head:
        """The same, with the strictest of its own rule and these."""
        given = [one for one in (self.approval, *rules) if one is not None]
        return replace(self, approval=OTHER if OTHER in given else next(iter(given), None))

    @property
    def makers(self) -> str | None:
        """Those who made it, in one text; ``None``: nobody knows."""
        return names_as_text(self.made_by)

    def with_maker(self) -> Head:
        """The same, with the person at work among those who made it."""
        person = user_name()
        if person is None or folded_name(person) in map(folded_name, self.made_by):
            return self
        return replace(self, made_by=(*self.made_by, person))

    def names(self) -> dict[str, str]:
        """The field that each column of the live export stands for, by the column's normalised name."""
        return {field_name(info.column): name for name, info in self.fields.items()}

"""What a person has settled about the catalogue, once, instead of having it recognised each time."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from neat_delta.catalogue.field import field_name
from neat_delta.catalogue.kinds import FormSettings
from neat_delta.catalogue.kinds.date import told_forms

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import Path

REPLACE = "replace"
LEAVE, CLEAR = "leave", "clear"
EMPTIES, LEAVES = "empties", "leaves"
# What a shop keeps itself, or what changes far more than one cell when it changes.
DANGEROUS = re.compile(
    r"^(item_|product_)?(id|type|uuid)$|(^|_)(tax_class|attribute_(set|group))$|^(added|created|updated|changed)(_at|_on)?$"
)


@dataclass(frozen=True)
class FieldSettings:
    """What is settled of one field.

    ``column`` and ``aliases``: its column and other names for it; ``kind``; ``locked``; ``blank``: what a blank cell
    means. ``labels``: what people read for each value that the store writes; ``allowed``: the values of a limited
    field. ``separator``: what parts several values in one cell, ``ordered`` if their order counts, ``cells``: whether
    the values in a sheet "replace" them, or are there to "add" or "take". ``required``: it must not be emptied;
    ``length``: the longest text. ``decimals``, ``date``, ``yes`` and ``no``: its form.
    """

    column: str | None = None
    aliases: tuple[str, ...] = ()
    kind: str | None = None
    locked: bool = False
    blank: str | None = None
    labels: Mapping[str, str] = field(default_factory=dict)
    allowed: tuple[str, ...] = ()
    separator: str | None = None
    ordered: bool = False
    cells: str = REPLACE
    required: bool = False
    length: int | None = None
    decimals: int | None = None
    date: str | None = None
    yes: str | None = None
    no: str | None = None

    @property
    def form(self) -> FormSettings:
        """What is settled of the form of its values."""
        return FormSettings(self.decimals, told_forms()[self.date] if self.date else None, self.yes, self.no)

    @property
    def limited(self) -> tuple[str, ...]:
        """The values that the store knows, if they are settled; none if the field is open."""
        return tuple(self.labels) or self.allowed


NOTHING_SETTLED = FieldSettings()


@dataclass(frozen=True)
class ExportForm:
    """How the shop writes its exports; what is ``None`` is recognised."""

    delimiter: str | None = None
    encoding: str | None = None
    decimal: str | None = None
    header_line: int | None = None
    sheet: str | None = None


@dataclass(frozen=True)
class ImportRules:
    """How the shop reads an update; what is ``None`` is as in its exports.

    ``blank``: whether a blank cell "empties" a field or "leaves" it; ``marker``: what is written to empty a field
    where a blank does not. ``columns``: fields that every file must have beside the key. ``rows`` and ``bytes``: the
    most that one file may have, the header among them.
    """

    delimiter: str | None = None
    encoding: str | None = None
    decimal: str | None = None
    blank: str = EMPTIES
    marker: str | None = None
    columns: tuple[str, ...] = ()
    rows: int | None = None
    bytes: int | None = None

    @property
    def can_empty(self) -> bool:
        """Whether a file can empty a field at all."""
        return self.blank == EMPTIES or self.marker is not None


@dataclass(frozen=True)
class ListSettings:
    """What is settled of a list that comes again and again: its form, and how it is brought into our terms.

    ``columns``: the field for each column that is not known by its name; ``leave_out``: fields that the list must not
    touch; ``match_on``: the field that names items in it, if not the key; ``assume``: constants, by field; ``rules``:
    how values are computed, ``rules_new``: how those of new items are, where it is another way; ``remember``: our code
    for each of theirs; ``values``: by field, our value for each of theirs; ``seen``: the columns that it had last time,
    and what they held.
    """

    form: ExportForm = field(default_factory=ExportForm)
    columns: Mapping[str, str] = field(default_factory=dict)
    leave_out: tuple[str, ...] = ()
    match_on: str | None = None
    assume: Mapping[str, str] = field(default_factory=dict)
    rules: tuple[str, ...] = ()
    rules_new: tuple[str, ...] = ()
    remember: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    seen: Mapping[str, str] = field(default_factory=dict)

    @property
    def is_told(self) -> bool:
        """Whether anything at all is settled of the list, besides its form."""
        return replace(self, form=ExportForm()) != ListSettings()


@dataclass(frozen=True)
class Settings:
    """The whole of catalogue.toml; everything may be left out. ``path`` is where it stands, if it does.

    ``rates`` are numbers for rules, as they are written there.
    """

    key: tuple[str, ...] = ()
    fields: Mapping[str, FieldSettings] = field(default_factory=dict)
    export: ExportForm = field(default_factory=ExportForm)
    imports: ImportRules = field(default_factory=ImportRules)
    lists: Mapping[str, ListSettings] = field(default_factory=dict)
    rates: Mapping[str, str] = field(default_factory=dict)
    path: Path | None = None

    def of(self, name: str) -> FieldSettings:
        """What is settled of a field; nothing at all if it is not mentioned."""
        return self.fields.get(name, NOTHING_SETTLED)

    def names(self) -> dict[str, str]:
        """Field by the normalised name of each column and alias that is settled for it."""
        found = {}
        for name, told in self.fields.items():
            for column in (told.column, *told.aliases):
                if column:
                    found[field_name(column)] = name
        return found

    def labels(self) -> dict[str, Mapping[str, str]]:
        """The labels that are settled, by field."""
        return {name: told.labels for name, told in self.fields.items() if told.labels}

    def unknown_in(self, names: Sequence[str]) -> list[str]:
        """Which of these fields are not settled."""
        return [name for name in names if name not in self.fields]

    def missing_in(self, names: Sequence[str]) -> list[str]:
        """Which settled fields are not among these."""
        return [name for name in self.fields if name not in names]

    def is_locked(self, name: str) -> bool:
        """Whether a field is locked: as settled, else if it is one whose change has wide effects."""
        return self.fields[name].locked if name in self.fields else bool(DANGEROUS.search(name))

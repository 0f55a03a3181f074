"""The ChangeSet value: what is to become of which item, on two frames and a head; and the frame of findings."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.json_names import json_names, to_json
from neat_delta.matching.positions import positions_of
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.tables import Table

# ``key`` holds the parts of an item's key joined by the unit separator, in the head's order.
# ``to`` is the key that an item gets, if it gets another one.
ITEMS = {"key": pl.String, "do": pl.String, "line": pl.UInt32, "name": pl.String, "to": pl.String}
CELLS = {"key": pl.String, "field": pl.String, "was": pl.String, "now": pl.String}
FINDINGS = {
    "check": pl.String,
    "level": pl.String,
    "key": pl.String,
    "field": pl.String,
    "line": pl.UInt32,
    "value": pl.String,
    "say": pl.String,
}
# The check whose findings name cells that get their live value back.
REPAIRED = "repaired"
CHANGE, ADD, REMOVE, RECODE, NONE = "change", "add", "remove", "recode", "none"
# Rows of items that were not chosen are in none of these states.
EXCLUDED = "outside"
# Rows that a person left out of a change set.
LEFT_OUT_ROW = "left_out"
STATES = ("changed", "same", "new", "repeated", "unreadable", "refused")


@json_names(encoding="charset", decimal_separator="mark")
@dataclass(frozen=True)
class FileRef:
    """By what a file is known again: its name, its number of rows, its SHA-256; and how it was read, where it is text.

    Whoever reads it again must read it just so: what a file is, is not guessed twice.
    """

    name: str
    rows: int
    sha256: str
    delimiter: str | None = None
    encoding: str | None = None
    decimal_separator: str | None = None
    header_line: int | None = None

    def as_dict(self) -> dict[str, str | int]:
        """The same for JSON, without what is not known."""
        return {name: value for name, value in to_json(self).items() if value is not None}


def file_ref(table: Table, rows: int) -> FileRef:
    """The stamp of a file that was read."""
    form = table.format
    as_read = () if form.container else (form.delimiter, form.charset, form.decimal_separator, form.header_line)
    return FileRef(table.source.name, rows, table.source.sha256, *as_read)


@json_names(type="kind", decimal_separator="mark")
@dataclass(frozen=True)
class FieldInfo:
    """What a change set must remember of a field: its column in the live export, its kind, its decimal mark.

    ``separator`` parts the values of a cell that may hold several.
    """

    column: str
    type: str
    decimal_separator: str | None = None
    separator: str | None = None


@json_names(ignore="let")
@dataclass(frozen=True)
class Overrides:
    """What one run lets through: locked fields, new values, what looks like damage (all by field), checks (by name)."""

    unlock: tuple[str, ...] = ()
    allow_new_values: tuple[str, ...] = ()
    as_typed: tuple[str, ...] = ()
    ignore: tuple[str, ...] = ()

    def as_dict(self) -> dict[str, list[str]]:
        """The same without what is empty, for a change set's head."""
        return {name: fields for name, fields in to_json(self).items() if fields}


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


@dataclass(frozen=True)
class Head:
    """Where a change set came from, how it counts, and what its run let through. ``made`` is a time by ISO 8601."""

    key: tuple[str, ...]
    live: FileRef
    edited: FileRef
    fields: dict[str, FieldInfo]
    counts: dict[str, int]
    made: str = field(default_factory=lambda: datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ"))
    overrides: Overrides = field(default_factory=Overrides)
    exclusions: tuple[Exclusion, ...] = ()
    identity: Identity | None = None

    def names(self) -> dict[str, str]:
        """The field that each column of the live export stands for, by the column's normalised name."""
        return {field_name(note.column): name for name, note in self.fields.items()}


@dataclass(frozen=True)
class ChangeSet:
    """What is to become of which item.

    items:     key, do ("change", "add", "remove", "recode", or "none" for an item with findings only), line in the
               edited sheet, name, to: the new key of one that is recoded, whose other fields may change as well.
    cells:     key, field, was, now; texts in the live export's own form, null for an empty cell. Items to be added and
               removed have all their filled cells here, beside the key.
    findings:  check, level, key, field, line, value, say; key is null for a row that has no item.

    Items stand in the order of the live export, those it does not have last.
    """

    head: Head
    items: pl.DataFrame
    cells: pl.DataFrame
    findings: pl.DataFrame

    def keys_with_action(self, *does: str) -> pl.DataFrame:
        """The keys (frame of key) of the items that are to be changed, added or removed, as asked for."""
        return self.items.filter(pl.col("do").is_in(does)).select("key")

    def cells_with_action(self, *does: str) -> pl.DataFrame:
        """The cells of the items that are to be changed, added or removed, as asked for."""
        if self.items["do"].is_in([*does, NONE]).all():
            return self.cells
        return self.cells.filter(self.items["do"].is_in(does).gather(self.item_of_cell))

    @cached_property
    def item_of_cell(self) -> pl.Series:
        """For each cell the position of its item."""
        return positions_of(self.items["key"], self.cells["key"])

    def new_keys(self) -> dict[str, str]:
        """The key that each recoded item gets, by the one it has."""
        return dict(self.items.filter(do=RECODE).select("key", "to").iter_rows())

    def equivalent_to(self, other: ChangeSet) -> bool:
        """Whether it says what another change set says, if perhaps in another order of its findings."""
        if self.head != other.head or len(self.findings) != len(other.findings):
            return False
        ours, theirs = (changes.findings.sort(pl.all()) for changes in (self, other))
        return self.items.equals(other.items) and self.cells.equals(other.cells) and ours.equals(theirs)

    def blocking_count(self) -> int:
        """How many findings keep something out."""
        return self.findings.filter(pl.col("level") == "stop").height


def findings_frame(check: str, level: str, **columns: object) -> pl.DataFrame:
    """A frame of findings of one check; columns that are not given are null."""
    data = {"check": check, "level": level} | columns
    frame = pl.DataFrame(data) if any(isinstance(value, pl.Series) for value in data.values()) else pl.DataFrame([data])
    return frame.select(
        (pl.col(name) if name in frame.columns else pl.lit(None)).cast(dtype).alias(name)
        for name, dtype in FINDINGS.items()
    )


_NO_FINDINGS = pl.DataFrame(schema=FINDINGS)


def no_findings() -> pl.DataFrame:
    """An empty frame of findings."""
    return _NO_FINDINGS.clone()

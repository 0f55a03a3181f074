"""The ChangeSet: what is to become of which item, on three frames and a head; built and changed in this room only.

Every way to build or change one ends in ``normalize``, which keeps its promises:

- an item is changed only if it has cells, and has a new key only if it is recoded;
- cells belong to items that something is to become of;
- only an item with a line stands for a row, whose state follows from its action and from what blocks it;
- a key stands for one item.

Counts are derived from the row states, here and nowhere else.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.base.json_form import to_json
from neat_delta.changeset.findings import BLOCK, FINDINGS, questions_in
from neat_delta.files.user_data import user_name
from neat_delta.matching.positions import positions_of
from neat_delta.tables import FilePart, field_name

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from os import PathLike

    from neat_delta.tables import Table

# ``key`` holds the parts of an item's key joined by the unit separator, in the head's order.
ITEMS = {
    "key": pl.String,
    "action": pl.String,
    "row_state": pl.String,
    "line": pl.UInt32,
    "name": pl.String,
    "new_key": pl.String,
}
CELLS = {"key": pl.String, "field": pl.String, "was": pl.String, "now": pl.String}
CHANGE, ADD, REMOVE, RECODE, NONE = "change", "add", "remove", "recode", "none"
ACTIONS = (CHANGE, ADD, REMOVE, RECODE, NONE)
STATES = ("changed", "unchanged", "new", "duplicate", "unreadable", "rejected")
CHANGED, UNCHANGED, NEW, DUPLICATE, UNREADABLE, REJECTED = STATES
# Rows of items that were not chosen are in none of these states.
EXCLUDED = "excluded"
# Rows that a person left out of a change set.
LEFT_OUT_ROW = "left_out"
MISSING = "missing"


class BrokenInvariant(AssertionError):
    """A change set that nobody could load again was about to be made: a fault of the program."""


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

    ``separator`` parts the values of a cell that may hold several.
    """

    column: str
    type: str
    decimal_separator: str | None = None
    separator: str | None = None


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
    """Where a change set came from, and what its run let through.

    Attributes:
        key: the fields that identify an item.
        live: the live export.
        edited: the edited file.
        fields: what later commands must know of each field.
        other_rows: by state, the rows of the edited file that no item stands for, and the live items without a row.
        made: when, as a time by ISO 8601.
        made_by: who made it, as the system or NEAT_DELTA_USER names the person.
        overrides: what the run let through.
        exclusions: what was left out when parts were picked.
        identity: by what items are known whose key changes.
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
    made_by: str | None = field(default_factory=user_name)

    def names(self) -> dict[str, str]:
        """The field that each column of the live export stands for, by the column's normalised name."""
        return {field_name(info.column): name for name, info in self.fields.items()}


@dataclass(frozen=True)
class ChangeSet:
    """What is to become of which item.

    Attributes:
        head: where it came from.
        items: key; action ("change", "add", "remove", "recode", or "none" for an item with findings only); row_state
            (the state of the row of the edited file that the item stands for; null without such a row); line in the
            edited file; name; new_key of an item that is recoded, whose other fields may change as well.
        cells: key, field, was, now; texts in the live export's own format, null for an empty cell. Items to be added
            and removed have all their filled cells here, beside the key.
        findings: code, level, effect, key, field, line, value, message, data; key is null for a row without an item.

    Items stand in the order of the live export, those it does not have last.
    """

    head: Head
    items: pl.DataFrame
    cells: pl.DataFrame
    findings: pl.DataFrame

    @cached_property
    def counts(self) -> dict[str, int]:
        """How many rows are in each state, which add up to the rows read; and how many live items have no row."""
        states = dict(self.items["row_state"].drop_nulls().value_counts().iter_rows())
        left_out = [LEFT_OUT_ROW] if self.head.exclusions else []
        names = dict.fromkeys([*STATES, *self.head.other_rows, *states, MISSING, *left_out])
        return {name: self.head.other_rows.get(name, 0) + states.get(name, 0) for name in names}

    @property
    def is_empty(self) -> bool:
        """Whether nothing becomes of any item."""
        return bool((self.items["action"] == NONE).all())

    def keys_with_action(self, *actions: str) -> pl.DataFrame:
        """The keys (frame of key) of the items with one of these actions."""
        return self.items.filter(pl.col("action").is_in(actions)).select("key")

    def cells_with_action(self, *actions: str) -> pl.DataFrame:
        """The cells of the items with one of these actions."""
        if self.items["action"].is_in([*actions, NONE]).all():
            return self.cells
        return self.cells.filter(self.items["action"].is_in(actions).gather(self.item_of_cell))

    @cached_property
    def item_of_cell(self) -> pl.Series:
        """For each cell the position of its item."""
        return positions_of(self.items["key"], self.cells["key"])

    def new_keys(self) -> dict[str, str]:
        """The key that each recoded item gets, by the one it has."""
        return dict(self.items.filter(action=RECODE).select("key", "new_key").iter_rows())

    def equivalent_to(self, other: ChangeSet) -> bool:
        """Whether it says what another change set says, if perhaps in another order of its findings."""
        if self.head != other.head or len(self.findings) != len(other.findings):
            return False
        own, others = (changes.findings.sort(pl.all()) for changes in (self, other))
        return self.items.equals(other.items) and self.cells.equals(other.cells) and own.equals(others)

    @property
    def problems(self) -> pl.DataFrame:
        """The findings that are errors or warnings."""
        return self.findings.filter(pl.col("level") != "note")

    @classmethod
    def load(cls, path: str | PathLike[str]) -> ChangeSet:
        """A saved change set, also one that is compressed with gzip.

        Raises:
            InvalidInput: it is no change set, of a later format, or damaged; with the line.
        """
        from neat_delta.changeset.serialization import load_changes

        return load_changes(Path(path))

    def save(self, path: str | PathLike[str], *, overwrite: bool = False) -> None:
        """Save it, compressed if the name ends in ``.gz``.

        Raises:
            WriteError: a file of that name exists and is not to be replaced, or is no change set.
        """
        from neat_delta.changeset.serialization import save_changes

        save_changes(self, Path(path), replace=overwrite)

    def subset(self, keep: pl.DataFrame) -> ChangeSet:
        """The part with these cells (frame of key, field); a null field stands for a whole item."""
        from neat_delta.changeset.subset import subset

        return subset(self, keep.select("key", "field"))

    def invert(self) -> ChangeSet:
        """The change set that puts everything back."""
        from neat_delta.changeset.invert import invert

        return invert(self)

    def blocking_count(self) -> int:
        """How many findings keep something out."""
        return self.findings.filter(pl.col("effect") == BLOCK).height

    @property
    def needs_attention(self) -> bool:
        """Whether something is kept out, or a person must say what was meant."""
        return bool(self.blocking_count() or questions_in(self.findings))


def build(head: Head, items: pl.DataFrame, cells: pl.DataFrame, findings: pl.DataFrame) -> ChangeSet:
    """A change set of these parts, normalised; items without a row state or a new key need no such column.

    Raises:
        BrokenInvariant: two items share a key, or a cell has no item.
    """
    for name in ("row_state", "new_key"):
        if name not in items.columns:
            items = items.with_columns(pl.lit(None, pl.String).alias(name))
    return normalize(ChangeSet(head, items.select(*ITEMS), cells.select(*CELLS), findings.select(*FINDINGS)))


def normalize(changes: ChangeSet) -> ChangeSet:
    """The change set with all its promises kept; one that keeps them already comes back with equal frames.

    Raises:
        BrokenInvariant: two items share a key, or a cell has no item.
    """
    items, cells = changes.items, changes.cells
    if items["key"].is_duplicated().any():
        raise BrokenInvariant("two items share a key")
    position = positions_of(items["key"], cells["key"])
    if position.has_nulls():
        raise BrokenInvariant("a cell has no item")
    has_cells = pl.repeat(False, len(items), dtype=pl.Boolean, eager=True).scatter(position, True)
    idle = (items["action"] == CHANGE) & ~has_cells
    if idle.any():
        items = items.with_columns(action=pl.when(idle).then(pl.lit(NONE)).otherwise("action"))
    acting = items["action"] != NONE
    if not acting.all():
        cells = cells.filter(acting.gather(position))
    blocking = changes.findings["key"].filter(changes.findings["effect"] == BLOCK)
    blocked = pl.col("key").is_in(blocking.drop_nulls().implode()) if len(blocking) else pl.lit(value=False)
    new_key = pl.when(pl.col("action") == RECODE).then("new_key")
    items = items.with_columns(new_key=new_key, row_state=_row_state(blocked))
    other_rows = {state: rows for state, rows in changes.head.other_rows.items() if rows}
    return replace(changes, head=replace(changes.head, other_rows=other_rows), items=items, cells=cells)


def _row_state(blocked: pl.Expr) -> pl.Expr:
    """What has become of an item's row: its action tells, and where there is none whether something blocks it."""
    action, state = pl.col("action"), pl.col("row_state")
    undecided = state.is_in([CHANGED, UNCHANGED, NEW])
    return (
        pl.when(pl.col("line").is_null())
        .then(None)
        .when(action.is_in([CHANGE, RECODE]))
        .then(pl.lit(CHANGED))
        .when(action == ADD)
        .then(pl.lit(NEW))
        .when(state.is_null())
        .then(None)
        .when((action == NONE) & undecided & blocked)
        .then(pl.lit(REJECTED))
        .when((action == NONE) & (state == CHANGED))
        .then(pl.lit(UNCHANGED))
        .otherwise(state)
    )


def with_overrides(changes: ChangeSet, overrides: Overrides) -> ChangeSet:
    """The change set of a run that let this through."""
    return replace(changes, head=replace(changes.head, overrides=overrides))


def with_exclusion(changes: ChangeSet, exclusion: Exclusion) -> ChangeSet:
    """The change set that remembers that something was left out."""
    return replace(changes, head=replace(changes.head, exclusions=(*changes.head.exclusions, exclusion)))


def with_rows_of(
    changes: ChangeSet, edited: FileRef, other_rows: dict[str, int], line: pl.Expr, row_state: pl.Expr
) -> ChangeSet:
    """The change set whose rows are those of another file: its reference, the rows beside items, and each item's row.

    ``line`` and ``row_state`` are expressions over the items.
    """
    head = replace(changes.head, edited=edited, other_rows=other_rows)
    return normalize(replace(changes, head=head, items=changes.items.with_columns(line=line, row_state=row_state)))


def with_other_rows(changes: ChangeSet, **rows: int) -> ChangeSet:
    """The change set with so many rows of these states beside those of its items."""
    return normalize(replace(changes, head=replace(changes.head, other_rows=changes.head.other_rows | rows)))


def with_items(
    changes: ChangeSet, items: pl.DataFrame, cells: pl.DataFrame, order: pl.Series, head: Head | None = None
) -> ChangeSet:
    """The change set with more items, or other ones of the same key, and with more cells.

    ``order`` are all keys of the live export, which tell where an item is; those it does not have stand last.
    """
    known = changes.items.join(items, on="key", how="anti", maintain_order="left")
    place = pl.DataFrame({"key": order}).with_row_index("place").unique("key", keep="first")
    every = pl.concat([known, items.select(*ITEMS)]).join(place, on="key", how="left", maintain_order="left")
    every = every.sort("place", nulls_last=True, maintain_order=True).drop("place")
    return build(head or changes.head, every, pl.concat([changes.cells, cells]), changes.findings)


def with_known_items(changes: ChangeSet, items: pl.DataFrame) -> ChangeSet:
    """The change set with items behind its own that only findings name (key, line, name, action, row_state).

    Their rows are no others any more.
    """
    if items.is_empty():
        return changes
    other = dict(changes.head.other_rows)
    for state, rows in items["row_state"].drop_nulls().value_counts().iter_rows():
        other[state] = other.get(state, 0) - rows
    every = pl.concat([changes.items, items], how="diagonal")
    return build(replace(changes.head, other_rows=other), every, changes.cells, changes.findings)


def with_cells_in_order(changes: ChangeSet, fields: Sequence[str]) -> ChangeSet:
    """The change set with its cells in the order of their items, and those of one item in the order of these fields."""
    place = pl.DataFrame({"field": list(fields)}).with_row_index("place")
    cells = changes.cells.with_columns(changes.item_of_cell.alias("item"))
    cells = cells.join(place, on="field", how="left", maintain_order="left").sort("item", "place", maintain_order=True)
    return replace(changes, cells=cells.select(*CELLS))

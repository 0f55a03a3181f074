"""The ChangeSet: what is to become of which item, on three frames and a head; built and changed in this room only.

Every way to build or change one ends in ``normalize``, which keeps its promises:

- an item is changed only if it has cells, and has a new key only if it is recoded;
- cells belong to items that something is to become of;
- only an item with a line stands for a row, whose state follows from its action and from what blocks it;
- a key stands for one item.

Counts are derived from the row states, here and nowhere else.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.frame_schema import BrokenFrame
from neat_delta.changeset.findings import BLOCK, FINDINGS, NO_EFFECT, REPAIR, questions_in
from neat_delta.changeset.problems import CLASH
from neat_delta.changeset.schemas import (
    ADD,
    CHANGE,
    NONE,
    RECODE,
    CellFrame,
    Cells,
    FindingFrame,
    Findings,
    ItemFrame,
    Items,
)
from neat_delta.matching.positions import positions_of

if TYPE_CHECKING:
    from collections.abc import Sequence
    from os import PathLike

    from neat_delta.changeset.head import Exclusion, FileRef, Head, Overrides, Rule
    from neat_delta.tables.import_config import ImportConfig

ITEMS, CELLS = Items.dtypes(), Cells.dtypes()
STATES = ("changed", "unchanged", "new", "duplicate", "unreadable", "rejected")
CHANGED, UNCHANGED, NEW, DUPLICATE, UNREADABLE, REJECTED = STATES
# The three values of a cell that two have changed.
SIDES = ("original", "ours", "shop")
# Rows of items that were not chosen are in none of these states.
EXCLUDED = "excluded"
# Rows that a person left out of a change set.
LEFT_OUT_ROW = "left_out"
MISSING = "missing"


@dataclass(frozen=True)
class ChangeSet:
    """What is to become of which item.

    Attributes:
        head: where it came from.
        items: what is to become of which item (``schemas.Items``).
        cells: the cells that change (``schemas.Cells``).
        findings: what was noticed (``schemas.Findings``).

    Items stand in the order of the live export, those it does not have last.
    """

    head: Head
    items: ItemFrame
    cells: CellFrame
    findings: FindingFrame

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
        return self._actions <= {NONE}

    def keys_with_action(self, *actions: str) -> pl.DataFrame:
        """The keys (frame of key) of the items with one of these actions."""
        if actions not in self._keys_by_action:
            self._keys_by_action[actions] = self.items.filter(pl.col("action").is_in(actions)).select("key")
        return self._keys_by_action[actions]

    def cells_with_action(self, *actions: str) -> pl.DataFrame:
        """The cells of the items with one of these actions."""
        if actions not in self._cells_by_action:
            self._cells_by_action[actions] = self._cells_with_action(actions)
        return self._cells_by_action[actions]

    def _cells_with_action(self, actions: Sequence[str]) -> pl.DataFrame:
        if self._actions <= {*actions, NONE}:
            return self.cells
        return self.cells.filter(self.items["action"].is_in(actions).gather(self.item_of_cell))

    @cached_property
    def _actions(self) -> frozenset[str]:
        """The actions of any item."""
        return frozenset(self.items["action"].unique())

    @cached_property
    def _keys_by_action(self) -> dict[tuple[str, ...], pl.DataFrame]:
        """What was asked for before, as the next."""
        return {}

    @cached_property
    def _cells_by_action(self) -> dict[tuple[str, ...], pl.DataFrame]:
        return {}

    @cached_property
    def item_of_cell(self) -> pl.Series:
        """For each cell the position of its item."""
        return positions_of(self.items["key"], self.cells["key"])

    def new_keys(self) -> dict[str, str]:
        """The key that each recoded item gets, by the one it has."""
        if RECODE not in self._actions:
            return {}
        return dict(self.items.filter(action=RECODE).select("key", "new_key").iter_rows())

    def equivalent_to(self, other: ChangeSet) -> bool:
        """Whether it says what another change set says, if perhaps in another order of its findings."""
        if self.head != other.head or len(self.findings) != len(other.findings):
            return False
        mine, others = (changes.findings.sort(pl.all()) for changes in (self, other))
        return self.items.equals(other.items) and self.cells.equals(other.cells) and mine.equals(others)

    def does_the_same_as(self, other: ChangeSet) -> bool:
        """Whether the same becomes of the same items and cells, whatever is said of them."""
        mine, others = (
            (
                changes.items.filter(pl.col("action") != NONE).select("key", "action", "new_key").sort("key"),
                changes.cells.sort("key", "field"),
            )
            for changes in (self, other)
        )
        return all(one.equals(two) for one, two in zip(mine, others, strict=True))

    def with_maker(self) -> ChangeSet:
        """The same, with the person at work among those who made it."""
        return replace(self, head=self.head.with_maker())

    @property
    def problems(self) -> pl.DataFrame:
        """The findings that are errors or warnings."""
        return self.findings.filter(pl.col("level") != "note")

    @property
    def conflicts(self) -> pl.DataFrame:
        """The cells that were changed here and in the shop: key, field, original, ours, shop, fate.

        The fate is ``hold`` (an error: not sent), or whose value goes on, ``ours`` or ``shop``.
        """
        sides = pl.Struct(dict.fromkeys(SIDES, pl.String))
        clashes = self.findings.filter((pl.col("code") == CLASH) & pl.col("data").str.contains('"shop":', literal=True))
        fate = pl.col("effect").replace_strict({BLOCK: "hold", REPAIR: "shop", NO_EFFECT: "ours"})
        return clashes.select(
            "key", "field", pl.col("data").str.json_decode(sides).struct.field(*SIDES), fate.alias("fate")
        )

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
        BrokenFrame: two items share a key, or a cell has no item.
    """
    for name in ("row_state", "new_key"):
        if name not in items.columns:
            items = items.with_columns(pl.lit(None, pl.String).alias(name))
    frames = (
        Items.checked(items.select(*ITEMS)),
        Cells.checked(cells.select(*CELLS)),
        Findings.checked(findings.select(*FINDINGS)),
    )
    return normalize(ChangeSet(head, *frames))


def normalize(changes: ChangeSet) -> ChangeSet:
    """The change set with all its promises kept; one that keeps them already comes back with equal frames.

    Raises:
        BrokenFrame: two items share a key, or a cell has no item.
    """
    items: pl.DataFrame = changes.items
    cells: pl.DataFrame = changes.cells
    if items["key"].is_duplicated().any():
        raise BrokenFrame("two items share a key")
    position = positions_of(items["key"], cells["key"])
    if position.has_nulls():
        raise BrokenFrame("a cell has no item")
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
    head = replace(changes.head, other_rows=other_rows)
    return replace(changes, head=head, items=Items.checked(items), cells=Cells.checked(cells))


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


def with_rule(changes: ChangeSet, rule: Rule | None) -> ChangeSet:
    """The change set that has to be approved as these settings say, or more strictly if it says so itself."""
    return replace(changes, head=changes.head.with_rule(rule))


def with_destination(changes: ChangeSet, imports: ImportConfig, destination: str | None) -> ChangeSet:
    """The change set that knows how the shop will read it, and for which place it was made."""
    told = imports if imports.as_dict() else None
    return replace(changes, head=replace(changes.head, imports=told, destination=destination))


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
    items = Items.checked(changes.items.with_columns(line=line, row_state=row_state).select(*ITEMS))
    return normalize(replace(changes, head=head, items=items))


def with_other_rows(changes: ChangeSet, **rows: int) -> ChangeSet:
    """The change set with so many rows of these states beside those of its items."""
    return normalize(replace(changes, head=replace(changes.head, other_rows=changes.head.other_rows | rows)))


def with_items(
    changes: ChangeSet, items: pl.DataFrame, cells: pl.DataFrame, order: pl.Series, head: Head | None = None
) -> ChangeSet:
    """The change set with more items, or other ones of the same key, and with more cells.

    ``order`` are all keys of the live export, which tell where an item is; those it does not have stand last.
    """
    others = changes.items.join(items, on="key", how="anti", maintain_order="left")
    place = pl.DataFrame({"key": order}).with_row_index("place").unique("key", keep="first")
    every = pl.concat([others, items.select(*ITEMS)]).join(place, on="key", how="left", maintain_order="left")
    every = every.sort("place", nulls_last=True, maintain_order=True).drop("place")
    return build(head or changes.head, every, pl.concat([changes.cells, cells]), changes.findings)


def with_values(changes: ChangeSet, values: pl.DataFrame) -> ChangeSet:
    """The change set with other values of ours in some of its cells (frame of key, field, now)."""
    others = values.select("key", "field", other="now")
    cells = changes.cells.join(others, on=["key", "field"], how="left", maintain_order="left")
    cells = cells.select("key", "field", "was", now=pl.coalesce("other", "now"))
    return normalize(replace(changes, cells=Cells.checked(cells)))


def without_cells(changes: ChangeSet, cells: pl.DataFrame) -> ChangeSet:
    """The change set without some of its cells (frame of key, field)."""
    rest = changes.cells.join(cells, on=["key", "field"], how="anti", maintain_order="left")
    return normalize(replace(changes, cells=Cells.checked(rest)))


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
    return replace(changes, cells=Cells.checked(cells.select(*CELLS)))

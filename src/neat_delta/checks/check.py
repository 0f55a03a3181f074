"""What a check is, and what it looks at."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum
from functools import cached_property
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.changeset.findings import findings_frame, no_findings
from neat_delta.changeset.head import Overrides
from neat_delta.changeset.problems import COMPUTED
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE
from neat_delta.matching.positions import positions_of
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import FieldSettings, Settings


class Override(Enum):
    """What lets the finding of a check through in one run; the members of ``Overrides`` are named so."""

    UNLOCK = "unlock"
    NEW_VALUES = "allow_new_values"
    AS_TYPED = "as_typed"
    IGNORE = "ignore"


@dataclass(frozen=True)
class Check:
    """One check: the name of its findings, their level, the function that finds them, and what opens it for a run.

    ``run`` takes a ``CheckContext`` and gives findings; the first line of its docstring says what it looks for. A check
    that nothing opens is about what the shop cannot take.
    """

    name: str
    level: str
    run: Callable[[CheckContext], pl.DataFrame]
    override: Override | None = None
    needs: tuple[str, ...] = ()
    """The roles without which it has nothing to look at."""

    @property
    def about(self) -> str:
        """What it looks for, in a sentence."""
        return str(self.run.__doc__).split("\n", 1)[0]


@dataclass(frozen=True)
class CheckContext:
    """What a check looks at: the change set, the live export, what is configured, and what this run allows.

    ``pictures`` are the names of the picture files that there are, if somebody said where they lie.
    """

    changes: ChangeSet
    live: Table
    settings: Settings
    overrides: Overrides = field(default_factory=Overrides)
    images: frozenset[str] | None = None
    _memory: dict[str, pl.DataFrame] = field(default_factory=dict, compare=False, repr=False)

    def remembered(self, name: str, work_out: Callable[[CheckContext], pl.DataFrame]) -> pl.DataFrame:
        """What two checks need, worked out once."""
        if name not in self._memory:
            self._memory[name] = work_out(self)
        return self._memory[name]

    @cached_property
    def both(self) -> BeforeAfter:
        """The touched items before and after."""
        return BeforeAfter(self.changes, self.live)

    @property
    def outgoing_cells(self) -> pl.DataFrame:
        """The cells (key, field, was, now) of items that are changed or added."""
        return self.both.outgoing_cells

    @property
    def affected_items(self) -> pl.DataFrame:
        """The items that are changed or added (key, line, row: in the live export, null for a new one)."""
        return self.both.affected_items

    @cached_property
    def by_field(self) -> dict[str, pl.DataFrame]:
        """The cells that are sent, by field."""
        return _parts(self.outgoing_cells)

    @cached_property
    def changed(self) -> dict[str, pl.DataFrame]:
        """The cells of items that change (not of new ones), by field."""
        return (
            self.by_field
            if self.changes.keys_with_action(ADD).is_empty()
            else _parts(self.changes.cells_with_action(CHANGE, RECODE))
        )

    @cached_property
    def typed_cells(self) -> pl.DataFrame:
        """The cells that are sent and that no formula computed: only people and programs have accidents."""
        computed = self.changes.findings.filter(code=COMPUTED).select("key", "field")
        if computed.is_empty():
            return self.outgoing_cells
        return self.outgoing_cells.join(computed, on=["key", "field"], how="anti", maintain_order="left")

    @cached_property
    def typed(self) -> dict[str, pl.DataFrame]:
        """The typed cells of items that change (not of new ones), by field."""
        if self.typed_cells is self.outgoing_cells:
            return self.changed
        new = self.changes.keys_with_action(ADD).select("key")
        return _parts(self.typed_cells.join(new, on="key", how="anti", maintain_order="left"))

    @cached_property
    def _passed(self) -> pl.DataFrame:
        """The checks that fields may pass, in this run and always (frame of code, field)."""
        now = [one.split("=", 1) for one in self.overrides.allow]
        always = [(one.field, one.check) for one in self.settings.checks.allow]
        passed = [{"code": check, "field": field_name(name)} for name, check in [*now, *always]]
        return pl.DataFrame(passed, schema={"code": pl.String, "field": pl.String})

    def findings_of(self, check: Check) -> pl.DataFrame:
        """What a check finds, but for the fields that may pass it."""
        findings = check.run(self)
        if self._passed.is_empty() or findings.is_empty():
            return findings
        return findings.join(self._passed, on=["code", "field"], how="anti", maintain_order="left")

    def cells(self) -> list[tuple[str, FieldSettings, pl.DataFrame]]:
        """The cells that are sent, by field, with what is configured for it."""
        return [(name, self.settings.field(name), cells) for name, cells in self.by_field.items()]

    def type_of(self, name: str) -> str:
        """The kind of a field that changes."""
        return self.changes.head.fields[name].type

    def beside(self, name: str) -> pl.DataFrame:
        """A field of all touched items before and after (key, was, now), changed or not; blanks are null."""
        return self.both.texts(name)

    def numbers(self, name: str) -> pl.DataFrame:
        """A numeric field of all touched items before and after (key, was, now), as exact decimals."""
        return self.both.numbers(name)

    def findings_for(
        self, cells: pl.DataFrame, check: str, level: str, say: str | pl.Series, effect: str | None = None
    ) -> pl.DataFrame:
        """Findings on these cells (key, field, now), each with the line of its row in the sheet."""
        if cells.is_empty():
            return no_findings()
        lines = self.changes.items["line"].gather(positions_of(self.changes.items["key"], cells["key"]))
        at = cells.with_columns(lines.alias("line"))
        message = say if isinstance(say, pl.Series) else pl.repeat(say, len(at), dtype=pl.String, eager=True)
        return findings_frame(
            check, level, effect, key=at["key"], field=at["field"], line=at["line"], value=at["now"], message=message
        )


def _parts(cells: pl.DataFrame) -> dict[str, pl.DataFrame]:
    parts = cells.partition_by("field", as_dict=True, maintain_order=True)
    return {str(name): part for (name,), part in parts.items()}


def cells_of(cells: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Those of the cells that belong to one of these items (both have their key)."""
    return cells.join(items.select("key"), on="key", how="semi", maintain_order="left")


def concat_findings(frames: Iterable[pl.DataFrame]) -> pl.DataFrame:
    """The findings of several places in one frame."""
    return pl.concat([no_findings(), *frames])

"""The trial run: every check on a change set before anything is written for the shop.

A check is a function from a Trial to findings. Writing one and naming it in CHECKS adds it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue import field_name
from neat_delta.changes.changeset import ADD, CHANGE, findings_frame, no_findings
from neat_delta.checks import accidents, imports, rules
from neat_delta.errors import WrongChoice

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.catalogue import Catalogue
    from neat_delta.catalogue.settings import FieldSettings, Settings
    from neat_delta.changes import ChangeSet

CHECKS = (*rules.CHECKS, *imports.CHECKS, *accidents.CHECKS)


@dataclass(frozen=True)
class Trial:
    """What a check looks at: the change set, the live export, what is settled, and what this run allows.

    ``unlocked`` fields may change though they are locked; ``new_values`` fields may take values not known yet;
    ``as_typed`` fields may take what looks like a spreadsheet program's damage.
    """

    changes: ChangeSet
    live: Catalogue
    settled: Settings
    unlocked: frozenset[str] = frozenset()
    new_values: frozenset[str] = frozenset()
    as_typed: frozenset[str] = frozenset()

    @property
    def sent(self) -> pl.DataFrame:
        """The cells (key, field, was, now) of items that are changed or added."""
        return self.changes.cells_to(CHANGE, ADD)

    def cells(self) -> list[tuple[str, FieldSettings, pl.DataFrame]]:
        """The cells that are sent, by field, with what is settled of it."""
        parts = self.sent.partition_by("field", as_dict=True, maintain_order=True)
        return [(str(name), self.settled.of(str(name)), cells) for (name,), cells in parts.items()]

    def found(self, cells: pl.DataFrame, check: str, level: str, say: str | pl.Series) -> pl.DataFrame:
        """Findings on these cells (key, field, now), each with the line of its row in the sheet."""
        lines = self.changes.items.select("key", "line")
        at = cells.join(lines, on="key", how="left", maintain_order="left")
        said = say if isinstance(say, pl.Series) else pl.repeat(say, len(at), dtype=pl.String, eager=True)
        return findings_frame(
            check, level, key=at["key"], field=at["field"], line=at["line"], value=at["now"], say=said
        )


def try_out(
    changes: ChangeSet,
    live: Catalogue,
    settled: Settings,
    unlocked: Sequence[str] = (),
    new_values: Sequence[str] = (),
    as_typed: Sequence[str] = (),
) -> pl.DataFrame:
    """The findings of every check, in the order of the checks.

    Raises:
        WrongChoice: a field that this run should allow something does not exist.
    """
    allowed = {
        option: _known(names, option, live)
        for option, names in (("--unlock", unlocked), ("--allow-new-values", new_values), ("--as-typed", as_typed))
    }
    trial = Trial(changes, live, settled, *allowed.values())
    return pl.concat([no_findings(), *(check(trial) for check in CHECKS)])


def _known(names: Sequence[str], option: str, live: Catalogue) -> frozenset[str]:
    for name in names:
        if field_name(name) not in live.names:
            raise WrongChoice(
                f"{option} {name}: there is no such field", remedy="Fields: " + ", ".join(live.names) + "."
            )
    return frozenset(map(field_name, names))

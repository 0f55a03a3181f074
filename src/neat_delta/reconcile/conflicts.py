"""What becomes of conflicts: by a policy for all, for single fields, or decided one by one in a workbook."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.reconcile.decisions import read_decisions
from neat_delta.reconcile.schemas import FATES, ConflictFrame, Conflicts

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.locations import Location

HOLD, OURS, SHOP = POLICIES = FATES
# The values of a conflict that a person sees: what it was, what we want, what the shop has now.
SIDES = ("original", "ours", "shop")


@dataclass(frozen=True)
class ConflictPolicy:
    """Whose value goes on where both have changed a cell: "hold" (neither, an error), "ours" or "shop".

    ``by_field`` goes before ``otherwise``, and the decisions of a workbook go before both.
    """

    otherwise: str = HOLD
    by_field: Mapping[str, str] = field(default_factory=dict)
    decisions: Location | None = None

    def __post_init__(self) -> None:
        """Refuse any other word: whose value goes on is not to be guessed."""
        for word in (self.otherwise, *self.by_field.values()):
            if word not in POLICIES:
                raise InvalidOption(
                    "nobody can tell whose value goes on",
                    option="on_conflict",
                    value=str(word),
                    hint=nearest_hint(str(word), POLICIES, "Choose from"),
                )

    def decide(self, conflicts: pl.DataFrame, key: Sequence[str]) -> ConflictFrame:
        """The conflicts (key, field, original, ours, shop) with what becomes of each (fate).

        Raises:
            InvalidInput: the workbook of decisions is not about these conflicts.
        """
        fates = pl.col("field").replace_strict(dict(self.by_field), default=self.otherwise, return_dtype=pl.String)
        decided = conflicts.with_columns(fate=fates)
        if self.decisions is None:
            return Conflicts.checked(decided)
        marked = read_decisions(self.decisions, key, conflicts, SIDES, (OURS, SHOP))
        marked = marked.select("key", "field", "decision").unique(["key", "field"], keep="first")
        decided = decided.join(marked, on=["key", "field"], how="left", nulls_equal=True, maintain_order="left")
        return Conflicts.checked(decided.with_columns(fate=pl.coalesce("decision", "fate")).drop("decision"))

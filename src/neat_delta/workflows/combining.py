"""Combining: several change sets, or several edited files, become one change set that is checked as a whole."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.path_text import path_text
from neat_delta.checks import recheck
from neat_delta.reconcile.combine import CombineResult, combine
from neat_delta.reconcile.decisions import read_decisions
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.changeset.changeset import ChangeSet, Overrides
    from neat_delta.locations import Location
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

WAS = "was"
# What other columns of a list of conflicts are called.
TAKEN = {WAS, "key", "field", "name", "sku", "line", "decision", "chosen", "source"}


@dataclass(frozen=True)
class Preference:
    """Whose value goes on where files disagree: that of the one ``preferred`` (``None``: neither), or as decided."""

    preferred: str | None = None
    decisions: Location | None = None


def distinct_names(paths: Sequence[Location]) -> list[str]:
    """Short names for some files, all different, also as column headers."""
    short = [path_text(path.name).removesuffix(".gz").removesuffix(".jsonl").removesuffix(".changes") for path in paths]
    for names in (short, [path_text(path.name) for path in paths], [path_text(path) for path in paths]):
        if len({field_name(name) for name in names}) == len(names) and not TAKEN & set(map(field_name, names)):
            return names
    return [f"{number} {path_text(path.name)}" for number, path in enumerate(paths, start=1)]


def combined(sets: Sequence[ChangeSet], names: Sequence[str], preference: Preference) -> CombineResult:
    """Change sets of one live export as one, with their conflicts decided as is preferred.

    Raises:
        InvalidOption: they are not of one live export, or have different keys.
        InvalidInput: the workbook of decisions is not about these conflicts.
    """

    def decide(conflicts: pl.DataFrame) -> pl.DataFrame:
        liked = pl.lit(preference.preferred, pl.String)
        says = pl.col(preference.preferred).is_not_null() if preference.preferred else pl.lit(value=False)
        decided = conflicts.with_columns(chosen=pl.when(says).then(liked))
        if preference.decisions is None:
            return decided
        marked = read_decisions(preference.decisions, sets[0].head.key, conflicts, [WAS, *names], names)
        marked = marked.select("key", "field", "decision").unique(["key", "field"], keep="first")
        decided = decided.join(marked, on=["key", "field"], how="left", nulls_equal=True, maintain_order="left")
        return decided.with_columns(chosen=pl.coalesce("decision", "chosen")).drop("decision")

    return combine(sets, names, decide)


def combined_and_checked(
    sets: Sequence[ChangeSet],
    names: Sequence[str],
    preference: Preference,
    live: Table,
    settings: Settings,
    overrides: Overrides,
) -> CombineResult:
    """The same, after all checks: what each file may change, both together may not.

    Raises:
        InvalidOption, InvalidInput: as for ``combined``.
    """
    result = combined(sets, names, preference)
    changes = recheck(result.changes, live, settings, overrides)
    return CombineResult(changes, result.conflicts, result.names, result.shared)

"""Conflicts: what is said of them, and the workbook in which those that are open are decided."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.files.atomic_write import write_atomic
from neat_delta.reconcile.conflicts import HOLD, OURS, POLICIES, SHOP, SIDES, ConflictPolicy
from neat_delta.tables import field_name
from neat_delta.workbooks.conflicts import conflicts_workbook

# The value that both sides of combined change sets started from.
WAS = "was"

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.reconcile.combine import CombineResult
    from neat_delta.workflows.option_groups import ConflictOptions


def policy_of(given: ConflictOptions) -> ConflictPolicy:
    """What becomes of conflicts in general, in single fields, and one by one.

    Raises:
        InvalidOption: a policy is none.
    """
    otherwise, by_field = HOLD, {}
    for one in given.on_conflict:
        field, _, whose = one.rpartition("=")
        if whose not in POLICIES:
            hint = f"{nearest_hint(whose, POLICIES, 'Use')} For one field: FIELD=ours."
            raise InvalidOption("nobody can tell whose value goes on", option="on_conflict", value=one, hint=hint)
        if field:
            by_field[field_name(field)] = whose
        else:
            otherwise = whose
    return ConflictPolicy(otherwise, by_field, given.decisions)


def save_conflicts(conflicts: pl.DataFrame, changes: ChangeSet, path: Path | None, *, overwrite: bool) -> None:
    """Save the conflicts (key, field, original, ours, shop, fate) that are not decided, if that is wanted."""
    if path is None:
        return
    names = changes.items.select("key", "name")
    book = conflicts_workbook(conflicts.filter(fate=HOLD), names, changes.head.key, SIDES, (OURS, SHOP))
    write_atomic(path, book, replace=overwrite)


def save_disagreements(combined: CombineResult, path: Path | None, *, overwrite: bool) -> None:
    """Save the conflicts of combined change sets that are not decided, if that is wanted."""
    if path is None:
        return
    changes = combined.changes
    names, sides = changes.items.select("key", "name"), [WAS, *combined.names]
    book = conflicts_workbook(open_conflicts(combined), names, changes.head.key, sides, combined.names)
    write_atomic(path, book, replace=overwrite)


def open_conflicts(combined: CombineResult) -> pl.DataFrame:
    """The conflicts of combined change sets that nobody has decided."""
    return combined.conflicts.filter(pl.col("chosen").is_null())

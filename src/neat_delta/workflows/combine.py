"""Combine: several change sets, or several edited files, become one change set that is checked as a whole."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.path_text import path_text
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.changeset import ChangeSet
from neat_delta.changeset.head import Overrides
from neat_delta.changeset.serialization import save_changes
from neat_delta.checks import recheck
from neat_delta.diff.links import with_links_followed
from neat_delta.files.output_paths import check_outputs
from neat_delta.matching import Key
from neat_delta.matching.context import Context
from neat_delta.reconcile.combine import CombineResult
from neat_delta.reconcile.combine import combine as combine_sets
from neat_delta.reconcile.decisions import read_decisions
from neat_delta.tables import field_name
from neat_delta.workflows.conflicts import WAS, save_disagreements
from neat_delta.workflows.saved_changes import changes_with_live, loaded

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.locations import Location
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
    from neat_delta.workflows.requests import CombineRequest

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


def preferred_name(given: str | None, names: Sequence[str]) -> str | None:
    """Which of the files a person means: by its name as it is shown, or with its ending.

    Raises:
        InvalidOption: none of them.
    """
    if given is None:
        return None
    matching = [name for name in names if given == name or given.startswith(f"{name}.")]
    if len(matching) != 1:
        raise InvalidOption(
            "none of the files has this name",
            option="prefer",
            value=given,
            hint="Choose from: " + ", ".join(names) + ".",
        )
    return matching[0]


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

    return combine_sets(sets, names, decide)


def combine(request: CombineRequest, progress: ProgressReporter = NO_PROGRESS) -> CombineResult:
    """Combine change sets, check the whole, and save what is wanted.

    Raises:
        InvalidOption: they are not of one live export, have different keys, or none has the preferred name.
        InvalidInput: the workbook of decisions is not about these conflicts.
        LiveMismatch: they were made from another live export.
        WriteError: a file cannot be written.
    """
    settings = request.settings
    check_outputs(request.out, request.conflicts, replace=request.overwrite)
    names = request.names or distinct_names([one for one in request.changes if not isinstance(one, ChangeSet)])
    preference = Preference(preferred_name(request.prefer, names), request.decisions)
    first, live = changes_with_live(request.changes[0], request.live, settings, progress)
    sets = [first, *(loaded(one, progress) for one in request.changes[1:])]
    progress.step("combining")
    combined_sets = combined_and_checked(sets, names, preference, live, settings, Overrides())
    check_outputs(request.out, request.conflicts, replace=request.overwrite)
    if request.out is not None:
        save_changes(combined_sets.changes, request.out, replace=request.overwrite)
    save_disagreements(combined_sets, request.conflicts, overwrite=request.overwrite)
    return combined_sets


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
    combined_sets = combined(sets, names, preference)
    # A link that one person typed may name an item to which another one gives a new SKU.
    context = Context(live, settings, Key(combined_sets.changes.head.key, explicit=True))
    changes = recheck(with_links_followed(combined_sets.changes, context), live, settings, overrides)
    return replace(combined_sets, changes=changes)

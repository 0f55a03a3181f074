"""What a run would change: by an edited file, several of them, formulas, or a saved change set."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.changeset import Overrides
from neat_delta.changeset.findings import TO_ANSWER
from neat_delta.changeset.serialization import load_changes
from neat_delta.checks import recheck
from neat_delta.diff.compare import CompareOptions
from neat_delta.diff.formulas import parse_formula
from neat_delta.reconcile.refresh import refresh, require_fresh
from neat_delta.tables.settings import Settings, SupplierProfile
from neat_delta.workflows.base import BaseWish
from neat_delta.workflows.combining import Preference, combined_and_checked, distinct_names
from neat_delta.workflows.inputs import keep, read_inputs, read_live
from neat_delta.workflows.plan import PlanOptions, context_of, plan_adjustment, plan_comparison
from neat_delta.workflows.saved_changes import read_fresh

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.base.progress import ProgressReporter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.diff.compare import CompareResult
    from neat_delta.locations import Location
    from neat_delta.tables import Table
    from neat_delta.workflows.scheduled.run_config import EditedFile, Limits, RunConfig


@dataclass(frozen=True)
class Planned:
    """What a run would change, and what is said against it.

    Attributes:
        changes: the change set, checked.
        live: the live export it was made for.
        rows: the rows that problems are shown in, as they came; the live export where no file was edited.
        as_edited: whether these are rows of an edited file.
        unknown: how many rows have a SKU that the shop does not have, and are not added.
        objections: why nothing may be sent before a person has looked.
    """

    changes: ChangeSet
    live: Table
    rows: Table
    as_edited: bool = True
    unknown: int = 0
    objections: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Inputs:
    """The files of a run, fetched: the live export, and the edited ones with what is known of each."""

    live: Location
    edited: tuple[EditedFile, ...]
    changes: Location | None


def profile_of(name: str | None, config: RunConfig, settings: Settings) -> SupplierProfile:
    """The supplier profile of this name, if there is a name.

    Raises:
        InvalidOption: there is none of this name.
    """
    if name is None:
        return SupplierProfile()
    if name not in settings.profiles:
        saved = ", ".join(settings.profiles) or "none"
        raise InvalidOption(
            f"no supplier profile {name!r} in {settings.path or 'catalogue.toml'}",
            file=config.path,
            hint=f"Saved profiles: {saved}.",
        )
    return settings.profiles[name]


def planned(config: RunConfig, inputs: Inputs, settings: Settings, progress: ProgressReporter) -> Planned:
    """What the files of a run would change.

    Raises:
        NeatDeltaError: a file, a formula or a setting is wrong.
    """
    if inputs.changes is not None:
        return refreshed(load_changes(inputs.changes), inputs.live, settings, progress)
    options = _options(config, settings)
    if not inputs.edited:
        live = read_live(inputs.live, settings, progress)
        require_fresh(live.source.made, config.live, settings)
        formulas = [parse_formula(text) for text in config.formulas]
        context = context_of(live, settings)
        result = plan_adjustment(context, formulas, config.where, config.items, PlanOptions(options), progress)[0]
        return Planned(result.changes, result.live, result.live, as_edited=False)
    results = [_compared(config, inputs.live, one, settings, options, progress) for one in inputs.edited]
    objections = [text for result in results for text in _objections(result)]
    unknown = 0 if config.add_new else sum(result.changes.counts["new"] for result in results)
    first = results[0]
    if len(results) == 1:
        return Planned(first.changes, first.live, first.original or first.edited, True, unknown, objections)
    changes = _combined(results, inputs.edited, settings, progress)
    return Planned(changes, first.live, first.live, False, unknown, objections)


def _options(config: RunConfig, settings: Settings) -> CompareOptions:
    return CompareOptions(
        repair_keys=config.repair_keys,
        add_new=config.add_new,
        delete_at_most=config.delete_missing,
        where=config.where,
        items=config.items,
        clear_blanks=None if config.blanks is None else config.blanks == "clear",
        settings=settings,
    )


def _compared(
    config: RunConfig,
    live: Location,
    edited: EditedFile,
    settings: Settings,
    options: CompareOptions,
    progress: ProgressReporter,
) -> CompareResult:
    profile = profile_of(edited.profile, config, settings)
    profile = replace(profile, rules=(*profile.rules, *edited.formulas))
    own, others = read_inputs(live, edited.file, settings, profile, progress)
    require_fresh(own.source.made, config.live, settings)
    said = BaseWish(config.base, edited.origin)
    return plan_comparison(own, others, PlanOptions(options, profile, base=said), progress)[0]


def _combined(
    results: Sequence[CompareResult], files: Sequence[EditedFile], settings: Settings, progress: ProgressReporter
) -> ChangeSet:
    """The changes of several files as one; where they differ, those of the preferred file go on, or neither."""
    progress.step("combining")
    names = distinct_names([one.file for one in files])
    preferred = next((name for name, one in zip(names, files, strict=True) if one.preferred), None)
    sets = [result.changes for result in results]
    return combined_and_checked(sets, names, Preference(preferred), results[0].live, settings, Overrides()).changes


def refreshed(changes: ChangeSet, live: Location, settings: Settings, progress: ProgressReporter) -> Planned:
    """What of a change set is still to be sent, now that the shop is as it is, checked again.

    Raises:
        InvalidInput: the export cannot be read, or is too old.
    """
    fresh = read_fresh(changes, live, settings, progress)
    require_fresh(fresh.source.made, live, settings)
    result = refresh(changes, fresh, settings).changes
    checked = recheck(result, fresh, settings, changes.head.overrides)
    keep(fresh, settings)
    return Planned(checked, fresh, fresh, as_edited=False)


def _objections(result: CompareResult) -> list[str]:
    """What looks like a wrong file, or like one of another layout than last time."""
    counts = result.changes.counts
    found = [f"supplier file layout changed: {message}; nothing was sent" for message in result.profile_drift]
    questions = result.changes.findings.filter(pl.col("code").is_in(list(TO_ANSWER)))
    found += [f"{message}: nothing was sent" for message in questions["message"]]
    if len(result.edited) and not counts["changed"] + counts["unchanged"] + counts["rejected"] + counts["duplicate"]:
        found.append("no SKU of the edited file is in the shop. Wrong file, or wrong column?")
    return found


def over_limits(limits: Limits, plan: Planned, changed: int, errors: int) -> list[str]:
    """Which limits of the run file are exceeded by what would change: so many items, with so many errors."""
    live = len(plan.live)
    share = None if limits.share is None else int(limits.share * live)
    described = (
        (limits.changed, changed, "items would change"),
        (share, changed, f"of {live:,} items would change"),
        (limits.errors, errors, "errors, not sent"),
        (limits.unknown, plan.unknown, "rows have a SKU that is not in the shop"),
    )
    return [
        f"{number:,} {what}; the limit of the run file is {most:,}: nothing was sent"
        for most, number, what in described
        if most is not None and number > most
    ]

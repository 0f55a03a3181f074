"""What a run would change: by an edited file, several of them, formulas, or a saved change set."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.base.options import options_of
from neat_delta.changeset.findings import TO_ANSWER
from neat_delta.changeset.serialization import load_changes
from neat_delta.checks import recheck
from neat_delta.reconcile.refresh import refresh, require_fresh
from neat_delta.workflows.adjust import adjust
from neat_delta.workflows.combine import distinct_names
from neat_delta.workflows.compare import compare
from neat_delta.workflows.inputs import keep
from neat_delta.workflows.plan import names_of_images
from neat_delta.workflows.requests import AdjustRequest, CompareRequest, FileOptions
from neat_delta.workflows.saved_changes import read_fresh

if TYPE_CHECKING:
    from neat_delta.base.progress import ProgressReporter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.diff.compare import CompareResult
    from neat_delta.locations import Location
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
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


def planned(config: RunConfig, inputs: Inputs, settings: Settings, progress: ProgressReporter) -> Planned:
    """What the files of a run would change.

    Raises:
        NeatDeltaError: a file, a formula or a setting is wrong.
    """
    if inputs.changes is not None:
        return refreshed(load_changes(inputs.changes), inputs.live, config, settings, progress)
    if not inputs.edited:
        request = AdjustRequest(live=inputs.live, settings=settings, **_options(config, AdjustRequest))
        adjusted = adjust(request, progress)
        require_fresh(adjusted.result.live.source.made, config.live, settings)
        return Planned(adjusted.changes, adjusted.result.live, adjusted.result.live, as_edited=False)
    compared = compare(_request(config, inputs, settings), progress)
    require_fresh(compared.live.source.made, config.live, settings)
    objections = [text for comparison in compared.results for text in _objections(comparison)]
    unknown = 0 if config.add_new else sum(comparison.changes.counts["new"] for comparison in compared.results)
    first = compared.results[0]
    if compared.combined is None:
        return Planned(first.changes, first.live, first.original or first.edited, True, unknown, objections)
    return Planned(compared.changes, first.live, first.live, False, unknown, objections)


def _request(config: RunConfig, inputs: Inputs, settings: Settings) -> CompareRequest:
    """The comparison that a run file asks for."""
    options = _options(config, CompareRequest)
    names = distinct_names([one.file for one in inputs.edited])
    preferred = [name for name, one in zip(names, inputs.edited, strict=True) if one.preferred]
    return CompareRequest(
        live=inputs.live,
        edited=tuple(one.file for one in inputs.edited),
        files=tuple(FileOptions(one.profile, one.formulas, one.origin) for one in inputs.edited),
        settings=settings,
        **options | {"profile": None, "set": (), "prefer": preferred[0] if preferred else None},
    )


def _options(config: RunConfig, request: type) -> dict[str, Any]:
    """The options of a job as the run file has them."""
    names = options_of(type(config))
    return {name: getattr(config, name) for name in options_of(request) if name in names}


def refreshed(
    changes: ChangeSet, live: Location, config: RunConfig, settings: Settings, progress: ProgressReporter
) -> Planned:
    """What of a change set is still to be sent, now that the shop is as it is, checked again.

    Raises:
        InvalidInput: the export cannot be read, or is too old.
    """
    fresh = read_fresh(changes, live, settings, progress)
    require_fresh(fresh.source.made, live, settings)
    changes_now = refresh(changes, fresh, settings).changes
    checked = recheck(changes_now, fresh, settings, config.overrides(), names_of_images(config.images))
    keep(fresh, settings)
    return Planned(checked, fresh, fresh, as_edited=False)


def _objections(comparison: CompareResult) -> list[str]:
    """What looks like a wrong file, or like one of another layout than last time."""
    counts = comparison.changes.counts
    objections = [f"supplier file layout changed: {message}; nothing was sent" for message in comparison.profile_drift]
    questions = comparison.changes.findings.filter(pl.col("code").is_in(list(TO_ANSWER)))
    objections += [f"{message}: nothing was sent" for message in questions["message"]]
    if (
        len(comparison.edited)
        and not counts["changed"] + counts["unchanged"] + counts["rejected"] + counts["duplicate"]
    ):
        objections.append("no SKU of the edited file is in the shop. Wrong file, or wrong column?")
    return objections


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

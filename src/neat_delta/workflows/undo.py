"""Undo: the files that put back what a change set has changed."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.invert import invert
from neat_delta.reconcile.put_back import what_can_be_put_back
from neat_delta.reconcile.refresh import RefreshResult, refresh
from neat_delta.reconcile.verify import as_altered, without_differences
from neat_delta.workflows.inputs import keep
from neat_delta.workflows.saved_changes import changes_with_live, loaded, read_fresh
from neat_delta.workflows.write import Written, options_of_form, put_out

if TYPE_CHECKING:
    from neat_delta.locations import Location
    from neat_delta.reconcile.schemas import OutcomeFrame
    from neat_delta.tables import Table
    from neat_delta.workflows.requests import UndoRequest


@dataclass(frozen=True)
class Undone(Written):
    """The update that puts things back.

    Attributes:
        refreshed: what a newer export shows of it, if there is one.
        altered: the cells that the shop has changed by a rule of its own; they are put back as well.
    """

    refreshed: RefreshResult | None = None
    altered: OutcomeFrame | None = None


def undo(request: UndoRequest, progress: ProgressReporter = NO_PROGRESS) -> Undone:
    """Write the files that put back what a change set has changed.

    With a newer export, only what has arrived and what nobody has changed since is put back; it needs no approval to be
    written, only to be sent. Without one, the files are those in the undo folder of the update.

    Raises:
        InvalidOption: of some items nobody can tell whether their keys have changed.
        LiveMismatch, WriteError, ProofFailed: as for ``write``.
    """
    if request.fresh is not None:
        return _undo_since(request, request.fresh, progress)
    changes, live = changes_with_live(request.changes, request.live, request.settings, progress)
    options = options_of_form(request, overwrite=request.overwrite, as_of=request.as_of)
    options = replace(options, inverted=True, gate=False)
    return Undone(
        put_out(changes.with_maker(), live, request.folder, request.settings, options, progress), changes, live
    )


def _undo_since(request: UndoRequest, fresh: Table | Location, progress: ProgressReporter) -> Undone:
    """Undo what has arrived by a newer export and has not changed since."""
    settings = request.settings
    changes = loaded(request.changes, progress)
    live = read_fresh(changes, fresh, settings, progress)
    # A price that the shop has rounded is still ours.
    arrived, altered = as_altered(changes, live, settings)
    refreshed = refresh(invert(arrived), live, without_differences(settings))
    if refreshed.ambiguous:
        raise InvalidOption(
            f"cannot tell for {refreshed.ambiguous} items whether their SKUs have changed, so nothing is undone",
            file=live.source.path,
            hint='Set a unique field in catalogue.toml: identity = "FIELD", and run compare or recode again.',
        )
    refreshed = what_can_be_put_back(refreshed, live, settings)
    refreshed = replace(refreshed, changes=refreshed.changes.with_maker())
    options = options_of_form(request, overwrite=request.overwrite, as_of=request.as_of)
    receipt = put_out(refreshed.changes, live, request.folder, settings, replace(options, gate=False), progress)
    keep(live, settings)
    return Undone(receipt, refreshed.changes, live, refreshed, altered)

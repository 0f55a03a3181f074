"""Verify: what of a change set has arrived in the shop, by an export made after the import."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.serialization import save_changes
from neat_delta.files.output_paths import check_outputs
from neat_delta.reconcile.verify import VerifyResult
from neat_delta.reconcile.verify import verify as compare_with_shop
from neat_delta.workflows.inputs import keep
from neat_delta.workflows.saved_changes import loaded, read_fresh

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.workflows.requests import VerifyRequest


@dataclass(frozen=True)
class Verified:
    """What has arrived: the result, the change set, and the export by which it was seen."""

    result: VerifyResult
    changes: ChangeSet
    export: Table


def verify(request: VerifyRequest, progress: ProgressReporter = NO_PROGRESS) -> Verified:
    """See what has arrived, and save the rest where it is wanted.

    Raises:
        InvalidOption: the export lacks a field of the change set.
        WriteError: the file cannot be written.
    """
    settings = request.settings
    check_outputs(request.out, replace=request.overwrite)
    changes = loaded(request.changes, progress)
    export = read_fresh(changes, request.fresh, settings, progress)
    progress.step("verifying")
    arrived = compare_with_shop(changes, export, settings)
    keep(export, settings)
    if request.out is not None:
        save_changes(arrived.remaining, request.out, replace=request.overwrite)
    return Verified(arrived, changes, export)

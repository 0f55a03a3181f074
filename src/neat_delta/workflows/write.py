"""Write: the one way by which a change set becomes the files of an update.

Whatever makes changes passes here: a comparison, formulas, SKU changes, a saved change set, a run, the end of a
campaign, an undo, the Python API. The guards are the same for all, and in one order: the same export, today's checks,
strict, fresh enough, approved; then the files are packed, written and proved.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.changeset import ChangeSet
from neat_delta.checks import recheck
from neat_delta.reading import fetch
from neat_delta.reconcile.refresh import require_fresh
from neat_delta.update.options import WriteOptions
from neat_delta.update.write import write_update
from neat_delta.workflows.approvals import approval_for
from neat_delta.workflows.plan import names_of_images
from neat_delta.workflows.saved_changes import changes_with_live

if TYPE_CHECKING:
    from datetime import datetime
    from pathlib import Path

    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt
    from neat_delta.workflows.option_groups import UpdateForm
    from neat_delta.workflows.requests import WriteRequest


@dataclass(frozen=True)
class Written:
    """An update of a change set.

    Attributes:
        receipt: what was written; ``None`` if there was nothing to change, or ``strict`` forbids it.
        changes: the change set as it was checked.
        live: its live export.
    """

    receipt: Receipt | None
    changes: ChangeSet
    live: Table


def write(request: WriteRequest, progress: ProgressReporter = NO_PROGRESS) -> Written:
    """Check a change set again with today's settings and write its update.

    Raises:
        LiveMismatch: the live export is another one, or too old.
        NotApproved: the settings want an approval, and there is none that holds.
        WriteError: the folder is in use, or a cell cannot be written.
        ProofFailed: the files would not do exactly what the change set says.
    """
    settings = request.settings
    saved = None if isinstance(request.changes, ChangeSet) else fetch(request.changes).data
    given, live = changes_with_live(request.changes, request.live, settings, progress, saved)
    progress.step("checking what would change")
    changes = recheck(given, live, settings, request.overrides(), names_of_images(request.images))
    options = replace(
        options_of_form(request, overwrite=request.overwrite, as_of=request.as_of),
        saved=saved if saved is not None and changes.equivalent_to(given) else None,
        approval=approval_for(changes, request.changes, request.approval, settings),
    )
    receipt = put_out(changes, live, request.folder, settings, options, progress, strict=request.strict)
    return Written(receipt, changes, live)


def put_out(
    changes: ChangeSet,
    live: Table,
    folder: Path,
    settings: Settings,
    options: WriteOptions,
    progress: ProgressReporter = NO_PROGRESS,
    *,
    strict: bool = False,
) -> Receipt | None:
    """Write the update of a change set that was checked with these settings against this export.

    Returns:
        the receipt; ``None`` if there is nothing to change, or ``strict`` forbids it.

    Raises:
        LiveMismatch, NotApproved, WriteError, ProofFailed: as for ``write``.
    """
    if strict and changes.blocking_count():
        return None
    # What an update has changed is undone with the export that it was made from, however old that is by now.
    if not options.inverted:
        require_fresh(options.as_of or live.source.made, live.source.path, settings)
    return write_update(changes, live, folder, settings, options, progress)


def options_of_form(form: UpdateForm, *, overwrite: bool, as_of: datetime | None) -> WriteOptions:
    """How an update is written, for the core."""
    return WriteOptions(overwrite=overwrite, strategy=form.pack, output_format=form.format, as_of=as_of)

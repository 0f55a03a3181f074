"""Recode: a list of old and new SKUs changes them; the change set is checked, saved and written as is wanted."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.diff.compare import CompareOptions, CompareResult
from neat_delta.diff.recode import code_pairs, read_codes
from neat_delta.diff.recode import recode as recode_items
from neat_delta.tables import Table
from neat_delta.workflows.inputs import keep, read_live
from neat_delta.workflows.plan import checked, context_of
from neat_delta.workflows.publish import publish
from neat_delta.workflows.targets import check_folder, check_targets

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt
    from neat_delta.workflows.requests import RecodeRequest


@dataclass(frozen=True)
class Recoded:
    """What a list of SKUs has made: the change set with what there is to say of it, the list, and the update."""

    result: CompareResult
    codes: Table
    settings: Settings
    receipt: Receipt | None = None

    @property
    def changes(self) -> ChangeSet:
        """The change set."""
        return self.result.changes


def recode(request: RecodeRequest, progress: ProgressReporter = NO_PROGRESS) -> Recoded:
    """Give items their new SKUs, let links to them follow, check it, and save and write what is wanted.

    Raises:
        InvalidInput: the list cannot be read as a table.
        InvalidOption: its columns cannot be told, or the key has several fields.
        WriteError, LiveMismatch, NotApproved, ProofFailed: as for ``publish``.
    """
    settings, live, codes = request.settings, request.live, request.codes
    check_targets(request)
    table = live.renamed(settings.names()) if isinstance(live, Table) else read_live(live, settings, progress)
    if not isinstance(codes, Table):
        codes = read_codes(codes, table, request.read_options(), progress)
    context = context_of(table, settings, request.key)
    asked = code_pairs(codes, context.key, request.old, request.new)
    check_folder(request)
    progress.step("matching SKUs")
    options = CompareOptions(settings=settings, as_typed=request.as_typed)
    compared = recode_items(codes, context, asked, options, images=request.rename_images)
    compared = checked(compared, settings, request.overrides(), request.images, progress)
    keep(table, settings)
    check_targets(request)
    receipt = publish(
        compared.changes, compared.live, compared.original or compared.edited, request, settings, progress
    )
    return Recoded(compared, codes, settings, receipt)

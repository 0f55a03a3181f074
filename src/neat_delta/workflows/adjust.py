"""Adjust: formulas change the live catalogue; the change set is checked, saved and written as is wanted."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.diff.adjust import adjust as apply_formulas
from neat_delta.diff.compare import CompareOptions, CompareResult
from neat_delta.diff.formulas import Formula, parse_formula
from neat_delta.expressions.ending import Rounding, rounding_of
from neat_delta.matching.selection import chosen_rows
from neat_delta.tables import Table
from neat_delta.workflows.inputs import keep, read_live
from neat_delta.workflows.plan import checked, context_of
from neat_delta.workflows.publish import publish
from neat_delta.workflows.supplier import with_tables
from neat_delta.workflows.targets import check_folder, check_targets

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt
    from neat_delta.workflows.requests import AdjustRequest


@dataclass(frozen=True)
class Adjusted:
    """What formulas have made.

    Attributes:
        result: the change set, and what there is to say of it.
        formulas: the formulas.
        unknown: SKUs of the list that no item has.
        settings: what was configured, with the tables of the request.
        receipt: the update; ``None`` if none was wanted, or there is nothing to change.
    """

    result: CompareResult
    formulas: tuple[Formula, ...]
    unknown: tuple[str, ...]
    settings: Settings
    receipt: Receipt | None = None

    @property
    def changes(self) -> ChangeSet:
        """The change set."""
        return self.result.changes


def adjust(request: AdjustRequest, progress: ProgressReporter = NO_PROGRESS) -> Adjusted:
    """Compute what the formulas change, check it, and save and write what is wanted.

    Raises:
        InvalidOption: a formula or a condition is wrong, or names what does not exist.
        AmbiguousKey: no column can be taken as the key without asking.
        WriteError, LiveMismatch, NotApproved, ProofFailed: as for ``publish``.
    """
    rounding = _rounding_of(request)
    formulas = tuple(parse_formula(text, rounding) for text in request.set)
    settings = with_tables(request, request.settings)
    check_targets(request)
    live = request.live
    table = live.renamed(settings.names()) if isinstance(live, Table) else read_live(live, settings, progress)
    context = context_of(table, settings, request.key)
    check_folder(request)
    rows, unknown = chosen_rows(context, request.where, request.items)
    progress.step("calculating")
    options = CompareOptions(settings=settings, as_typed=request.as_typed)
    compared = apply_formulas(context, formulas, rows, options)
    compared = checked(compared, settings, request.overrides(), request.images, progress)
    keep(context.live, settings)
    check_targets(request)
    receipt = publish(compared.changes, compared.live, compared.live, request, settings, progress)
    return Adjusted(compared, formulas, tuple(unknown), settings, receipt)


def _rounding_of(request: AdjustRequest) -> Rounding | None:
    """How calculated numbers are rounded.

    Raises:
        InvalidOption: two ways at once.
    """
    if request.ending and request.multiple_of:
        raise InvalidOption("give an ending or a multiple, not both", option="multiple_of")
    if not (request.ending or request.multiple_of):
        return None
    way = "ending" if request.ending else "multiple"
    return rounding_of(way, request.ending or request.multiple_of or "", request.rounding)

"""The steps of a comparison, from two tables on: compare, check, combine, publish."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.diff.compare import CompareOptions
from neat_delta.files.atomic_write import write_atomic
from neat_delta.locations.prefetch import read_bytes
from neat_delta.matching.column_drift import column_natures
from neat_delta.matching.value_mapping import mapped_by_values
from neat_delta.tables import Table
from neat_delta.tables.saved_profile import with_profile
from neat_delta.tables.settings import NAME
from neat_delta.workflows.base import BaseWish
from neat_delta.workflows.combine import Preference, combined_and_checked, distinct_names, preferred_name
from neat_delta.workflows.conflicts import policy_of, save_conflicts, save_disagreements
from neat_delta.workflows.plan import PlanOptions, plan_comparison
from neat_delta.workflows.publish import publish
from neat_delta.workflows.targets import check_targets

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.base.progress import ProgressReporter
    from neat_delta.diff.compare import CompareResult
    from neat_delta.locations import Location
    from neat_delta.matching.supplier_mapping import ColumnMatch
    from neat_delta.reconcile.combine import CombineResult
    from neat_delta.tables.settings import Settings, SupplierProfile
    from neat_delta.update import Receipt
    from neat_delta.workflows.requests import CompareRequest


@dataclass(frozen=True)
class ComparedFile:
    """One edited file, compared: the result, which of its columns stands for which field, and how it was mapped."""

    result: CompareResult
    matches: tuple[ColumnMatch, ...]
    profile: SupplierProfile


class Steps:
    """The steps of one comparison, from tables on."""

    def __init__(self, request: CompareRequest, settings: Settings, progress: ProgressReporter) -> None:
        self.request, self.settings, self.progress = request, settings, progress
        # Where several files disagree with each other, the workbook of decisions is about that.
        alone = len(request.edited) == 1
        self.policy = policy_of(request if alone else replace(request, decisions=None))

    def compare(self, live: Table, edited: Table, profile: SupplierProfile, origin: Path | None) -> ComparedFile:
        """Compare an edited file and check what it changes; ``origin``: where it is, if what was read is a copy."""
        request = self.request
        if request.map_by_values:
            profile = mapped_by_values(live, edited, self.settings, profile)
        options = PlanOptions(
            self._options(),
            profile,
            request.sku_changes,
            request.overrides(),
            request.images,
            BaseWish(request.base_table or request.base, origin),
            self.policy,
        )
        comparison, matches = plan_comparison(live, edited, options, self.progress)
        return ComparedFile(comparison, tuple(matches), profile)

    def _options(self) -> CompareOptions:
        request = self.request
        return CompareOptions(
            request.key,
            None if request.blanks is None else request.blanks == "clear",
            request.types,
            repair_keys=request.repair_skus,
            where=request.where,
            items=request.items,
            add_new=request.add_new,
            delete_at_most=request.delete_missing,
            settings=self.settings,
            as_typed=request.as_typed,
        )

    def publish(self, compared: ComparedFile, edited: Table) -> Receipt | None:
        """Save and write what is wanted of one file's changes."""
        request, comparison = self.request, compared.result
        check_targets(request)
        rows = comparison.original or comparison.edited
        receipt = publish(comparison.changes, comparison.live, rows, request, self.settings, self.progress)
        if comparison.base is not None:
            conflicts = comparison.base.conflicts
            save_conflicts(conflicts, comparison.changes, request.conflicts, overwrite=request.overwrite)
        if request.save_profile:
            path = self.settings.path or Path(NAME)
            existing = read_bytes(path).decode("utf-8-sig") if path.exists() else ""
            text = with_profile(existing, request.save_profile, compared.profile, column_natures(edited))
            write_atomic(path, text.encode(), replace=True)
        return receipt

    def publish_combined(self, results: Sequence[CompareResult]) -> tuple[CombineResult, Receipt | None]:
        """Combine the changes of several files, check them as a whole, and save and write what is wanted."""
        request = self.request
        names = distinct_names([_path_of(one) for one in request.edited])
        preference = Preference(preferred_name(request.prefer, names), request.decisions)
        sets, live = [compared.changes for compared in results], results[0].live
        self.progress.step("combining")
        combined = combined_and_checked(sets, names, preference, live, self.settings, sets[0].head.overrides)
        check_targets(request)
        receipt = publish(combined.changes, live, live, request, self.settings, self.progress)
        save_disagreements(combined, request.conflicts, overwrite=request.overwrite)
        return combined, receipt


def _path_of(file: Table | Location) -> Location:
    return file.source.path if isinstance(file, Table) else file

"""Plan: files in, a checked change set out. The command line, scheduled runs and the Python API share it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.base.path_text import path_text
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.changeset import with_destination, with_overrides, with_rule
from neat_delta.changeset.head import Overrides
from neat_delta.checks import run_checks
from neat_delta.delivery.destinations import destination_in
from neat_delta.diff.compare import BaseSummary, CompareOptions, CompareResult, about_rows_of, with_findings
from neat_delta.diff.recode import accepted_codes
from neat_delta.diff.supplier_file import compare_supplier_file
from neat_delta.matching import choose_key
from neat_delta.matching.added_values import with_added_values
from neat_delta.matching.context import Context
from neat_delta.matching.long_wide import in_shape_of
from neat_delta.matching.supplier_mapping import map_columns
from neat_delta.reconcile.conflicts import ConflictPolicy
from neat_delta.reconcile.rebase import RebasedSheet, conflicts_of, gone_findings, rebase
from neat_delta.reconcile.refresh import conflict_findings
from neat_delta.tables.settings import Settings, SupplierProfile
from neat_delta.workflows.base import Base, BaseWish, base_of
from neat_delta.workflows.inputs import keep

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from neat_delta.locations import Location
    from neat_delta.matching.supplier_mapping import ColumnMatch
    from neat_delta.tables import Table


@dataclass(frozen=True)
class PlanOptions:
    """How a change set is made from two files.

    Attributes:
        compare: how they are compared.
        profile: how the edited file is mapped to the shop's fields.
        accepted_rekeys: a file of key changes that are taken for such.
        overrides: what checks let through.
        images: the folder of image files, where missing ones are to be found.
        base: what is said of the live values that the edited file was made from.
        on_conflict: what becomes of cells that the shop has changed since, and the edited file as well.
    """

    compare: CompareOptions = field(default_factory=CompareOptions)
    profile: SupplierProfile = field(default_factory=SupplierProfile)
    accepted_rekeys: Location | None = None
    overrides: Overrides = field(default_factory=Overrides)
    images: Path | None = None
    base: BaseWish = field(default_factory=BaseWish)
    on_conflict: ConflictPolicy = field(default_factory=ConflictPolicy)


def context_of(live: Table, settings: Settings, key: Sequence[str] = ()) -> Context:
    """The live export with its settings and its key: as given, else as configured, else as its columns show.

    Raises:
        AmbiguousKey: no column can be taken as the key without asking.
    """
    return Context(live, settings, choose_key(live, live.names, key or settings.key))


def plan_comparison(
    live: Table, edited: Table, options: PlanOptions, progress: ProgressReporter = NO_PROGRESS
) -> tuple[CompareResult, list[ColumnMatch]]:
    """What the edited file changes, checked; and which of its columns stands for which field.

    Raises:
        InvalidOption: an option names what does not exist.
        AmbiguousKey: no column can be taken as the key without asking.
    """
    compare = options.compare
    base = base_of(live, edited, compare.settings, compare.key, options.base, mapped=options.profile.is_configured)
    edited, profile = in_shape_of(live, edited, compare.settings, options.profile, compare.key)
    edited, profile = with_added_values(live, edited, compare.settings, profile)
    if options.accepted_rekeys is not None:
        compare = replace(compare, accepted_rekeys=accepted_codes(options.accepted_rekeys, live))
    if base.base is None:
        comparison, matches = compare_supplier_file(live, edited, profile, compare, progress)
    else:
        comparison, matches = compare_with_base(live, edited, base.base, profile, compare, options.on_conflict)
    comparison = with_findings(comparison, base.findings)
    comparison = checked(comparison, compare.settings, options.overrides, options.images, progress)
    if not _is_wrong_file(comparison):
        keep(live, compare.settings)
    return comparison, matches


def _is_wrong_file(comparison: CompareResult) -> bool:
    """Whether the two files have no item in common, so that one of them is another one than the person meant."""
    rows = comparison.tables.rows
    return bool(len(comparison.edited)) and not (len(rows.pairs) or len(rows.identical))


def compare_with_base(
    live: Table, edited: Table, base: Base, profile: SupplierProfile, options: CompareOptions, policy: ConflictPolicy
) -> tuple[CompareResult, list[ColumnMatch]]:
    """Compare an edited file with what it was made from, and bring what was typed to the live export of now.

    Raises:
        InvalidOption: the base lacks the key, or the profile computes values, so that nobody can tell what was typed.
        InvalidInput: the decisions are not about these conflicts.
    """
    if profile.rules or profile.rules_new or profile.match_on or profile.codes:
        raise InvalidOption(
            "a file with a base can have no formulas and no other codes than the shop's",
            file=edited.source.path,
            hint="Compare it without its base.",
            code="base-with-formulas",
        )
    mapped = map_columns(edited, live, options.settings, profile)
    shared = [name for name in live.names if name in mapped.names]
    key = choose_key(live, shared, options.key or options.settings.key)
    rebased = rebase(base.table, live, mapped, key, options)
    plain = SupplierProfile(skip=tuple(name for name in profile.skip if name in mapped.names))
    options = replace(options, key=key.fields, among=rebased.keys)
    comparison, matches = compare_supplier_file(live, rebased.sheet, plain, options)
    comparison = with_findings(
        comparison, about_rows_of(comparison.edited, pl.concat([rebased.findings, gone_findings(rebased)]))
    )
    conflicts = policy.decide(conflicts_of(comparison, rebased, options), key.fields)
    comparison = with_findings(comparison, conflict_findings(conflicts, comparison.changes))
    summary = BaseSummary(
        base.table.source.name,
        base.table.source.made,
        base.how,
        rebased.moved,
        rebased.added_up,
        conflicts,
        mapped.format,
    )
    return replace(comparison, base=summary, original=rebased.shown, restored=_on_lines(rebased, comparison)), matches


def _on_lines(rebased: RebasedSheet, comparison: CompareResult) -> pl.DataFrame:
    """The texts that a spreadsheet program wrote in another form, at the rows of the comparison's edited file."""
    lines = pl.DataFrame({"line": comparison.edited.rows.line}).with_row_index("edited")
    restored = rebased.compared.restored
    restored = restored.with_columns(line=rebased.compared.edited.rows.line.gather(restored["edited"])).drop("edited")
    return restored.join(lines, on="line", how="inner", maintain_order="left").select(comparison.restored.columns)


def checked(
    comparison: CompareResult,
    settings: Settings,
    overrides: Overrides,
    images: Path | None = None,
    progress: ProgressReporter = NO_PROGRESS,
) -> CompareResult:
    """The comparison after all checks: what they block is taken out, what they let through is remembered.

    Raises:
        InvalidOption: an override names a field or a check that does not exist.
        InvalidInput: folder not found of images.
    """
    progress.step("checking what would change")
    findings = run_checks(comparison.changes, comparison.live, settings, overrides, names_of_images(images))
    comparison = with_findings(comparison, findings)
    changes = with_rule(with_overrides(comparison.changes, overrides), settings.send.rule)
    return replace(comparison, changes=with_destination(changes, settings.imports, destination_in(settings)))


def names_of_images(folder: Path | None) -> frozenset[str] | None:
    """The names of the files in a folder of images.

    Raises:
        InvalidInput: folder not found.
    """
    if folder is None:
        return None
    if not folder.is_dir():
        raise InvalidInput("folder not found", file=folder, hint="Give the folder with the images.")
    return frozenset(path_text(path.name) for path in folder.rglob("*") if path.is_file())

"""Plan: files in, a checked change set out. The command line, scheduled runs and the Python API share it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from neat_delta.changeset.changeset import Overrides, with_overrides
from neat_delta.checks import run_checks
from neat_delta.diff.adjust import adjust
from neat_delta.diff.compare import CompareOptions, CompareResult, with_findings
from neat_delta.diff.recode import accepted_codes, code_pairs, read_codes, recode
from neat_delta.diff.supplier_file import compare_supplier_file
from neat_delta.errors import InvalidInput
from neat_delta.matching import choose_key
from neat_delta.matching.context import Context
from neat_delta.matching.selection import chosen_rows
from neat_delta.progress import NO_PROGRESS, ProgressReporter
from neat_delta.tables.settings import Settings, SupplierProfile

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from neat_delta.diff.formulas import Formula
    from neat_delta.matching.supplier_mapping import ColumnMatch
    from neat_delta.remote import Location
    from neat_delta.tables import Table
    from neat_delta.tables.read_options import ReadOptions


@dataclass(frozen=True)
class PlanOptions:
    """How a change set is made from two files.

    Attributes:
        compare: how they are compared.
        profile: how the edited file is mapped to the shop's fields.
        accepted_rekeys: a file of key changes that are taken for such.
        overrides: what checks let through.
        images: the folder of image files, where missing ones are to be found.
    """

    compare: CompareOptions = field(default_factory=CompareOptions)
    profile: SupplierProfile = field(default_factory=SupplierProfile)
    accepted_rekeys: Location | None = None
    overrides: Overrides = field(default_factory=Overrides)
    images: Path | None = None


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
    if options.accepted_rekeys is not None:
        compare = replace(compare, accepted_rekeys=accepted_codes(options.accepted_rekeys, live))
    result, matches = compare_supplier_file(live, edited, options.profile, compare, progress)
    return checked(result, compare.settings, options.overrides, options.images, progress), matches


def plan_adjustment(
    context: Context,
    formulas: Sequence[Formula],
    where: str | None,
    items: Location | None,
    options: PlanOptions,
    progress: ProgressReporter = NO_PROGRESS,
) -> tuple[CompareResult, list[str]]:
    """What formulas change in the chosen live items, checked; and the keys in the file ``items`` that no item has.

    Raises:
        InvalidOption: a formula or a condition is wrong, or names what does not exist.
    """
    rows, unknown = chosen_rows(context, where, items)
    progress.step("calculating")
    result = adjust(context, formulas, rows, options.compare)
    return checked(result, context.settings, options.overrides, options.images, progress), unknown


@dataclass(frozen=True)
class RekeyFile:
    """A file of key changes: where it is, how it is read, its columns, and whether image names follow."""

    path: Location
    format: ReadOptions
    old: str | None = None
    new: str | None = None
    rename_images: bool = False


def plan_rekeys(
    live: Table, key: Sequence[str], file: RekeyFile, options: PlanOptions, progress: ProgressReporter = NO_PROGRESS
) -> tuple[CompareResult, Table]:
    """What a file of key changes does to the live export, checked; and that file as a table.

    Raises:
        InvalidInput: the file cannot be read as a table.
        InvalidOption: its columns cannot be told, or the key has several fields.
    """
    settings = options.compare.settings
    codes = read_codes(file.path, live, file.format, progress)
    context = context_of(live, settings, key)
    asked = code_pairs(codes, context.key, file.old, file.new)
    progress.step("matching SKUs")
    result = recode(codes, context, asked, options.compare, images=file.rename_images)
    return checked(result, settings, options.overrides, options.images, progress), codes


def checked(
    result: CompareResult,
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
    found = run_checks(result.changes, result.live, settings, overrides, names_of_images(images))
    result = with_findings(result, found)
    return replace(result, changes=with_overrides(result.changes, overrides))


def names_of_images(folder: Path | None) -> frozenset[str] | None:
    """The names of the files in a folder of images.

    Raises:
        InvalidInput: folder not found.
    """
    if folder is None:
        return None
    if not folder.is_dir():
        raise InvalidInput("folder not found", file=folder, hint="Give the folder with the images.")
    return frozenset(path.name for path in folder.rglob("*") if path.is_file())

"""The Python API: what the command line does, for programs; tables in, change sets and files out.

Everything here raises errors of one tree, ``NeatDeltaError``, prints nothing, and keeps no state.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import ChangeSet, Overrides
from neat_delta.checks import recheck
from neat_delta.diff.compare import CompareOptions
from neat_delta.diff.formulas import parse_formula
from neat_delta.diff.recode import code_pairs
from neat_delta.diff.recode import recode as recode_items
from neat_delta.locations import parse_location
from neat_delta.matching.selection import filter_rows
from neat_delta.reading import read_table as read_any
from neat_delta.reading.frames import table_from_frame
from neat_delta.reconcile.conflicts import HOLD, ConflictPolicy
from neat_delta.reconcile.refresh import RefreshResult
from neat_delta.reconcile.refresh import refresh as refresh_changes
from neat_delta.reconcile.verify import VerifyResult
from neat_delta.reconcile.verify import verify as verify_changes
from neat_delta.tables.settings import Settings, SupplierProfile
from neat_delta.update import Receipt, WriteOptions
from neat_delta.update import write_update as write_files
from neat_delta.workflows.base import GIVEN, Base
from neat_delta.workflows.combining import Preference, combined
from neat_delta.workflows.plan import PlanOptions, checked, context_of, plan_adjustment, plan_comparison

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from os import PathLike

    from neat_delta.reconcile.combine import CombineResult
    from neat_delta.tables import Table
    from neat_delta.tables.read_options import ReadOptions

NO_SETTINGS = Settings()
NO_OVERRIDES = Overrides()
DEFAULT_WRITE = WriteOptions()


def load_settings(path: str | PathLike[str]) -> Settings:
    """The settings of a ``catalogue.toml``.

    Raises:
        InvalidSettings: every mistake in it, with its line.
    """
    from neat_delta.tables.config_loader import load_settings as load

    return load(Path(path))


def read_table(
    path: str | PathLike[str], settings: Settings = NO_SETTINGS, options: ReadOptions | None = None
) -> Table:
    """A table file: delimited text, XLSX, ODS, JSON Lines or XML, also packed; here or at an address.

    Args:
        path: the file's path, or an address such as ``https://shop.example/export.csv``.
        settings: what its columns are called, and how the shop writes its exports.
        options: statements about its format, where recognising it goes wrong.

    Returns:
        a ``Table``; ``table.cells(table.names)`` are its cells as a Polars frame of text.

    Raises:
        InvalidInput: it cannot be read as a table.
    """
    given = settings.export if options is None else settings.export.overridden_by(options)
    return read_any(parse_location(str(path)), options=given).renamed(settings.names())


def compare(
    live: Table,
    edited: Table,
    settings: Settings = NO_SETTINGS,
    *,
    options: CompareOptions | None = None,
    profile: SupplierProfile | None = None,
    overrides: Overrides = NO_OVERRIDES,
) -> ChangeSet:
    """What the edited table changes in the live one, after all checks.

    Args:
        live: the live export.
        edited: the edited table.
        settings: what is configured.
        options: how to compare; its settings are those given here.
        profile: how a supplier's file is mapped to the shop's fields.
        overrides: what checks let through.

    Raises:
        InvalidOption: an option names what does not exist.
        AmbiguousKey: no column can be taken as the key without asking.
    """
    how = replace(options or CompareOptions(), settings=settings, as_typed=overrides.as_typed)
    plan = PlanOptions(how, profile or SupplierProfile(), overrides=overrides)
    return plan_comparison(live, edited, plan)[0].changes


def compare_three_way(
    live: Table,
    edited: Table,
    base: Table,
    settings: Settings = NO_SETTINGS,
    *,
    options: CompareOptions | None = None,
    overrides: Overrides = NO_OVERRIDES,
    on_conflict: str = HOLD,
) -> ChangeSet:
    """What was edited in a table that was made from an older export than the live one, after all checks.

    Only what was edited since the ``base`` is a change; what the shop has changed meanwhile stays, and a cell that both
    have changed is a conflict.

    Args:
        live: the live export.
        edited: the edited table.
        base: the export that it was made from.
        settings: what is configured.
        options: how to compare; its settings are those given here.
        overrides: what checks let through.
        on_conflict: where both have changed a cell: "hold" it back, or "ours", or "theirs".

    Raises:
        InvalidOption: an option names what does not exist, or the base lacks the key.
        AmbiguousKey: no column can be taken as the key without asking.
    """
    how = replace(options or CompareOptions(), settings=settings, as_typed=overrides.as_typed)
    plan = PlanOptions(how, overrides=overrides, base=Base(base, GIVEN), on_conflict=ConflictPolicy(on_conflict))
    return plan_comparison(live, edited, plan)[0].changes


def combine(sets: Mapping[str, ChangeSet], *, prefer: str | None = None) -> CombineResult:
    """Change sets of one live export as one.

    Args:
        sets: the change sets by their names, which are columns of the conflicts.
        prefer: the name of the change set whose value goes on where they disagree; none: such cells are held back.

    Returns:
        ``changes``, the change set of them all, ``conflicts`` (key, field, was, a column for each name, chosen) and the
        number of ``shared`` cells.

    Raises:
        InvalidOption: they are not of one live export, or have different keys.
    """
    return combined(list(sets.values()), list(sets), Preference(prefer))


def apply_formulas(
    live: Table,
    formulas: Sequence[str],
    settings: Settings = NO_SETTINGS,
    *,
    where: str | None = None,
    key: Sequence[str] = (),
    overrides: Overrides = NO_OVERRIDES,
) -> ChangeSet:
    """What formulas such as ``price = price * 1.05`` change in the live table, after all checks.

    Args:
        live: the live export.
        formulas: each ``field = expression``, in standard SQL over the fields; all see the values as they were before.
        settings: what is configured.
        where: a condition in SQL; only items for which it holds.
        key: the fields that identify an item, if not as configured.
        overrides: what checks let through.

    Raises:
        InvalidOption: a formula or the condition is wrong, or names what does not exist.
    """
    context = context_of(live, settings, key)
    plan = PlanOptions(CompareOptions(settings=settings, as_typed=overrides.as_typed), overrides=overrides)
    parsed = [parse_formula(text) for text in formulas]
    return plan_adjustment(context, parsed, where, None, plan)[0].changes


def recode(
    live: Table,
    new_keys: Mapping[str, str],
    settings: Settings = NO_SETTINGS,
    *,
    rename_images: bool = False,
    overrides: Overrides = NO_OVERRIDES,
) -> ChangeSet:
    """What it takes to give items other SKUs: the SKUs, and the fields of other items that name them.

    Args:
        live: the live export.
        new_keys: the new SKU by the one that the item has.
        settings: what is configured.
        rename_images: names of image files that hold an item's SKU get the new one.
        overrides: what checks let through.

    Raises:
        InvalidOption: the key has several fields.
    """
    pairs = {"old": list(new_keys), "new": list(new_keys.values())}
    codes = table_from_frame(pl.DataFrame(pairs, schema={"old": pl.String, "new": pl.String}), "new_keys.csv")
    context = context_of(live, settings)
    asked = code_pairs(codes, context.key, "old", "new")
    result = recode_items(codes, context, asked, CompareOptions(settings=settings), images=rename_images)
    return checked(result, settings, overrides).changes


def filter_keys(live: Table, where: str, settings: Settings = NO_SETTINGS) -> pl.Series:
    """The keys of the live items for which a condition in SQL holds, in the order of the export.

    Raises:
        InvalidOption: it is no condition, or names a field that does not exist.
    """
    context = context_of(live, settings)
    return context.key.values(live, filter_rows(context, where))


def check(
    changes: ChangeSet, live: Table, settings: Settings = NO_SETTINGS, overrides: Overrides = NO_OVERRIDES
) -> ChangeSet:
    """The change set after all checks against the live table as it is now; what they block is taken out.

    Raises:
        InvalidOption: an override names a field or a check that does not exist.
    """
    return recheck(changes, live.renamed(changes.head.names()), settings, overrides)


def write_update(
    changes: ChangeSet,
    live: Table,
    folder: str | PathLike[str],
    settings: Settings = NO_SETTINGS,
    options: WriteOptions = DEFAULT_WRITE,
) -> Receipt | None:
    """The proved update files of a change set, with those that undo it and a receipt; whole or not at all.

    Returns:
        the receipt; ``None``, with nothing written, if there is nothing to change.

    Raises:
        LiveMismatch: the change set was made from another live export.
        WriteError: the folder is in use, or a cell cannot be written.
        ProofFailed: the files would not do exactly what the change set says; they are removed.
    """
    return write_files(changes, live.renamed(changes.head.names()), Path(folder), settings, options)


def refresh(
    changes: ChangeSet, fresh: Table, settings: Settings = NO_SETTINGS, *, on_conflict: str = HOLD
) -> RefreshResult:
    """What a newer live table still needs of a change set.

    Args:
        changes: the change set.
        fresh: the newer export.
        settings: what is configured.
        on_conflict: where both have changed a cell: "hold" it back, or "ours", or "theirs".

    Returns:
        ``changes``, the change set that is still needed, ``conflicts`` (key, field, then, ours, now, fate) and counts.

    Raises:
        InvalidOption: the export lacks a field of the change set.
    """
    return refresh_changes(changes, fresh.renamed(changes.head.names()), settings, ConflictPolicy(on_conflict))


def verify(changes: ChangeSet, fresh: Table, settings: Settings = NO_SETTINGS) -> VerifyResult:
    """What of a change set has arrived in the shop, by an export made after the import.

    Returns:
        ``changes`` (key, field, was, ours, there, state, how), ``remaining``, the change set of what has not arrived,
        and ``done``.

    Raises:
        InvalidOption: the export lacks a field of the change set.
    """
    return verify_changes(changes, fresh.renamed(changes.head.names()), settings)

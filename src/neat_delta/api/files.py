"""Change sets as files and updates: loading, writing, bringing up to date, verifying, undoing."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, TypedDict

from neat_delta.api.arguments import known
from neat_delta.api.tables import SettingsLike, TableLike, read, settings_of
from neat_delta.approval import load_approval
from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.changeset.changeset import ChangeSet
from neat_delta.checks import recheck
from neat_delta.reconcile.conflicts import HOLD, ConflictPolicy
from neat_delta.reconcile.refresh import RefreshResult
from neat_delta.reconcile.refresh import refresh as refresh_changes
from neat_delta.reconcile.verify import VerifyResult
from neat_delta.reconcile.verify import verify as verify_changes
from neat_delta.update import Receipt, WriteOptions, write_update
from neat_delta.update.field_sets import WAYS
from neat_delta.update.write import output_formats
from neat_delta.workflows.saved_changes import undo_by_table

if TYPE_CHECKING:
    from datetime import datetime
    from os import PathLike
    from typing import Unpack


class WriteArguments(TypedDict, total=False):
    """How an update is written, by the names that the command line's options have."""

    pack: str
    """How cells are packed into files: "exact" or "one-file"."""
    format: str
    """The format of the files: "delimited", "tsv", "xlsx", "parquet", "jsonl" …"""
    overwrite: bool
    """An earlier update in the folder is replaced."""
    as_of: datetime
    """When the live export was made, where its file does not tell."""
    approval: str | PathLike[str]
    """The approval of the change set."""


def load(path: str | PathLike[str]) -> ChangeSet:
    """A saved change set, also one that is compressed with gzip; ``changes.save(path)`` saves one.

    Raises:
        InvalidInput: it is no change set, of a later format, or damaged; with the line.
    """
    return ChangeSet.load(path)


def write(
    changes: ChangeSet,
    folder: str | PathLike[str],
    live: TableLike,
    settings: SettingsLike = None,
    **how: Unpack[WriteArguments],
) -> Receipt | None:
    """The proved update files of a change set, with those that undo it and a receipt; whole or not at all.

    >>> import tempfile
    >>> import polars as pl
    >>> import neat_delta as nd
    >>> live = pl.DataFrame({"sku": ["A", "B"], "price": ["1.00", "2.00"]})
    >>> changes = nd.adjust(live, ["price = price + 1"])
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     nd.write(changes, f"{folder}/update", live).cells
    2

    Args:
        changes: the change set.
        folder: a new or empty folder.
        live: the live export that the change set was made from.
        settings: what is configured.
        how: how it is written, as ``WriteArguments`` has it.

    Returns:
        the receipt; ``None``, with nothing written, if there is nothing to change.

    Raises:
        LiveMismatch: the change set was made from another live export.
        NotApproved: the settings want an approval, and there is none that holds.
        WriteError: the folder is in use, or a cell cannot be written.
        ProofFailed: the files would not do exactly what the change set says; they are removed.
    """
    known(how, WriteArguments, "write")
    own = settings_of(settings)
    table = read(live, own).renamed(changes.head.names())
    return write_update(recheck(changes, table, own), table, Path(folder), own, _write_options(how))


def undo(
    changes: ChangeSet,
    folder: str | PathLike[str],
    live: TableLike,
    settings: SettingsLike = None,
    *,
    fresh: TableLike | None = None,
    **how: Unpack[WriteArguments],
) -> Receipt | None:
    """The files that put back what a change set has changed, proved like any update.

    Args:
        changes: the change set that was sent.
        folder: a new or empty folder.
        live: the live export that the change set was made from.
        settings: what is configured.
        fresh: an export made now: then only what was applied and what nobody has changed since is put back.
        how: how it is written, as ``WriteArguments`` has it.

    Returns:
        the receipt; ``None``, with nothing written, if there is nothing to put back.

    Raises:
        LiveMismatch, WriteError, ProofFailed: as for ``write``.
        InvalidOption: of some items nobody can tell whether their SKUs have changed.
    """
    known(how, WriteArguments, "undo")
    own, options = settings_of(settings), _write_options(how)
    if fresh is None:
        table = read(live, own).renamed(changes.head.names())
        return write_update(changes, table, Path(folder), own, replace(options, inverted=True, gate=False))
    now = read(fresh, own).renamed(changes.head.names())
    return undo_by_table(changes, now, Path(folder), own, options)[0]


def refresh(
    changes: ChangeSet, fresh: TableLike, settings: SettingsLike = None, *, on_conflict: str = HOLD
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
    own = settings_of(settings)
    return refresh_changes(changes, read(fresh, own).renamed(changes.head.names()), own, ConflictPolicy(on_conflict))


def verify(changes: ChangeSet, fresh: TableLike, settings: SettingsLike = None) -> VerifyResult:
    """What of a change set has arrived in the shop, by an export made after the import.

    Returns:
        ``changes`` (key, field, was, ours, there, state, how), ``remaining``, the change set of what has not arrived,
        and ``done``.

    Raises:
        InvalidOption: the export lacks a field of the change set.
    """
    own = settings_of(settings)
    return verify_changes(changes, read(fresh, own).renamed(changes.head.names()), own)


def _write_options(how: WriteArguments) -> WriteOptions:
    """How an update is written.

    Raises:
        InvalidOption: there is no such way of packing, or format.
        InvalidInput: what was given as an approval is none.
    """
    for name, choices in (("pack", WAYS), ("format", output_formats())):
        value = how.get(name)
        if value is not None and value not in choices:
            raise InvalidOption(
                "there is no such choice", option=name, value=str(value), hint=nearest_hint(str(value), list(choices))
            )
    approval = how.get("approval")
    return WriteOptions(
        overwrite=how.get("overwrite", False),
        strategy=how.get("pack", WriteOptions.strategy),
        output_format=how.get("format", WriteOptions.output_format),
        as_of=how.get("as_of"),
        approval=load_approval(Path(approval)) if approval is not None else None,
    )

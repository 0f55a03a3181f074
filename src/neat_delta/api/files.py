"""Change sets as files and updates: loading, writing, sending, bringing up to date, verifying, undoing."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.api.tables import SettingsLike, TableLike, settings_of
from neat_delta.api.translate import request_of, table_or_place
from neat_delta.changeset.changeset import ChangeSet
from neat_delta.locations import parse_place
from neat_delta.workflows import refresh as refreshing
from neat_delta.workflows import send as sending
from neat_delta.workflows import sheet as making
from neat_delta.workflows import undo as undoing
from neat_delta.workflows import verify as verifying
from neat_delta.workflows import write as writing
from neat_delta.workflows.requests import (
    RefreshRequest,
    SendRequest,
    SheetRequest,
    UndoRequest,
    VerifyRequest,
    WriteRequest,
)

if TYPE_CHECKING:
    from os import PathLike
    from typing import Unpack

    from neat_delta.api.arguments import (
        RefreshArguments,
        SendArguments,
        SheetArguments,
        UndoArguments,
        VerifyArguments,
        WriteArguments,
    )
    from neat_delta.delivery.history import Entry
    from neat_delta.reconcile.refresh import RefreshResult
    from neat_delta.reconcile.verify import VerifyResult
    from neat_delta.update import Receipt


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
    configured = settings_of(settings)
    members = {"changes": changes, "folder": Path(folder), "live": table_or_place(live, configured)}
    return writing.write(request_of(WriteRequest, "write", how, configured, **members)).receipt


def undo(
    changes: ChangeSet,
    folder: str | PathLike[str],
    live: TableLike,
    settings: SettingsLike = None,
    **how: Unpack[UndoArguments],
) -> Receipt | None:
    """The files that put back what a change set has changed, proved like any update.

    Args:
        changes: the change set that was sent.
        folder: a new or empty folder.
        live: the live export that the change set was made from.
        settings: what is configured.
        how: ``fresh``, an export made now, by which only what was applied and what nobody has changed since is put
            back; and how it is written, as ``UndoArguments`` has it.

    Returns:
        the receipt; ``None``, with nothing written, if there is nothing to put back.

    Raises:
        LiveMismatch, WriteError, ProofFailed: as for ``write``.
        InvalidOption: of some items nobody can tell whether their SKUs have changed.
    """
    configured = settings_of(settings)
    members = {"changes": changes, "folder": Path(folder), "live": table_or_place(live, configured)}
    given = dict(how)
    fresh = how.get("fresh")
    if fresh is not None:
        given["fresh"] = table_or_place(fresh, configured)
    return undoing.undo(request_of(UndoRequest, "undo", given, configured, **members)).receipt


def send(
    folder: str | PathLike[str],
    to: str | PathLike[str] | None = None,
    settings: SettingsLike = None,
    *,
    history: str | PathLike[str] | None = None,
    **how: Unpack[SendArguments],
) -> Entry:
    """Send a written update to the shop, file by file, never twice; the history knows what has left.

    Args:
        folder: the update's folder.
        to: where it goes: a folder, here or on a server; the http(s) address of the shop's interface; or a table of a
            database; as ``[send] to`` says if it is not given.
        settings: what is configured.
        history: the file in which it is written down, if not the user's.
        how: as ``SendArguments`` has it.

    Returns:
        the history's entry: ``entry``, its number, ``state``, and ``files`` with what the shop has answered.

    Raises:
        NotApproved: the settings want an approval, and there is none that holds.
        LiveMismatch: the export that the update was made from is too old.
        DeliveryError: it was sent already, begun and not resumed, or refused.
        NetworkError: the destination cannot be reached.
    """
    configured = settings_of(settings)
    members = {
        "folder": Path(folder),
        "to": None if to is None else parse_place(str(to)),
        "history": None if history is None else Path(history),
    }
    return sending.send(sending.ready(request_of(SendRequest, "send", how, configured, **members)))


def refresh(
    changes: ChangeSet, fresh: TableLike, settings: SettingsLike = None, **options: Unpack[RefreshArguments]
) -> RefreshResult:
    """What a newer live table still needs of a change set.

    Args:
        changes: the change set.
        fresh: the newer export.
        settings: what is configured.
        options: whose value goes on where both have changed a cell, and what is saved, as ``RefreshArguments`` has it.

    Returns:
        ``changes``, the change set that is still needed, ``conflicts`` (key, field, original, ours, shop, fate) and
        counts.

    Raises:
        InvalidOption: the export lacks a field of the change set.
    """
    configured = settings_of(settings)
    members = {"changes": changes, "fresh": table_or_place(fresh, configured)}
    return refreshing.refresh(request_of(RefreshRequest, "refresh", options, configured, **members))


def verify(
    changes: ChangeSet, fresh: TableLike, settings: SettingsLike = None, **options: Unpack[VerifyArguments]
) -> VerifyResult:
    """What of a change set has arrived in the shop, by an export made after the import.

    Returns:
        ``changes`` (key, field, original, ours, shop, state, how), ``remaining``, the change set of what has not
        arrived, and ``done``.

    Raises:
        InvalidOption: the export lacks a field of the change set.
    """
    configured = settings_of(settings)
    members = {"changes": changes, "fresh": table_or_place(fresh, configured)}
    return verifying.verify(request_of(VerifyRequest, "verify", options, configured, **members)).result


def sheet(
    live: TableLike, out: str | PathLike[str], settings: SettingsLike = None, **options: Unpack[SheetArguments]
) -> None:
    """Write a sheet for editing: a workbook that a spreadsheet program cannot damage, or a plain text file.

    Args:
        live: the live export.
        out: the file: .xlsx (safe), or .csv.
        settings: what is configured.
        options: which fields and items, as ``SheetArguments`` has it.

    Raises:
        InvalidOption: a field or the condition is none.
        WriteError: the file cannot be written, or has another ending.
    """
    configured = settings_of(settings)
    members = {"export": table_or_place(live, configured), "out": Path(out)}
    making.sheet(request_of(SheetRequest, "sheet", options, configured, **members))

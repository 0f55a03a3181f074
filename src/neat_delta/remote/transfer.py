"""Fetching and putting whole files, whatever an address begins with."""

from __future__ import annotations

from contextlib import suppress
from typing import TYPE_CHECKING

from neat_delta.errors import DeliveryError, NetworkError
from neat_delta.remote.transfer_errors import NotFound, TransferError, retry

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.remote.address import Address


def fetch(address: Address) -> bytes:
    """The bytes of a file elsewhere, all of them.

    Raises:
        NetworkError: it cannot be had, or not whole.
    """
    try:
        return _fetched(address)
    except TransferError as trouble:
        raise NetworkError(trouble.what, file=address, hint=trouble.hint) from trouble


def fetch_if_any(address: Address) -> bytes | None:
    """The bytes of a file elsewhere; ``None`` if file not found.

    Raises:
        DeliveryError: nobody can tell.
    """
    try:
        return _fetched(address)
    except NotFound:
        return None
    except TransferError as trouble:
        raise DeliveryError(trouble.what, file=address, hint=trouble.hint) from trouble


def _fetched(address: Address) -> bytes:
    from neat_delta.remote import ftp, sftp, web

    way = {"ftp": ftp.fetch, "ftps": ftp.fetch, "sftp": sftp.fetch}.get(address.scheme)
    # The web's way tries again by itself.
    return retry(lambda: way(address)) if way else web.fetch(address)


def put(folder: Address, name: str, data: bytes) -> None:
    """Put a file into a folder elsewhere, whole, over one that may have this name.

    Raises:
        DeliveryError: it could not be put there; a part of it may lie there.
    """
    from neat_delta.remote import ftp, sftp

    way = {"ftp": ftp.put, "ftps": ftp.put, "sftp": sftp.put}[folder.scheme]
    _done_in(folder, name, lambda: way(folder, name, data))


def rename(folder: Address, old: str, new: str) -> None:
    """Give a file in a folder elsewhere another name; nothing is done if it is not there (any more).

    Raises:
        DeliveryError: it could not be done.
    """
    from neat_delta.remote import ftp, sftp

    way = {"ftp": ftp.rename, "ftps": ftp.rename, "sftp": sftp.rename}[folder.scheme]
    with suppress(_Gone):
        _done_in(folder, new, lambda: way(folder, old, new))


class _Gone(DeliveryError):
    """The file is not there."""


def _done_in(folder: Address, name: str, action: Callable[[], None]) -> None:
    try:
        retry(action)
    except TransferError as trouble:
        sort = _Gone if isinstance(trouble, NotFound) else DeliveryError
        raise sort(trouble.what, file=f"{str(folder).rstrip('/')}/{name}", hint=trouble.hint) from trouble

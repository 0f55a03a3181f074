"""Fetching and putting whole files, whatever an address begins with."""

from __future__ import annotations

from contextlib import suppress
from typing import TYPE_CHECKING, Any, TypeVar

from neat_delta.base.errors import DeliveryError, NetworkError
from neat_delta.remote.address import PORTS
from neat_delta.remote.transfer_errors import NotFound, TransferError, retry

if TYPE_CHECKING:
    from collections.abc import Callable
    from datetime import datetime

    from neat_delta.remote.address import Address

T = TypeVar("T")


def fetch(address: Address) -> bytes:
    """The bytes of a file elsewhere, all of them.

    Raises:
        NetworkError: it cannot be had, or not whole.
    """
    return _asked(address, lambda: _fetched(address))


def fetch_if_any(address: Address) -> bytes | None:
    """The bytes of a file elsewhere; ``None`` if file not found.

    Raises:
        DeliveryError: nobody can tell.
    """
    try:
        return _tried(address, lambda: _fetched(address))
    except NotFound:
        return None
    except TransferError as trouble:
        raise DeliveryError(trouble.what, file=address, hint=trouble.hint, never_left=trouble.never_left) from trouble


def _fetched(address: Address) -> bytes:
    fetched: bytes = _way(address).fetch(address)
    return fetched


def list_folder(folder: Address) -> list[tuple[str, datetime | None]]:
    """The files in a folder elsewhere: their names, and when each was changed last, where the server tells it.

    Raises:
        NetworkError: it cannot be listed.
    """
    way = _way(folder)
    return _asked(folder, lambda: way.listing(folder))


def modified_at(address: Address) -> datetime | None:
    """When a file elsewhere was changed last, where the server tells it.

    Raises:
        NetworkError: it cannot be asked.
    """
    way = _way(address)
    changed: datetime | None = _asked(address, lambda: way.modified_at(address))
    return changed


def _asked(address: Address, action: Callable[[], T]) -> T:
    try:
        return _tried(address, action)
    except TransferError as trouble:
        raise NetworkError(trouble.what, file=address, hint=trouble.hint) from trouble


def _tried(address: Address, action: Callable[[], T]) -> T:
    """What an action gives, which is tried again; the web's way does so by itself."""
    return action() if address.scheme in ("http", "https") else retry(action)


def put(folder: Address, name: str, data: bytes) -> None:
    """Put a file into a folder elsewhere, whole, over one that may have this name.

    Raises:
        DeliveryError: it could not be put there; a part of it may lie there.
    """
    way = _way(folder)
    _done_in(folder, name, lambda: way.put(folder, name, data))


def rename(folder: Address, old: str, new: str) -> None:
    """Give a file in a folder elsewhere another name; nothing is done if it is not there (any more).

    Raises:
        DeliveryError: it could not be done.
    """
    way = _way(folder)
    with suppress(_Gone):
        _done_in(folder, new, lambda: way.rename(folder, old, new))


def _way(address: Address) -> Any:
    """The module that knows how to reach an address; each has fetch, listing and modified_at, most put and rename."""
    if address.scheme in ("http", "https"):
        from neat_delta.remote import web_index

        return web_index
    if address.scheme in ("ftp", "ftps"):
        from neat_delta.remote import ftp

        return ftp
    if address.scheme == "sftp":
        from neat_delta.remote import sftp

        return sftp
    if address.scheme not in PORTS:
        raise NetworkError(
            f"{address.scheme} is a destination only", file=address, hint="Read the table from a file or an address."
        )
    from neat_delta.remote import stores

    return stores


class _Gone(DeliveryError):
    """The file is not there."""


def _done_in(folder: Address, name: str, action: Callable[[], None]) -> None:
    try:
        retry(action)
    except TransferError as trouble:
        sort = _Gone if isinstance(trouble, NotFound) else DeliveryError
        place = f"{str(folder).rstrip('/')}/{name}"
        raise sort(trouble.what, file=place, hint=trouble.hint, never_left=trouble.never_left) from trouble

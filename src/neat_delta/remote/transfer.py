"""Fetching and putting whole files, whatever an address begins with."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.errors import CannotSend, Unreadable
from neat_delta.remote.trouble import NotThere, Trouble, tried

if TYPE_CHECKING:
    from neat_delta.remote.address import Address


def fetch(address: Address) -> bytes:
    """The bytes of a file elsewhere, all of them.

    Raises:
        Unreadable: it cannot be had, or not whole.
    """
    try:
        return _fetched(address)
    except Trouble as trouble:
        raise Unreadable(trouble.what, file=address, remedy=trouble.remedy) from trouble


def fetch_if_any(address: Address) -> bytes | None:
    """The bytes of a file elsewhere; ``None`` if there is no such file.

    Raises:
        CannotSend: nobody can tell.
    """
    try:
        return _fetched(address)
    except NotThere:
        return None
    except Trouble as trouble:
        raise CannotSend(trouble.what, file=address, remedy=trouble.remedy) from trouble


def _fetched(address: Address) -> bytes:
    from neat_delta.remote import ftp, sftp, web

    way = {"ftp": ftp.fetch, "ftps": ftp.fetch, "sftp": sftp.fetch}.get(address.scheme)
    # The web's way tries again by itself.
    return tried(lambda: way(address)) if way else web.fetch(address)


def put(folder: Address, name: str, data: bytes) -> None:
    """Put a file into a folder elsewhere, whole or not at all.

    Raises:
        CannotSend: it could not be put there.
    """
    from neat_delta.remote import ftp, sftp

    way = {"ftp": ftp.put, "ftps": ftp.put, "sftp": sftp.put}[folder.scheme]
    try:
        tried(lambda: way(folder, name, data))
    except Trouble as trouble:
        raise CannotSend(trouble.what, file=f"{str(folder).rstrip('/')}/{name}", remedy=trouble.remedy) from trouble

"""FTP, and FTP over TLS (RFC 4217) with a certificate that is checked."""

from __future__ import annotations

import ftplib
import io
import ssl
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from neat_delta.remote import secrets
from neat_delta.remote.bounds import Meter, within_bounds
from neat_delta.remote.transfer_errors import (
    SILENCE_TIME,
    NotFound,
    TransferError,
    is_permanent,
    plain,
    require_encryption,
)

if TYPE_CHECKING:
    import socket
    from collections.abc import Iterator

    from neat_delta.remote.address import Address


# What a connection may fail with when it is only taken leave of.
FAILURES = (ftplib.Error, OSError, EOFError, ValueError)


class _Secured(ftplib.FTP_TLS):
    """FTP over TLS whose data go over the session of the control connection, as many servers insist."""

    def ntransfercmd(self, cmd: str, rest: int | str | None = None) -> tuple[socket.socket, int | None]:
        data, size = ftplib.FTP.ntransfercmd(self, cmd, rest)
        session = self.sock.session  # type: ignore[union-attr]
        return self.context.wrap_socket(data, server_hostname=self.host, session=session), size


def fetch(address: Address) -> bytes:
    """The whole file at an address.

    Raises:
        TransferError: it cannot be had, or not whole.
    """
    data = bytearray()

    def received(meter: Meter) -> None:
        with _session(address) as ftp:
            meter.stop = ftp.close
            path = address.plain_path
            size = _size(ftp, path)

            def take(piece: bytes) -> None:
                meter.count(len(piece))
                data.extend(piece)

            ftp.retrbinary(f"RETR {path}", take)
        _insist_on_whole(len(data), size)

    within_bounds(received)
    return bytes(data)


def listing(folder: Address) -> list[tuple[str, datetime | None]]:
    """The files in a folder and when each was changed last, where the server tells it (RFC 3659, else names only).

    Raises:
        TransferError: it cannot be listed.
    """

    def listed(meter: Meter) -> list[tuple[str, datetime | None]]:
        with _in_folder(folder) as ftp:
            meter.stop = ftp.close
            try:
                entries = [(name, facts) for name, facts in ftp.mlsd(facts=["type", "modify"])]
            except ftplib.error_perm:  # a server that does not know MLSD
                with suppress(ftplib.error_perm):  # (some say so of an empty folder)
                    return [(name.rpartition("/")[2], None) for name in ftp.nlst()]
                return []
            return [(name, _time(facts.get("modify", ""))) for name, facts in entries if facts.get("type") == "file"]

    return within_bounds(listed)


def modified_at(address: Address) -> datetime | None:
    """When a file was changed last, where the server tells it (RFC 3659).

    Raises:
        TransferError: the server cannot be asked.
    """
    with _session(address) as ftp:
        try:
            return _time(ftp.voidcmd(f"MDTM {address.plain_path}").partition(" ")[2])
        except ftplib.error_perm:
            return None


def _time(text: str) -> datetime | None:
    """A time by RFC 3659, section 2.3: YYYYMMDDHHMMSS, in UTC; parts of a second are left out."""
    try:
        return datetime.strptime(text.strip()[:14], "%Y%m%d%H%M%S").replace(tzinfo=UTC)
    except ValueError:
        return None


def put(folder: Address, name: str, data: bytes) -> None:
    """Put a file into a folder, over one that may have this name, and see that all of it came over.

    Raises:
        TransferError: it could not be put there.
    """

    def stored(meter: Meter) -> None:
        with _in_folder(folder) as ftp:
            meter.stop = ftp.close
            try:
                ftp.storbinary(f"STOR {name}", io.BytesIO(data), callback=lambda piece: meter.sent(len(piece)))
                size = _size(ftp, name)
                _insist_on_whole(len(data) if size is None else size, len(data))
            except BaseException:
                with suppress(*FAILURES):
                    ftp.delete(name)
                raise

    within_bounds(stored)


def rename(folder: Address, old: str, new: str) -> None:
    """Give a file in a folder another name.

    Raises:
        NotFound: file not found.
        TransferError: it could not be done.
    """

    def renamed(meter: Meter) -> None:
        with _in_folder(folder) as ftp:
            meter.stop = ftp.close
            try:
                ftp.rename(old, new)
            except ftplib.error_perm as error:
                if str(error).startswith("550") and _size(ftp, old) is None:
                    raise
                raise TransferError(f"the server refused ({error})") from error

    within_bounds(renamed)


@contextmanager
def _in_folder(folder: Address) -> Iterator[ftplib.FTP]:
    with _session(folder) as ftp:
        try:
            ftp.cwd(folder.plain_path or "/")
        except ftplib.error_perm as error:
            raise TransferError("folder not found", hint="Create it, or choose another folder.") from error
        yield ftp


def _size(ftp: ftplib.FTP, path: str) -> int | None:
    """A file's size in bytes, where the server tells it."""
    ftp.voidcmd("TYPE I")
    try:
        return ftp.size(path)
    except (ftplib.error_perm, ValueError):  # it does not tell, or tells no number
        return None


def _insist_on_whole(size: int, expected: int | None) -> None:
    if expected is not None and size != expected:
        raise TransferError(f"transfer interrupted: {size} of {expected} bytes", transient=True)


@contextmanager
def _session(address: Address) -> Iterator[ftplib.FTP]:
    """A connection with somebody logged in, which is closed again; what goes wrong on it is named."""
    ftp: Any = _Secured(context=ssl.create_default_context()) if address.scheme == "ftps" else ftplib.FTP()
    user = address.user or "anonymous"
    try:
        ftp.encoding = "utf-8"
        password = (secrets.password_of(user, address.host) if address.user else None) or ""
        if password and address.scheme == "ftp":
            require_encryption(address.host, "a password", "ftps:// or sftp://")
        ftp.connect(address.host, address.port, timeout=SILENCE_TIME)
        try:
            ftp.login(user, password)
        except ftplib.error_perm as error:
            hint = secrets.where_to_put(secrets.PASSWORD, user, address.host)
            raise TransferError(f"missing or wrong password for {user}", hint=hint) from error
        if address.scheme == "ftps":
            ftp.prot_p()
        yield ftp
        with suppress(*FAILURES):
            ftp.quit()
    except ftplib.error_perm as error:
        if str(error).startswith("550"):
            raise NotFound(
                "file not found, or no permission to read it", hint="Check the name and the folder."
            ) from error
        raise TransferError(f"the server refused ({error})") from error
    except EOFError as error:
        raise TransferError("transfer interrupted", transient=True) from error
    except UnicodeDecodeError as error:
        raise TransferError("the server's words are not UTF-8 text", hint="Is this an FTP server?") from error
    except (ftplib.Error, OSError) as error:
        raise TransferError(plain(error), transient=not is_permanent(error)) from error
    finally:
        ftp.close()

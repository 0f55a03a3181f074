"""SFTP, by paramiko: only with machines whose host key is known."""

from __future__ import annotations

import io
import logging
import os
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from stat import S_IFREG, S_ISREG
from typing import TYPE_CHECKING

from neat_delta.base.extras import REMOTE, from_extra
from neat_delta.remote import secrets
from neat_delta.remote.bounds import Meter, within_bounds
from neat_delta.remote.transfer_errors import SILENCE_TIME, NotFound, TransferError, is_permanent, plain

if TYPE_CHECKING:
    from collections.abc import Iterator

    import paramiko

    from neat_delta.remote.address import Address

KNOWN_HOSTS = "NEAT_DELTA_KNOWN_HOSTS"


def fetch(address: Address) -> bytes:
    """The whole file at an address.

    Raises:
        TransferError: it cannot be had, or not whole.
    """
    data = io.BytesIO()

    def received(meter: Meter) -> None:
        with _session(address) as sftp:
            meter.stop = sftp.close
            sftp.getfo(
                address.plain_path, data, lambda so_far, _: meter.count(so_far - meter.received)
            )  # checks the size

    within_bounds(received)
    return data.getvalue()


def listing(folder: Address) -> list[tuple[str, datetime | None]]:
    """The files in a folder and when each was changed last.

    Raises:
        TransferError: it cannot be listed.
    """

    def listed(meter: Meter) -> list[tuple[str, datetime | None]]:
        with _in_folder(folder) as sftp:
            meter.stop = sftp.close
            entries = sftp.listdir_attr(folder.plain_path or "/")
            return [(entry.filename, _time(entry)) for entry in entries if S_ISREG(entry.st_mode or S_IFREG)]

    return within_bounds(listed)


def modified_at(address: Address) -> datetime | None:
    """When a file was changed last.

    Raises:
        TransferError: the server cannot be asked.
    """
    with _session(address) as sftp:
        return _time(sftp.stat(address.plain_path))


def _time(entry: paramiko.SFTPAttributes) -> datetime | None:
    return None if entry.st_mtime is None else datetime.fromtimestamp(entry.st_mtime, UTC)


def put(folder: Address, name: str, data: bytes) -> None:
    """Put a file into a folder, over one that may have this name, and see that all of it came over.

    Raises:
        TransferError: it could not be put there.
    """
    path = f"{folder.plain_path.rstrip('/')}/{name}"

    def stored(meter: Meter) -> None:
        with _in_folder(folder) as sftp:
            meter.stop = sftp.close
            try:
                told = lambda so_far, _: meter.sent(so_far - meter.moved)  # noqa: E731
                sftp.putfo(io.BytesIO(data), path, callback=told, confirm=True)  # checks the size
            except BaseException:
                with suppress(OSError, EOFError):
                    sftp.remove(path)
                raise

    within_bounds(stored)


def rename(folder: Address, old: str, new: str) -> None:
    """Give a file in a folder another name.

    Raises:
        NotFound: file not found.
        TransferError: it could not be done.
    """
    place = folder.plain_path.rstrip("/")

    def renamed(meter: Meter) -> None:
        with _in_folder(folder) as sftp:
            meter.stop = sftp.close
            sftp.stat(f"{place}/{old}")
            # This renaming does not go over a file that is there.
            sftp.rename(f"{place}/{old}", f"{place}/{new}")

    within_bounds(renamed)


@contextmanager
def _in_folder(folder: Address) -> Iterator[paramiko.SFTPClient]:
    with _session(folder) as sftp:
        try:
            sftp.stat(folder.plain_path.rstrip("/") or "/")
        except FileNotFoundError as error:
            raise TransferError("folder not found", hint="Create it, or choose another folder.") from error
        yield sftp


def _log_in(client: paramiko.SSHClient, address: Address, user: str) -> None:
    """By the password that is given for this server, else by the keys of this user, which it may open.

    The password comes first, for servers hang up on callers who offer keys that they do not know.
    """
    import paramiko

    password = secrets.password_of(user, address.host)
    connect = partial(
        client.connect,
        address.host,
        address.port,
        user,
        password,
        timeout=SILENCE_TIME,
        banner_timeout=SILENCE_TIME,
        auth_timeout=SILENCE_TIME,
    )
    if password is not None:
        with suppress(paramiko.AuthenticationException):
            connect(allow_agent=False, look_for_keys=False)
            return
    connect()


@contextmanager
def _session(address: Address) -> Iterator[paramiko.SFTPClient]:
    """A connection with somebody logged in, which is closed again; what goes wrong on it is named."""
    with from_extra(REMOTE, "sftp addresses", file=address):
        import paramiko
    # What goes wrong is said once, by us, and not in lines of a library beside it.
    logging.getLogger("paramiko").setLevel(logging.CRITICAL)
    client = paramiko.SSHClient()
    client.load_system_host_keys()
    if hosts := os.environ.get(KNOWN_HOSTS):
        client.load_host_keys(str(Path(hosts)))
    client.set_missing_host_key_policy(paramiko.RejectPolicy())
    user = address.user or os.environ.get("USER", "")
    try:
        _log_in(client, address, user)
        sftp = client.open_sftp()
        if channel := sftp.get_channel():
            channel.settimeout(SILENCE_TIME)
        yield sftp
    except FileNotFoundError as error:
        raise NotFound("file not found", hint="Check the name and the folder.") from error
    except PermissionError as error:
        raise TransferError("no permission") from error
    except paramiko.BadHostKeyException as error:
        raise TransferError(
            "the server's host key has changed; it may be another server",
            hint="Ask the server administrator.",
        ) from error
    except (paramiko.AuthenticationException, paramiko.PasswordRequiredException) as error:
        hint = secrets.where_to_put(secrets.PASSWORD, user, address.host)
        raise TransferError(f"missing or wrong password or key for {user}", hint=hint) from error
    except paramiko.SSHException as error:
        if "not found in known_hosts" in str(error):
            raise TransferError(
                "unknown host key",
                hint=f"Log in once with ssh and compare the key, or set {KNOWN_HOSTS} to a known_hosts file.",
            ) from error
        raise TransferError(plain(error), transient=not is_permanent(error)) from error
    except EOFError as error:
        raise TransferError("transfer interrupted", transient=True) from error
    except OSError as error:
        cut = "size mismatch" in str(error)
        raise TransferError(
            "transfer interrupted" if cut else plain(error), transient=cut or not is_permanent(error)
        ) from error
    finally:
        client.close()

"""Object stores (``s3://``) and WebDAV (RFC 4918), by fsspec and its packages.

Keys and accounts come from where the stores' own tools have them: their environment variables and files. WebDAV has
users and passwords like the other servers.
"""

from __future__ import annotations

import logging
from contextlib import contextmanager
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import NotInstalled
from neat_delta.base.extras import from_extra
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
    from collections.abc import Iterator

    from neat_delta.remote.address import Address

EXTRAS = {"s3": "s3", "webdav": "webdav", "webdavs": "webdav"}
HINTS = {
    "s3": "Set AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY, or log in with the store's own tool.",
}
PIECE = 1 << 20
# Under these names stores say when a file was changed last.
TIMES = ("LastModified", "last_modified", "modified", "updated", "mtime")
# What stores call a wrong key, beside the errors of Python.
REFUSALS = (
    "InvalidAccessKeyId",
    "SignatureDoesNotMatch",
    "AccessDenied",
    "NoCredentials",
    "ExpiredToken",
    "401",
    "403",
)


def fetch(address: Address) -> bytes:
    """The whole file at an address.

    Raises:
        TransferError: it cannot be had, or not whole.
    """
    data = bytearray()
    if not address.plain_path.strip("/"):
        hint = f"Give a file in it, or a pattern such as {address.scheme}://{address.host}/*.csv."
        raise TransferError("this is no file", hint=hint)

    def received(meter: Meter) -> None:
        with _store(address) as store, store.open(_path(address), "rb", block_size=PIECE, cache_type="none") as file:
            while piece := file.read(PIECE):
                meter.count(len(piece))
                data.extend(piece)

    within_bounds(received)
    return bytes(data)


def put(folder: Address, name: str, data: bytes) -> None:
    """Put a file into a folder, over one that may have this name, and see that all of it came over.

    Raises:
        TransferError: it could not be put there.
    """

    def stored(meter: Meter) -> None:
        with _store(folder) as store:
            _require_folder(store, folder)
            path = f"{_path(folder)}/{name}"
            with store.open(path, "wb") as file:
                for start in range(0, len(data), PIECE):
                    file.write(data[start : start + PIECE])
                    meter.sent(PIECE)
            size = store.info(path)["size"]
            if size != len(data):
                raise TransferError(f"transfer interrupted: {size} of {len(data)} bytes", transient=True)

    within_bounds(stored)


def rename(folder: Address, old: str, new: str) -> None:
    """Give a file in a folder another name; the store does so itself, and the file appears whole.

    Raises:
        NotFound: file not found.
        TransferError: it could not be done.
    """

    def renamed(_: Meter) -> None:
        with _store(folder) as store:
            place = _path(folder)
            size = store.info(f"{place}/{old}")["size"]
            if folder.scheme in ("webdav", "webdavs"):
                store.mv(f"{place}/{old}", f"{place}/{new}")
                return
            # (An object store copies; the draft goes when the copy is there.)
            store.copy(f"{place}/{old}", f"{place}/{new}")
            if store.info(f"{place}/{new}")["size"] != size:
                raise TransferError("transfer interrupted", transient=True)
            store.rm_file(f"{place}/{old}")

    within_bounds(renamed)


def listing(folder: Address) -> list[tuple[str, datetime | None]]:
    """The files in a folder and when each was changed last.

    Raises:
        TransferError: it cannot be listed.
    """
    with _store(folder) as store:
        entries = store.ls(_path(folder), detail=True)
        return [(entry["name"].rpartition("/")[2], _time(entry)) for entry in entries if entry["type"] == "file"]


def modified_at(address: Address) -> datetime | None:
    """When a file was changed last.

    Raises:
        TransferError: the store cannot be asked.
    """
    with _store(address) as store:
        return _time(store.info(_path(address)))


def _time(entry: dict[str, Any]) -> datetime | None:
    for name in TIMES:
        value = entry.get(name)
        if isinstance(value, str):
            try:
                value = datetime.fromisoformat(value)
            except ValueError:
                continue
        if isinstance(value, datetime):
            return value if value.tzinfo else value.replace(tzinfo=UTC)
    return None


def _path(address: Address) -> str:
    """A path as the store's package has it: of an object store with the bucket or container in front."""
    path = address.plain_path.strip("/")
    if address.scheme in ("webdav", "webdavs"):
        return path
    return f"{address.host}/{path}" if path else address.host


def _require_folder(store: Any, folder: Address) -> None:
    """See that there is such a folder; of an object store, such a bucket, for its folders are but names."""
    place = _path(folder) if folder.scheme in ("webdav", "webdavs") else folder.host
    if place and not store.exists(place):
        raise TransferError("folder not found", hint="Create it, or choose another folder.")


@contextmanager
def _store(address: Address) -> Iterator[Any]:
    """The store of an address; what goes wrong with it is named."""
    for name in ("botocore", "s3fs", "aiobotocore", "fsspec", "httpx"):
        logging.getLogger(name).setLevel(logging.CRITICAL)
    try:
        with from_extra(EXTRAS[address.scheme], f"{address.scheme} addresses", file=address):
            store = _opened(address)
        yield store
    except (TransferError, NotInstalled):
        raise
    except FileNotFoundError as error:
        raise NotFound("file not found", hint="Check the name and the folder.") from error
    except Exception as error:
        raise _named(error, address) from error


def _named(error: Exception, address: Address) -> TransferError:
    said = f"{type(error).__name__} {error}"
    if isinstance(error, PermissionError) or any(sign in said for sign in REFUSALS):
        if address.scheme in HINTS:
            return TransferError("no permission, or a missing or wrong key", hint=HINTS[address.scheme])
        hint = secrets.where_to_put(secrets.PASSWORD, address.user or "USER", address.host)
        return TransferError("missing or wrong password", hint=hint)
    if "404" in said or "NoSuchBucket" in said or "NotFound" in type(error).__name__:
        return NotFound("file not found", hint="Check the name and the folder.")
    return TransferError(plain(error), transient=not is_permanent(error))


def _opened(address: Address) -> Any:
    """The store's package with what it needs; nothing of earlier commands is remembered."""
    common = {"skip_instance_cache": True, "use_listings_cache": False}
    if address.scheme == "s3":
        from s3fs import S3FileSystem

        silence = {"connect_timeout": SILENCE_TIME, "read_timeout": SILENCE_TIME, "retries": {"max_attempts": 1}}
        return S3FileSystem(config_kwargs=silence, **common)
    from webdav4.fsspec import WebdavFileSystem

    password = secrets.password_of(address.user, address.host) if address.user else None
    if password and address.scheme == "webdav":
        require_encryption(address.host, "a password", "webdavs://")
    host = f"[{address.host}]" if ":" in address.host else address.host
    base = f"{'https' if address.scheme == 'webdavs' else 'http'}://{host}:{address.port}"
    auth = (address.user, password or "") if address.user else None
    return WebdavFileSystem(base, auth=auth, timeout=SILENCE_TIME, skip_instance_cache=True)

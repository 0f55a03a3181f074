"""Addresses of files and folders on other machines."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from pathlib import PurePosixPath
from urllib.parse import quote, unquote, urlsplit

from neat_delta.base.errors import InvalidOption
from neat_delta.base.plugins import DESTINATIONS, plugin_names

# What an address may begin with, and the port it means where it names none.
PORTS = {"http": 80, "https": 443, "ftp": 21, "ftps": 21, "sftp": 22, "webdav": 80, "webdavs": 443}
# Of object stores the machine is a bucket or container, whose place the store's own settings tell.
STORES = ("s3",)
PORTS |= dict.fromkeys(STORES, 0)


@dataclass(frozen=True)
class Address:
    """A file or folder elsewhere: ``sftp://anna@files.example/out/export.csv``.

    ``query`` is what an https address has behind its question mark; it may hold a secret, so it is not shown.
    """

    scheme: str
    host: str
    port: int
    user: str | None
    path: str
    query: str = ""

    def __str__(self) -> str:
        return f"{self._start}{self.path}{'?…' if self.query else ''}"

    @property
    def canonical(self) -> str:
        """The one spelling for a history: this machine by its number, no slash behind, no query, no user of the web."""
        host = "127.0.0.1" if self.host in ("localhost", "localhost.", "::1") else self.host.rstrip(".")
        parts = [part for part in self.plain_path.split("/") if part not in ("", ".")]
        # On the web everybody sees the same; on a file server a user may have a root of their own.
        user = None if self.scheme in ("http", "https") else self.user
        plain = replace(self, host=host, user=user, path="".join(f"/{quote(part)}" for part in parts), query="")
        return str(plain)

    @property
    def url(self) -> str:
        """The address for a request, without the user, who is given in another way."""
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{self.scheme}://{host}:{self.port}{self.path or '/'}{'?' if self.query else ''}{self.query}"

    @property
    def name(self) -> str:
        """The file's name: the last part of the path, else the host."""
        return PurePosixPath(self.plain_path).name or self.host

    @property
    def suffix(self) -> str:
        """The end of the file's name from its last point on."""
        return PurePosixPath(self.name).suffix

    @property
    def plain_path(self) -> str:
        """The path as the other machine knows it."""
        return unquote(self.path)

    @property
    def _start(self) -> str:
        user = f"{self.user}@" if self.user else ""
        host = f"[{self.host}]" if ":" in self.host else self.host
        port = "" if self.port == PORTS.get(self.scheme, 0) else f":{self.port}"
        return f"{self.scheme}://{user}{host}{port}"


def parse_address(text: str) -> Address:
    """The address that a text is.

    Raises:
        InvalidOption: it is an address of a sort we do not know, has a password in it, or makes no sense.
    """
    scheme = text.partition("://")[0].lower()
    shown = without_secrets(text)
    if scheme not in PORTS and scheme not in plugin_names(DESTINATIONS):
        raise InvalidOption(
            f"{scheme} is not supported",
            file=shown,
            hint=f"An address starts with one of: {', '.join(PORTS)}.",
        )
    if has_password(text):
        raise InvalidOption(
            "never write a password into an address: others can see it, and it is written into logs",
            file=shown,
            hint="Put it into a variable or the system's keyring; see docs/addresses.md. Write an @ in a path as %40.",
        )
    try:
        parts = urlsplit(text)
        host, port = parts.hostname, parts.port
    except ValueError as error:
        # What is wrong with it may be part of a secret.
        raise InvalidOption("not a valid address", file=shown, hint="Example: https://shop.example/x.csv.") from error
    if not host:
        raise InvalidOption("this address has no host name", file=shown)
    if not text.isprintable() or not unquote(text).isprintable():
        raise InvalidOption("an address cannot have line ends or invisible characters", file=shown)
    user = unquote(parts.username) if parts.username else None
    return Address(scheme, host, port or PORTS.get(scheme, 0), user, parts.path, parts.query)


def has_password(text: str) -> bool:
    """Whether something is between a colon and an ``@`` behind it, wherever a slash in it has cut the address.

    Behind the port of a machine an ``@`` is written ``%40``, or nobody could tell the two apart.
    """
    before, at, _ = text.partition("://")[2].rpartition("@")
    place = re.split(r"[/?#]", before, maxsplit=1)[0]
    return bool(at) and ":" in (place.partition("]")[2] if place.startswith("[") else place)


def without_secrets(text: str) -> str:
    """An address as it may be shown, whatever is wrong with it: nothing before its last ``@``, nothing behind a ``?``.

    Nor what is where a port should and is none.
    """
    scheme, _, rest = text.partition("://")
    _, at, rest = rest.rpartition("@")
    shown, asked, _ = rest.partition("#")[0].partition("?")
    place, slash, path = shown.partition("/")
    place = re.sub(r":(?!\d*$)[^\]]*$", ":…", place)
    return f"{scheme}://{'…@' if at else ''}{place}{slash}{path}{'?…' if asked else ''}"

"""Files in a folder of a web server, by the links of the page that it shows for the folder."""

from __future__ import annotations

from contextlib import suppress
from email.utils import parsedate_to_datetime
from html.parser import HTMLParser
from typing import TYPE_CHECKING
from urllib.parse import unquote, urljoin, urlsplit

from neat_delta.remote.address import PORTS
from neat_delta.remote.transfer_errors import TransferError
from neat_delta.remote.web import ask, fetch

if TYPE_CHECKING:
    from datetime import datetime
    from urllib.parse import SplitResult

    from neat_delta.remote.address import Address


def listing(folder: Address) -> list[tuple[str, datetime | None]]:
    """The files that the folder's page links to and that lie in this very folder; the page tells no times.

    Raises:
        TransferError: there is no such page, or it has no links.
    """
    page = ask("GET", folder, follow=True).content
    links = _Links()
    links.feed(page.decode(errors="replace"))
    here = urlsplit(folder.url)
    names = []
    for link in links.found:
        target = urlsplit(urljoin(folder.url, link))
        inside = target.path.removeprefix(here.path) if target.path.startswith(here.path) else ""
        if _machine(target) == _machine(here) and inside and "/" not in inside:
            names.append(unquote(inside))
    if not names:
        hint = "Give the address of a folder whose files the server lists."
        raise TransferError("this page lists no files", hint=hint)
    return [(name, None) for name in dict.fromkeys(names)]


def modified_at(address: Address) -> datetime | None:
    """When a file was changed last, where the server tells it.

    Raises:
        TransferError: the server cannot be asked.
    """
    said = ask("HEAD", address, follow=True).modified
    with suppress(ValueError):
        return parsedate_to_datetime(said) if said else None
    return None


def _machine(parts: SplitResult) -> tuple[str, str | None, int | None]:
    return parts.scheme, parts.hostname, parts.port or PORTS.get(parts.scheme)


__all__ = ["fetch", "listing", "modified_at"]


class _Links(HTMLParser):
    """What a page links to."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Take a link."""
        self.found += [value for name, value in attrs if tag == "a" and name == "href" and value]

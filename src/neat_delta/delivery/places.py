"""Places an update can be sent to: a folder, or a shop with our small HTTP interface.

Secrets come from the environment and are never shown or written down.
"""

from __future__ import annotations

import os
import time
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol

from neat_delta.errors import CannotSend
from neat_delta.whole import write_whole

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    import httpx

TOKEN = "NEAT_DELTA_TOKEN"
TRIES, FIRST_PAUSE = 4, 0.25
# Seconds until a silent server is given up; a job may take longer, and is asked for again and again.
SILENCE_TIME, JOB_TIME, POLL = 30.0, 3600.0, 0.1


@dataclass(frozen=True)
class Delivered:
    """What a place says of a file: its number for it, why it refused it as a whole, and what became of each row.

    ``reason`` is ``None`` if it took the file; ``results`` have line, code, result, reason, and are none where a place
    gives no result list.
    """

    job: str | None = None
    reason: str | None = None
    results: list[dict[str, Any]] | None = None


class Place(Protocol):
    """Where files go: handing one over and waiting for what becomes of it are two steps, for a run may end between.

    A file that is handed over again under the same mark is one file to the place.
    """

    @property
    def name(self) -> str:
        """What the journal knows it by."""

    def hand_over(self, name: str, data: bytes, does: str, mark: str) -> str | None:
        """Give a file to the place; returns the number it gives to the import, if it gives any.

        Raises:
            CannotSend: it could not be handed over, or not whole.
        """

    def outcome(self, job: str | None) -> Delivered:
        """Wait for what becomes of a file that was handed over."""


@dataclass(frozen=True)
class Folder:
    """A folder that the shop watches; a file appears in it whole or not at all."""

    path: Path

    @property
    def name(self) -> str:
        """The folder's full path."""
        return str(self.path.resolve())

    def hand_over(self, name: str, data: bytes, does: str, mark: str) -> str | None:
        """Put the file into the folder, under its own name."""
        if not self.path.is_dir():
            raise CannotSend("there is no such folder", file=self.path, remedy="Make it, or name another one.")
        write_whole(self.path / name, data)
        return None

    def outcome(self, job: str | None) -> Delivered:
        """A folder tells nothing more."""
        return Delivered()


@dataclass(frozen=True)
class ShopInterface:
    """A shop's HTTP interface at an address: imports are posted, wait in a queue, and give a result list."""

    address: str
    token: str | None = None
    say: Callable[[str], None] = lambda _: None

    @property
    def name(self) -> str:
        """The address."""
        return self.address

    def hand_over(self, name: str, data: bytes, does: str, mark: str) -> str | None:
        """Post the file, under a key by which the shop knows it if it comes again (Idempotency-Key)."""
        answer = self._asked("POST", "imports", {"Idempotency-Key": mark}, params={"does": does}, content=data)
        return str(answer.json()["job"])

    def outcome(self, job: str | None) -> Delivered:
        """Ask for the job until it is done, then for its result list."""
        end = time.monotonic() + JOB_TIME
        while True:
            told = self._asked("GET", f"imports/{job}").json()
            if told["state"] not in ("waiting", "running"):
                break
            if time.monotonic() > end:
                said = f"import {job} is not done after {JOB_TIME:.0f} seconds"
                raise CannotSend(said, file=self.address, remedy="Say --resume to ask for it again.")
            self.say(f"import {job} is {told['state']}")
            time.sleep(POLL)
        if told["state"] == "refused":
            return Delivered(job, told["message"], [])
        results = self._asked("GET", f"imports/{job}/results").json()
        reason = None if told["state"] == "done" else f"the import broke off after {len(results)} rows"
        return Delivered(job, reason, results)

    def export(self) -> bytes:
        """The shop's export as it is now."""
        return self._asked("GET", "export.csv").content

    def _asked(self, method: str, path: str, headers: dict[str, str] | None = None, **more: Any) -> httpx.Response:
        """An answer of the shop; silence and faults of its own are met by trying again, a little later each time."""
        import httpx

        headers = (headers or {}) | ({"Authorization": f"Bearer {self.token}"} if self.token else {})
        where = f"{self.address.rstrip('/')}/{path}"
        for attempt in range(1, TRIES + 1):
            try:
                answer = httpx.request(method, where, headers=headers, timeout=SILENCE_TIME, **more)
            except httpx.HTTPError as error:
                if attempt == TRIES:
                    raise CannotSend(f"the shop does not answer ({_plain(error)})", file=where) from error
            else:
                if answer.status_code < 300:
                    return answer
                if answer.status_code < 500 or attempt == TRIES:
                    raise CannotSend(_refusal(answer), file=where)
            time.sleep(FIRST_PAUSE * 2 ** (attempt - 1))
        raise AssertionError


def _plain(error: Exception) -> str:
    """What went wrong with a connection, in a few words."""
    text = str(error) or type(error).__name__
    known = {"refused": "the connection was refused", "timed out": "it was silent too long", "certificate": text}
    return next((said for sign, said in known.items() if sign in text.lower()), text)


def _refusal(answer: httpx.Response) -> str:
    if answer.status_code in (401, 403):
        return f"the shop wants a token, or another one; put it into the variable {TOKEN}"
    if answer.status_code == 404:
        return "the shop has no such page: is the address right?"
    try:
        message = answer.json().get("message", "")
    except ValueError:
        message = ""
    return f"the shop answers with {answer.status_code} {message}".strip()


def place_of(told: str, say: Callable[[str], None] = lambda _: None) -> Folder | ShopInterface:
    """The place that a text names: an http(s) address, or else a folder.

    Raises:
        CannotSend: it is an address of another sort.
    """
    from pathlib import Path

    if told.startswith(("http://", "https://")):
        return ShopInterface(told, os.environ.get(TOKEN), say)
    if "://" in told:
        raise CannotSend("places are folders and http(s) addresses", file=told)
    return Folder(Path(told))

"""Places an update can be sent to: a folder here or on a file server, or a shop with our small HTTP interface."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, Protocol, TypeVar
from urllib.parse import quote

from neat_delta.base.errors import DeliveryError
from neat_delta.base.json_form import WrongForm, from_json, to_json
from neat_delta.base.path_text import path_text
from neat_delta.base.plugins import DESTINATIONS, plugins
from neat_delta.base.redact import redacted
from neat_delta.database.address import DatabaseTable
from neat_delta.delivery.history import ResultLine
from neat_delta.files.atomic_rename import rename_new
from neat_delta.files.atomic_write import sync_folder, write_atomic
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.remote import Address
from neat_delta.remote.address import PORTS
from neat_delta.remote.transfer import fetch_if_any, put, rename
from neat_delta.remote.transfer_errors import TransferError
from neat_delta.remote.web import Answer, ask

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from neat_delta.locations import Place
    from neat_delta.tables.settings import Settings

T = TypeVar("T")
# An import may take its time, in seconds; it is asked for again and again.
JOB_TIME, POLL = 3600.0, 0.1


@dataclass(frozen=True)
class _Accepted:
    job: int | str


@dataclass(frozen=True)
class _Job:
    state: str
    message: str = ""


@dataclass(frozen=True)
class DeliveryResult:
    """What a place says of a file: its number for it, why it refused it as a whole, and what became of each row.

    ``reason`` is ``None`` if it took the file; ``results`` have line, code, result, reason, and are none where a place
    gives no result list.
    """

    job: str | None = None
    reason: str | None = None
    results: list[dict[str, Any]] | None = None


class Destination(Protocol):
    """Where files go, in steps between which a run may be killed: brought there, handed over, waited for.

    Each step can be taken again, and a file that is handed over again under the same mark is one file to the place.
    """

    @property
    def takes_changes(self) -> bool:
        """Whether it takes the change set as a whole rather than the files of an update."""

    @property
    def name(self) -> str:
        """What the history knows it by."""

    def check(self) -> None:
        """See that there is such a place, before anything is written down about it.

        Raises:
            DeliveryError: there is none.
        """

    def upload(self, name: str, data: bytes, mark: str) -> None:
        """Bring a file to the place, so that one step is left in which it is handed over, if the place needs that.

        Raises:
            DeliveryError: it could not be brought there, or not whole.
        """

    def submit(self, name: str, data: bytes, action: str, mark: str) -> str | None:
        """Let the place have a file; returns the number it gives to the import, if it gives any.

        Raises:
            DeliveryError: it could not be handed over, or not whole.
        """

    def wait_for_result(self, job: str | None) -> DeliveryResult:
        """Wait for what becomes of a file that was handed over."""


@dataclass(frozen=True)
class LocalFolder:
    """A folder that the shop watches; a file appears in it in one step.

    It waits there as a hidden draft that has its mark in its name. While the draft is there it has not been handed
    over; once it is gone it has been, though the shop may have taken it by then.
    """

    path: Path

    takes_changes = False

    @property
    def name(self) -> str:
        """The folder's full path."""
        return path_text(self.path.resolve())

    def check(self) -> None:
        """See that there is such a folder."""
        if not self.path.is_dir():
            raise DeliveryError("folder not found", file=self.path, hint="Create it, or choose another folder.")

    def upload(self, name: str, data: bytes, mark: str) -> None:
        """Put the draft into the folder, unless the very file waits there already."""
        self.check()
        if not self._waits(name, data):
            write_atomic(self.path / draft_name(name, mark), data, replace=True)

    def submit(self, name: str, data: bytes, action: str, mark: str) -> str | None:
        """Give the draft the file's own name."""
        draft = self.path / draft_name(name, mark)
        if not draft.exists():
            return None
        try:
            rename_new(draft, self.path / name)
        except FileExistsError:
            self._waits(name, data)
            draft.unlink()
        except OSError as error:
            raise DeliveryError(f"cannot write the file there ({error.strerror})", file=self.path / name) from error
        sync_folder(self.path)
        return None

    def _waits(self, name: str, data: bytes) -> bool:
        """Whether this very file waits to be taken."""
        path = self.path / name
        if path.exists():
            _insist_on_same(path.read_bytes(), data, path)
            return True
        return False

    def wait_for_result(self, job: str | None) -> DeliveryResult:
        """A folder tells nothing more."""
        return DeliveryResult()


@dataclass(frozen=True)
class HttpDestination:
    """A shop's HTTP interface at an address: imports are posted, wait in a queue, and give a result list."""

    address: Address
    say: Callable[[str], None] = lambda _: None

    takes_changes = False
    # (Nothing is brought there before it is handed over.)
    hands_over_at_once = True

    @property
    def name(self) -> str:
        """The address, in one spelling."""
        return self.address.canonical

    def check(self) -> None:
        """Nothing: whether the shop answers shows when a file is posted."""

    def upload(self, name: str, data: bytes, mark: str) -> None:
        """Nothing: the shop knows a file by its mark if it comes again."""

    def submit(self, name: str, data: bytes, action: str, mark: str) -> str | None:
        """Post the file, under a key by which the shop knows it if it comes again (Idempotency-Key)."""
        answer = self._asked("POST", "imports", {"Idempotency-Key": mark}, params={"action": action}, content=data)
        return quote(str(self._said(answer, _Accepted, "imports").job), safe="")

    def wait_for_result(self, job: str | None) -> DeliveryResult:
        """Ask for the job until it is done, then for its result list."""
        end = time.monotonic() + JOB_TIME
        while True:
            job_state = self._said(self._asked("GET", f"imports/{job}"), _Job, f"imports/{job}")
            if job_state.state not in ("waiting", "running"):
                break
            if time.monotonic() > end:
                message = f"import {job} is not done after {JOB_TIME:.0f} seconds"
                raise DeliveryError(message, file=self.address, hint="Resume to ask again.", code="not-done-yet")
            self.say(f"import {job} is {job_state.state}")
            time.sleep(POLL)
        if job_state.state == "rejected":
            return DeliveryResult(job, redacted(job_state.message), [])
        where = f"imports/{job}/results"
        rows = self._said(self._asked("GET", where), list[ResultLine], where)
        results = [to_json(replace(row, reason=redacted(row.reason or ""))) for row in rows]
        reason = (
            None if job_state.state == "done" else f"the import ended as {job_state.state!r} after {len(results)} rows"
        )
        return DeliveryResult(job, reason, results)

    def export(self) -> bytes:
        """The shop's export as it is now."""
        return self._asked("GET", "export.csv").content

    def _said(self, answer: Answer, form: type[T], path: str) -> T:
        """An answer in the form that the interface has for it.

        Raises:
            DeliveryError: it is something else, such as a page for people.
        """
        try:
            return from_json(answer.content, form)
        except WrongForm as error:
            where = replace(self.address, path=f"{self.address.path.rstrip('/')}/{path}")
            hint = "Check the address: is it that of the shop's import interface?"
            raise DeliveryError(f"the shop: unexpected answer ({error})", file=where, hint=hint) from error

    def _asked(self, method: str, path: str, headers: dict[str, str] | None = None, **more: Any) -> Answer:
        where = replace(self.address, path=f"{self.address.path.rstrip('/')}/{path}")
        try:
            return ask(method, where, headers=headers, **more)
        except TransferError as trouble:
            raise DeliveryError(
                f"the shop: {trouble.what}", file=where, hint=trouble.hint, never_left=trouble.never_left
            ) from trouble


@dataclass(frozen=True)
class RemoteFolder:
    """A folder on a file server (FTP, FTP over TLS, SFTP) that the shop watches; drafts wait there as in ``Folder``."""

    folder: Address

    takes_changes = False

    @property
    def name(self) -> str:
        """The folder's address, in one spelling."""
        return self.folder.canonical

    def check(self) -> None:
        """Nothing: whether the folder is there shows when a file is brought."""

    def upload(self, name: str, data: bytes, mark: str) -> None:
        """Put the draft into the folder, whole, unless the very file waits there already."""
        existing = fetch_if_any(replace(self.folder, path=f"{self.folder.path.rstrip('/')}/{quote(name)}"))
        if existing is None:
            put(self.folder, draft_name(name, mark), data)
        else:
            _insist_on_same(existing, data, f"{self.folder}/{name}")

    def submit(self, name: str, data: bytes, action: str, mark: str) -> str | None:
        """Give the draft the file's own name."""
        rename(self.folder, draft_name(name, mark), name)
        return None

    def wait_for_result(self, job: str | None) -> DeliveryResult:
        """A folder tells nothing more."""
        return DeliveryResult()


def draft_name(name: str, mark: str) -> str:
    """What a file is called in a folder until it is handed over: hidden, and with its mark."""
    return f".{name}.{sha256_hex(mark.encode())[:16]}.part"


def _insist_on_same(existing: bytes, data: bytes, file: object) -> None:
    """A file that is there already must be the one to be sent; another one has yet to be taken by the shop.

    Raises:
        DeliveryError: it is another one.
    """
    if existing != data:
        raise DeliveryError(
            "another file with this name is there, which the shop has not imported yet",
            file=file,
            hint="Wait until the shop has imported it, or remove it.",
        )


def destination_in(settings: Settings) -> str | None:
    """The name of the place to which updates go by the settings; ``None``: they name none."""
    return None if settings.send.to is None else destination_of(settings.send.to).name


def destination_of(given: Place, message: Callable[[str], None] = lambda _: None) -> Destination:
    """The place that a person means: a shop's interface, a folder on a file server, or a folder of this machine."""
    if isinstance(given, DatabaseTable):
        from neat_delta.delivery.database import DatabaseDestination

        return DatabaseDestination(given, message)
    if not isinstance(given, Address):
        return LocalFolder(given)
    if given.scheme in ("http", "https"):
        return HttpDestination(given, message)
    if given.scheme not in PORTS:
        brought: Destination = plugins(DESTINATIONS)[given.scheme](given, message)
        return brought
    return RemoteFolder(given)

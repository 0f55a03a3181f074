"""Sending: the files of an update to a place, in their order, never twice by mistake, to be gone on with if cut off."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Any

import orjson

from neat_delta.delivery.journal import DONE, LEAVING, REFUSED, SENT, Entry, Journal
from neat_delta.errors import CannotSend, Unreadable
from neat_delta.reading import fingerprint
from neat_delta.voice import SILENCE, Voice
from neat_delta.writing.update import RECEIPT

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.delivery.places import Place


@dataclass(frozen=True)
class Update:
    """A written update: its folder, its receipt, and the bytes of its files and its change set, as the receipt says.

    ``changes`` is empty for an update of an earlier release, which kept no change set.
    """

    folder: Path
    receipt: dict[str, Any]
    data: list[bytes]
    changes: bytes

    @property
    def live_made(self) -> datetime | None:
        """When the live export was made, as far as the receipt knows."""
        told = self.receipt["live"].get("as_of")
        return datetime.fromisoformat(told) if told else None


def load_update(folder: Path) -> Update:
    """A written update, each file checked against its receipt.

    Raises:
        Unreadable: there is no receipt, or a file is missing or not as it was written.
    """
    path = folder / RECEIPT
    try:
        receipt = orjson.loads(path.read_bytes())
        data = [_as_written(folder / file["file"], file["sha256"]) for file in receipt["files"]]
        kept = receipt["changes"].get("file")
        changes = _as_written(folder / kept, receipt["changes"]["sha256"]) if kept else b""
    except FileNotFoundError as error:
        raise Unreadable(
            "no update was written here", file=folder, remedy="Name the folder that write made."
        ) from error
    except (orjson.JSONDecodeError, KeyError, TypeError) as error:
        raise Unreadable("this is no receipt of an update", file=path) from error
    return Update(folder, receipt, data, changes)


def _as_written(path: Path, sha256: str) -> bytes:
    if not path.is_file():
        raise Unreadable("a file of the receipt is missing", file=path, remedy="Write the update anew.")
    data = path.read_bytes()
    if fingerprint(data) != sha256:
        raise Unreadable("the file is not as it was written", file=path, remedy="Write the update anew.")
    return data


def send(update: Update, place: Place, journal: Journal, *, resume: bool = False, voice: Voice = SILENCE) -> Entry:
    """Send an update's files one after another, each after the one before has been taken; stops at the first refused.

    Before a file leaves, the journal says so; what is done is never sent again. A file of which nobody knows whether it
    arrived, because the run was killed or the answer cut off, goes again under its mark, by which the place knows it.

    Raises:
        CannotSend: the update has gone to this place already, was begun and not said to be gone on with, a file was
            refused or broke off, or the place cannot be reached.
    """
    entry = journal.begin(
        place.name, str(update.folder.resolve()), update.receipt["changes"]["sha256"], update.receipt["live"]["sha256"],
        update.receipt["files"], update.changes,
    )  # fmt: skip
    known = journal.entry(entry)
    _insist_on_new(known, resume=resume)
    assert known is not None
    for file, data in zip(known.files, update.data, strict=True):
        if file.state == DONE:
            continue
        job = file.job
        if file.state != SENT:
            voice.step(f"sending {file.name}")
            journal.note(entry, file.number, LEAVING)
            job = place.hand_over(file.name, data, file.does, f"{known.begun} {file.sha256}")
            journal.note(entry, file.number, SENT, job)
        voice.step(f"waiting for {file.name}")
        told = place.outcome(job)
        if told.reason is not None:
            journal.note(entry, file.number, REFUSED, job, told.reason, told.results)
            remedy = "The files behind it were not sent. See: neat-delta journal"
            raise CannotSend(told.reason, file=file.name, remedy=remedy)
        journal.note(entry, file.number, DONE, job, None, told.results)
    sent = journal.entry(entry)
    assert sent is not None
    return sent


def _insist_on_new(entry: Entry | None, *, resume: bool) -> None:
    """Refuse what has gone already, and what was begun unless it is to be gone on with."""
    assert entry is not None
    states = [file.state for file in entry.files]
    if all(state == DONE for state in states):
        raise CannotSend(
            f"this update went to {entry.place} on {entry.begun}, all of it (journal entry {entry.entry})",
            remedy="To send a change again, compare or refresh against a new export and write a new update.",
        )
    if REFUSED in states:
        file = entry.files[states.index(REFUSED)]
        raise CannotSend(
            f"{file.name} was refused before: {file.reason} (journal entry {entry.entry})",
            remedy="Mend the cause, then settle the change set against a new export and write what is left.",
        )
    if any(states) and not resume:
        raise CannotSend(
            f"this update was begun to be sent (journal entry {entry.entry})", remedy="Say --resume to go on with it."
        )

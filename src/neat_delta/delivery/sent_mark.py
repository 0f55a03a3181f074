"""The mark in the folder of an update that says where it has gone, and which history knows that.

With another history, or one that was brought back from a backup, a sent update would look like one that never left.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.errors import DeliveryError, NeatDeltaError
from neat_delta.base.json_form import WrongForm, from_json, json_bytes, to_json
from neat_delta.base.path_text import path_text
from neat_delta.files.atomic_write import write_atomic
from neat_delta.update.receipt import SENT_FILE, is_undo

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.delivery.history import Entry, History

FORMAT = 1


@dataclass(frozen=True)
class Sent:
    """That an update has left for a place, or was about to: when, and which entry of which history has it.

    Attributes:
        place: the name of the place.
        changes: the SHA-256 of the change set.
        begun: when, in UTC.
        history: the file of the history.
        entry: the number of its entry.
    """

    place: str
    changes: str
    begun: str
    history: str
    entry: int


@dataclass(frozen=True)
class _Marks:
    neat_delta: int
    sent: tuple[Sent, ...]


def mark_sent(folder: Path, entry: Entry, history: History) -> None:
    """Leave the mark; a folder that may only be read gets none."""
    path = path_text(history.path.resolve())
    sent = Sent(entry.place, entry.changes, entry.begun, path, entry.entry)
    path_of_marks, marks = place_of_marks(folder), _marks_in(folder)
    if sent not in marks:
        with suppress(OSError, NeatDeltaError):
            write_atomic(path_of_marks, json_bytes(to_json(_Marks(FORMAT, (*marks, sent))), indented=True) + b"\n",
                         replace=True)  # fmt: skip


def require_known_if_sent(folder: Path, place: str, changes: str, history: History) -> None:
    """Insist that a history knows of what the folder of an update says of itself.

    Args:
        folder: the folder of the update.
        place: the name of the place to which it is to go.
        changes: the SHA-256 of its change set.
        history: the history.

    Raises:
        DeliveryError: the update has gone there, and this history does not know of it.
    """
    sent = next((one for one in _marks_in(folder) if (one.place, one.changes) == (place, changes)), None)
    if sent is None or any(one.changes == changes for one in history.at(place)):
        return
    raise DeliveryError(
        f"this update was sent to {place}, or begun to be, on {sent.begun}, as the history {sent.history} has it "
        f"(#{sent.entry}); the history {history.path} does not know of it: it is another one, or an older copy",
        file=folder,
        hint=f"Use the history that has it. Only if the shop was set back since, delete {place_of_marks(folder)}.",
        code="sent-by-another-history",
    )


def place_of_marks(folder: Path) -> Path:
    """The file with the marks; in the folder of an undo there are the files that undo, and nothing else."""
    return (folder.parent if is_undo(folder) else folder) / SENT_FILE


def _marks_in(folder: Path) -> tuple[Sent, ...]:
    """The marks in a folder; what is none is no mark of ours."""
    try:
        return from_json(place_of_marks(folder).read_bytes(), _Marks).sent
    except (OSError, WrongForm):
        return ()

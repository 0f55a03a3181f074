"""Sending: the files of an update to a place, in their order, never twice by mistake, to be gone on with if cut off."""

from __future__ import annotations

from contextlib import contextmanager
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from neat_delta.approval.approval import effect_digest
from neat_delta.base.errors import DeliveryError
from neat_delta.base.path_text import path_text
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.delivery.history import BROUGHT, DONE, LEAVING, REJECTED, SENT, Dispatch, Entry, FileEntry, History
from neat_delta.delivery.sent_mark import mark_sent, require_known_if_sent
from neat_delta.delivery.sent_since import sent_since
from neat_delta.files.atomic_write import alone_with
from neat_delta.matching import KEY_SEPARATOR

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from neat_delta.delivery.destinations import Destination
    from neat_delta.delivery.update_folder import Update

# So many cells of another update are named.
SOME_CELLS = 3


def send(
    update: Update,
    place: Destination,
    history: History,
    *,
    resume: bool = False,
    overwrite_sent: bool = False,
    progress: ProgressReporter = NO_PROGRESS,
    leaving: Callable[[], None] = lambda: None,
) -> Entry:
    """Send an update's files one after another, each after the one before has been taken; stops at the first refused.

    The history says so before each step and after it; what is done is never sent again. A file of which nobody knows
    whether it arrived, because the run was killed or the answer cut off, goes on under its mark, by which the place
    knows it. Only one run at a time sends an update. ``leaving`` is called before anything leaves for the place: until
    then an error means that nothing was sent.

    Raises:
        DeliveryError: the update has gone to this place already, was begun and not said to be gone on with, a file was
            refused or broke off, the place cannot be reached, or another run is sending the update; or another update
            has sent some of its cells since its export, unless ``overwrite_sent``.
    """
    with alone_with(update.folder) as alone:
        if not alone:
            raise DeliveryError(
                "another run is sending this update", file=update.folder, hint="Wait until it has finished."
            )
        if not overwrite_sent:
            _insist_on_nothing_sent_since(update, place, history)
        require_known_if_sent(update.folder, place.name, update.receipt.changes.sha256, history)
        entry = _begun(update, place, history, resume=resume)
        mark_sent(update.folder, entry, history)
        update = update.as_one_file() if place.takes_changes else update
        return _send(update, place, history, entry, progress, leaving)


def _insist_on_nothing_sent_since(update: Update, place: Destination, history: History) -> None:
    """Refuse an update of which other updates have sent some cells since its export."""
    overlapping = sent_since(update, place.name, history)
    if overlapping.is_empty():
        return
    some = [
        f"{row['key'].replace(KEY_SEPARATOR, ' · ')} {row['field']} (ours {row['ours'] or 'empty'}, sent "
        f"{row['sent'] or 'empty'} by history #{row['entry']})"
        for row in overlapping.head(SOME_CELLS).iter_rows(named=True)
    ]
    more = f" and {len(overlapping) - len(some):,} more" if len(overlapping) > len(some) else ""
    cells = "1 cell was" if len(overlapping) == 1 else f"{len(overlapping):,} cells were"
    raise DeliveryError(
        f"{cells} sent by another update since this one's export: {'; '.join(some)}{more}",
        file=update.folder,
        hint="Refresh the change set with a new export.",
        code="sent-since",
    )


def _begun(update: Update, place: Destination, history: History, *, resume: bool) -> Entry:
    """The history's entry for an update that may leave, or be gone on with; nothing has left yet if it is new."""
    place.check()
    whole = update
    update = update.as_one_file() if place.takes_changes else update
    _insist_on_what_was_begun(update, place, history)
    content = effect_digest(update.change_set)
    before = sent_before(update, place.name, history)
    if before is not None:
        raise DeliveryError(
            f"the same changes were sent to {before.place} on {before.begun} (history #{before.entry}), and the export "
            f"{update.receipt.live_name} is older than that",
            file=update.folder,
            hint="To send them again, make a new export, run compare or refresh, and write a new update.",
            code="sent-before",
        )
    number = history.begin(
        Dispatch(
            place=place.name,
            folder=path_text(update.folder.resolve()),
            changes=update.receipt.changes.sha256,
            live=update.receipt.live_sha256,
            files=update.receipt.files,
            saved=update.changes,
            people=update.people,
            content=content,
            kept=whole.kept,
        )
    )
    entry = history.entry(number)
    assert entry is not None
    _insist_on_new(entry, resume=resume)
    return entry


def sent_before(update: Update, place: str, history: History) -> Entry | None:
    """The entry of another update that has done the same there, seen from the same export, which shows nothing of it.

    An export of the same content that was made after it shows that the shop was set back; then there is none.
    """
    receipt, content = update.receipt, effect_digest(update.change_set)
    sums = [file.sha256 for file in receipt.files]
    for entry in history.at(place):
        same = (entry.content, entry.live) == (content, receipt.live_sha256)
        itself = entry.changes == receipt.changes.sha256 and [file.sha256 for file in entry.files] == sums
        begun = datetime.fromisoformat(entry.begun).astimezone(UTC)
        older = receipt.live_made is None or receipt.live_made.astimezone(UTC) <= begun
        if same and not itself and older and entry.state == DONE:
            return entry
    return None


def _send(
    update: Update,
    place: Destination,
    history: History,
    noted: Entry,
    progress: ProgressReporter,
    leaving: Callable[[], None],
) -> Entry:
    entry = noted.entry
    for file, data in zip(noted.files, update.data, strict=True):
        if file.state == DONE:
            continue
        job = file.job
        if file.state != SENT:
            progress.step(f"sending {file.name}")
            separator = f"{noted.begun} {file.sha256}"
            with _noting_what_never_left(history, entry, file, place):
                if file.state != BROUGHT:
                    history.note(entry, file.number, LEAVING)
                    leaving()
                    place.upload(file.name, data, separator)
                    history.note(entry, file.number, BROUGHT)
                leaving()
                job = place.submit(file.name, data, file.action, separator)
            history.note(entry, file.number, SENT, job)
        progress.step(f"waiting for {file.name}")
        answer = place.wait_for_result(job)
        if answer.reason is not None:
            history.note(entry, file.number, REJECTED, job, answer.reason, answer.results)
            hint = "The files after it were not sent. See: neat-delta history"
            raise DeliveryError(answer.reason, file=file.name, hint=hint)
        history.note(entry, file.number, DONE, job, None, answer.results)
    sent = history.entry(entry)
    assert sent is not None
    return sent


@contextmanager
def _noting_what_never_left(history: History, entry: int, file: FileEntry, place: Destination) -> Iterator[None]:
    """Where there was no connection at all, the history says again what it said before: nothing has left."""
    try:
        yield
    except DeliveryError as error:
        noted = history.entry(entry)
        state = noted.files[file.number - 1].state if noted else None
        at_once = getattr(place, "hands_over_at_once", False)
        if error.data.get("never_left") and (state == LEAVING or (state == BROUGHT and at_once)):
            history.note(entry, file.number, file.state)
        raise


def _insist_on_what_was_begun(update: Update, place: Destination, history: History) -> None:
    """Refuse other files of an update that is on its way: only those that were begun may go on."""
    receipt = update.receipt
    sums = [file.sha256 for file in receipt.files]
    for entry in history.at(place.name):
        same = entry.changes == receipt.changes.sha256 and entry.live == receipt.live_sha256
        same_folder = entry.folder == path_text(update.folder.resolve())
        if entry.state == "in progress" and (same or same_folder) and [file.sha256 for file in entry.files] != sums:
            raise DeliveryError(
                f"these are not the files that were begun to be sent (history #{entry.entry})",
                file=update.folder,
                hint="Resume with the files as they were; or verify with a new export what has arrived.",
            )


def _insist_on_new(entry: Entry, *, resume: bool) -> None:
    """Refuse what has gone already, and what was begun unless it is to be gone on with."""
    states = [file.state for file in entry.files]
    if all(state == DONE for state in states):
        raise DeliveryError(
            f"already sent completely to {entry.place} on {entry.begun} (history #{entry.entry})",
            hint="To send a change again, make a new export, run compare or refresh, and write a new update.",
        )
    if REJECTED in states:
        file = entry.files[states.index(REJECTED)]
        raise DeliveryError(
            f"{file.name} was rejected before: {file.reason} (history #{entry.entry})",
            hint="Correct the cause, run verify with a new export, and write what is left.",
        )
    if any(states) and not resume:
        raise DeliveryError(
            f"sending was interrupted (history #{entry.entry})",
            hint="Resume to continue.",
            code="begun-before",
        )

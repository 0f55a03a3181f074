"""Send: the one way by which a written update leaves for the shop.

A person, a run, a run that goes on with an earlier one and the Python API pass here, by the same guards in one order:
each file as its receipt says, fresh enough, approved, and still what was proved; then it is delivered, and the history
knows.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.approval.gate import rule_for
from neat_delta.base.errors import InvalidInput, LiveMismatch
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.delivery.destinations import destination_of
from neat_delta.delivery.history import History, default_history
from neat_delta.delivery.send import send as deliver
from neat_delta.delivery.sent_since import sent_since
from neat_delta.delivery.update_folder import Update, load_update, require_approved
from neat_delta.reconcile.refresh import require_fresh
from neat_delta.update.receipt import CHANGESET_FILE
from neat_delta.update.seal import is_for_this_import, require_unbroken, with_imports_of
from neat_delta.workflows.saved_changes import load_with_live

if TYPE_CHECKING:
    from collections.abc import Callable

    import polars as pl

    from neat_delta.delivery.history import Entry
    from neat_delta.tables.settings import Settings
    from neat_delta.workflows.requests import SendRequest


@dataclass(frozen=True)
class Sending:
    """An update that may be sent: nothing speaks against it, and nothing has left yet.

    Attributes:
        request: what is wanted.
        update: the update.
        place: the name of its destination.
        history: where it is written down.
    """

    request: SendRequest
    update: Update
    place: str
    history: History

    def sent_since(self) -> pl.DataFrame:
        """The cells that other updates have sent since this one's export, with other values."""
        return sent_since(self.update, self.place, self.history)


def ready(request: SendRequest) -> Sending:
    """See that an update may be sent.

    Raises:
        InvalidInput: a file is missing or not as it was written, or its approval is none.
        LiveMismatch: its export is too old.
        NotApproved: the settings want an approval, and there is none that holds.
        ProofFailed: the files do not do what the change set beside them says.
    """
    update = load_update(request.folder)
    if not request.resume:
        require_fresh(request.as_of or update.receipt.live_made, update.receipt.live_name, request.settings)
    require_approved(update, request.settings)
    _require_proved(update, request.settings)
    return Sending(request, update, destination_of(request.to).name, History(request.history or default_history()))


def _require_proved(update: Update, settings: Settings) -> None:
    """Insist that the files still do what the change set says, by the export that they were made from.

    Where that export is not to be had, nobody can tell; where an approval is wanted, nothing is sent then.

    Raises:
        ProofFailed: they do not.
        InvalidInput: an approval is wanted, and the export is not to be had, or [import] is another one by now.
    """
    rule = rule_for(update.change_set, settings.send)
    if rule is not None and settings.path is not None and not is_for_this_import(update.receipt, settings):
        raise InvalidInput(
            "this update was written for other settings of [import] in catalogue.toml",
            file=update.folder,
            hint="Write it again.",
        )
    read_by = with_imports_of(settings, update.receipt)
    try:
        changes, live = load_with_live(update.folder / CHANGESET_FILE, None, read_by, NO_PROGRESS, update.changes)
    except (InvalidInput, LiveMismatch) as error:
        if rule is None:
            return
        raise InvalidInput(
            f"the export {update.receipt.live_name} is needed to see that the files are what was approved",
            file=update.folder,
            hint="Put it next to the files, or write the update again.",
        ) from error
    require_unbroken(update.folder, update.receipt, changes, live, read_by)


def send(
    sending: Sending, progress: ProgressReporter = NO_PROGRESS, leaving: Callable[[], None] = lambda: None
) -> Entry:
    """Send an update, each file once the one before has been taken; ``leaving`` is called before anything leaves.

    Returns:
        the history's entry, with what the shop has answered.

    Raises:
        DeliveryError: it was sent already, begun and not resumed, refused, or the destination cannot be reached; or
            another update has sent some of its cells since its export.
    """
    request = sending.request
    return deliver(
        sending.update,
        destination_of(request.to, progress.step),
        sending.history,
        resume=request.resume,
        overwrite_sent=request.overwrite_sent,
        progress=progress,
        leaving=leaving,
    )

"""Send: the one way by which a written update leaves for the shop.

A person, a run, a run that goes on with an earlier one and the Python API pass here, by the same guards in one order:
each file as its receipt says, fresh enough, approved, and still what was proved; then it is delivered, and the history
knows.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.approval.gate import rule_for
from neat_delta.base.errors import InvalidInput, InvalidOption, LiveMismatch
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.delivery.destinations import destination_of
from neat_delta.delivery.history import History, default_history
from neat_delta.delivery.send import send as deliver
from neat_delta.delivery.send import sent_before
from neat_delta.delivery.sent_since import sent_since
from neat_delta.delivery.update_folder import Update, load_update, require_approved
from neat_delta.reconcile.refresh import require_fresh
from neat_delta.update.receipt import CHANGESET_FILE
from neat_delta.update.seal import is_for_this_import, require_unbroken, with_imports_of
from neat_delta.workflows.permission import is_begun, require_end_of, require_unused, with_rule_of
from neat_delta.workflows.saved_changes import load_with_live

if TYPE_CHECKING:
    from collections.abc import Callable

    import polars as pl

    from neat_delta.delivery.history import Entry
    from neat_delta.locations import Place
    from neat_delta.tables.settings import Settings
    from neat_delta.workflows.requests import SendRequest


@dataclass(frozen=True)
class Sending:
    """An update that may be sent: nothing speaks against it, and nothing has left yet.

    Attributes:
        request: what is wanted.
        update: the update.
        to: where it goes.
        place: the name of that destination.
        history: where it is written down.
    """

    request: SendRequest
    update: Update
    to: Place
    place: str
    history: History

    def sent_since(self) -> pl.DataFrame:
        """The cells that other updates have sent since this one's export, with other values."""
        return sent_since(self.update, self.place, self.history)

    def sent_before(self) -> Entry | None:
        """The entry of another update that has done the same since this one's export."""
        return sent_before(self.update, self.place, self.history)


def ready(request: SendRequest, ends: Entry | None = None) -> Sending:
    """See that an update may be sent.

    Args:
        request: what is wanted.
        ends: the history's entry of the campaign whose end the update is: what puts back the cells that were approved
            with its start needs no approval of its own.

    Raises:
        InvalidOption: no destination is given, and the settings have none.
        InvalidInput: a file is missing or not as it was written, or its approval is none.
        LiveMismatch: its export is too old.
        NotApproved: the settings want an approval, or the place does, and there is none that holds, or it was used.
        ProofFailed: the files do not do what the change set beside them says.
    """
    update, settings = load_update(request.folder), request.settings
    to = request.to or settings.send.to
    if to is None:
        raise InvalidOption(
            "no destination", option="to", hint="Give one, or write it in catalogue.toml: [send] to.", code="no-place"
        )
    place, history = destination_of(to).name, History(request.history or default_history())
    if not request.resume:
        require_fresh(request.as_of or update.receipt.live_made, update.receipt.live_name, settings)
    settings = with_rule_of(place, history, settings)
    # What has begun to leave has passed here before, and nothing of it is another now.
    if ends is not None:
        require_end_of(update, ends, history, settings)
    elif not (request.resume and is_begun(update, place, history)):
        require_approved(update, settings, place)
        require_unused(update, place, history, settings)
    _require_proved(update, settings)
    return Sending(request, update, to, place, history)


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
    request, send_settings = sending.request, sending.request.settings.send
    if send_settings.approval == "none":
        sending.history.lift_rule(sending.place)
    elif send_settings.rule is not None:
        sending.history.keep_rule(sending.place, send_settings.rule)
    return deliver(
        sending.update,
        destination_of(sending.to, progress.step),
        sending.history,
        resume=request.resume,
        overwrite_sent=request.overwrite_sent,
        progress=progress,
        leaving=leaving,
    )

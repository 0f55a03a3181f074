"""Whether an update may go to a place: the rule of the place, approvals that were used, and ends of campaigns."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.approval.approval import parse_approval
from neat_delta.approval.gate import rule_for, why_not
from neat_delta.base.errors import NotApproved
from neat_delta.changeset.invert import invert
from neat_delta.changeset.schemas import CHANGE, NONE
from neat_delta.changeset.serialization import parse_changes
from neat_delta.delivery.answers import may_be_in_the_shop
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.update.receipt import APPROVAL_FILE

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry, History
    from neat_delta.delivery.update_folder import Update
    from neat_delta.tables.settings import Settings


def with_rule_of(place: str, history: History, settings: Settings) -> Settings:
    """The settings with the rule of a place, if that is stricter: what goes there is approved wherever one stands."""
    if settings.send.approval in ("none", "other"):
        return settings
    rule = history.rule_of(place) or settings.send.rule
    return replace(settings, send=replace(settings.send, approval=rule))


def is_begun(update: Update, place: str, history: History) -> bool:
    """Whether just these files of an update are on their way to a place."""
    return any(entry.state == "in progress" for entry in _entries_of(update, place, history))


def require_unused(update: Update, place: str, history: History, settings: Settings) -> None:
    """Insist that no other update has gone to a place with the approval of this one.

    Raises:
        NotApproved: one has.
    """
    data = update.papers.get(APPROVAL_FILE)
    if rule_for(update.change_set, settings.send) is None or data is None:
        return
    itself = {entry.entry for entry in _entries_of(update, place, history)}
    used = next(
        (
            entry
            for entry in history.at(place)
            if entry.entry not in itself
            and entry.kept.get(APPROVAL_FILE) == sha256_hex(data)
            and may_be_in_the_shop(entry)
        ),
        None,
    )
    if used is not None:
        assert update.approval is not None
        raise NotApproved(
            f"the approval by {update.approval.approved_by} of {update.approval.approved} was used on {used.begun} "
            f"(history #{used.entry}); an approval is for one update",
            file=update.folder,
            hint="Have this update approved.",
        )


def require_end_of(update: Update, start: Entry, history: History, settings: Settings) -> None:
    """Insist that an update puts back nothing but what was approved with the start of its campaign.

    Raises:
        NotApproved: the start was not approved, what it has sent is not what was approved, or this does something else.
    """
    if rule_for(update.change_set, settings.send) is None:
        return
    saved, signed = history.change_set(start), history.kept_files(start).get(APPROVAL_FILE)
    hint = "Have this update approved."
    if saved is None or signed is None:
        raise NotApproved(f"the history does not have the approval of #{start.entry}", file=update.folder, hint=hint)
    where = Path(f"history entry {start.entry}")
    sent, approval = parse_changes(saved, where), parse_approval(signed, where)
    if why := why_not(sent, settings.send, approval, used=start.begun):
        raise NotApproved(why, file=update.folder, hint=hint)
    if not _puts_back(update.change_set, sent):
        raise NotApproved(
            f"this update does not only put back what history #{start.entry} has sent", file=update.folder, hint=hint
        )


def _puts_back(end: ChangeSet, sent: ChangeSet) -> bool:
    """Whether all that a change set does is to give items back what another one has changed."""
    back = invert(sent)
    doing = pl.col("action") != NONE
    items = end.items.filter(doing).select("key", "action", "new_key")
    cells = end.cells.select("key", "field", "now")
    undone = back.items.filter(doing).select("key", "action", "new_key")
    # An item that has its old SKU again gets back its values only.
    undone = pl.concat([undone, undone.with_columns(action=pl.lit(CHANGE), new_key=pl.lit(None, pl.String))])
    return (
        items.join(undone, on=items.columns, how="anti", nulls_equal=True).is_empty()
        and cells.join(back.cells, on=cells.columns, how="anti", nulls_equal=True).is_empty()
    )


def _entries_of(update: Update, place: str, history: History) -> list[Entry]:
    """The entries of just these files of an update at a place."""
    receipt = update.receipt
    return [
        entry
        for entry in history.at(place)
        if (entry.changes, entry.live) == (receipt.changes.sha256, receipt.live_sha256)
    ]

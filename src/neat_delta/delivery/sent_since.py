"""What other updates have sent since the export that an update was made from, which it would undo unseen."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import NeatDeltaError
from neat_delta.changeset.schemas import NONE
from neat_delta.changeset.serialization import parse_changes
from neat_delta.delivery.schemas import SentFrame, SentSince

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry, History
    from neat_delta.delivery.update_folder import Update

# What stands for the whole item, where one of the updates deletes it or gives it another SKU.
WHOLE = "(item)"


def sent_since(update: Update, place: str, history: History) -> SentFrame:
    """The cells of an update that others have sent to the same place since its export, with another value.

    Returns:
        key, field, ours, sent (null for a blank), entry: the number of the other update; the newest one of each cell.
    """
    ours = update.change_set
    cells = _says(ours)
    # Where nobody knows when the export was made, it was at least there when the change set was made from it.
    since = update.receipt.live_made or datetime.fromisoformat(ours.head.made)
    frames: list[pl.DataFrame] = [SentSince.none()]
    for entry in history.at(place):
        other = _other(entry, update, since.astimezone(UTC), history)
        if other is not None:
            theirs = _says(other).rename({"now": "sent"})
            both = cells.join(theirs, on=["key", "field"], how="inner", maintain_order="left")
            both = both.filter(pl.col("now").ne_missing(pl.col("sent")))
            frames.append(both.select("key", "field", ours="now", sent="sent", entry=pl.lit(entry.entry, pl.Int64)))
    return SentSince.checked(pl.concat(frames).unique(["key", "field"], keep="first", maintain_order=True))


def _other(entry: Entry, update: Update, since: datetime, history: History) -> ChangeSet | None:
    """The change set of another update that has gone to this place since that time, or is of the same export."""
    receipt = update.receipt
    is_this = entry.changes == receipt.changes.sha256 and entry.live == receipt.live_sha256
    has_left = entry.has_left
    if is_this or not has_left:
        return None
    begun = datetime.fromisoformat(entry.begun).astimezone(UTC)
    if entry.live != receipt.live_sha256 and begun <= since:
        return None
    data = history.change_set(entry)
    try:
        return parse_changes(data, Path(f"history entry {entry.entry}")) if data else None
    except NeatDeltaError:
        return None


def _says(changes: ChangeSet) -> pl.DataFrame:
    """What a change set says of each cell (key, field, now), and of items that it does not only change."""
    acting = changes.items.filter(~pl.col("action").is_in([NONE, "change"]))
    whole = acting.select(
        "key", field=pl.lit(WHOLE), now=pl.coalesce(pl.col("action") + " " + pl.col("new_key"), "action")
    )
    return pl.concat([changes.cells.select("key", "field", "now"), whole])

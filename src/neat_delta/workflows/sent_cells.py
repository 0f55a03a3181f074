"""Every cell that was sent: by which update, when, where, and who made, approved and sent it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import NeatDeltaError
from neat_delta.changeset.schemas import NONE
from neat_delta.changeset.serialization import parse_changes
from neat_delta.files.user_data import AND, folded_name

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry, History

CELLS = {
    "entry": pl.Int64,
    "sent": pl.String,
    "place": pl.String,
    "key": pl.String,
    "name": pl.String,
    "action": pl.String,
    "field": pl.String,
    "was": pl.String,
    "now": pl.String,
    "made_by": pl.String,
    "approved_by": pl.String,
    "sent_by": pl.String,
}


@dataclass(frozen=True)
class Wanted:
    """Which of what was sent: from and until a time, by a person, one entry, and one item, one field of it."""

    since: datetime | None = None
    until: datetime | None = None
    person: str | None = None
    entry: int | None = None
    key: str | None = None
    field: str | None = None

    def takes(self, entry: Entry) -> bool:
        """Whether it is this entry, or one of this time and this person."""
        if self.entry is not None and entry.entry != self.entry:
            return False
        begun = datetime.fromisoformat(entry.begun).astimezone(UTC)
        people = (entry.made_by, entry.approved_by, entry.sent_by)
        names = {folded_name(name) for people_of in people for name in (people_of or "").split(AND)}
        return (
            (self.since is None or begun >= self.since.astimezone())
            and (self.until is None or begun <= self.until.astimezone())
            and (self.person is None or folded_name(self.person) in names)
        )


def wanted_entries(history: History, condition: Wanted) -> list[Entry]:
    """The entries of a time and a person, the newest first."""
    return [entry for entry in history.entries() if condition.takes(entry)]


def sent_cells(history: History, entries: Sequence[Entry], condition: Wanted) -> pl.DataFrame:
    """The cells that these entries have sent, the newest first (columns as in ``CELLS``).

    An item that was added, deleted or got another SKU has a row of its own without a field; a new SKU is its ``now``.
    """
    parts = [pl.DataFrame(schema=CELLS)]
    for entry in entries:
        data = history.change_set(entry)
        try:
            changes = parse_changes(data, Path(f"history entry {entry.entry}")) if data else None
        except NeatDeltaError:
            continue
        if changes is not None and entry.has_left:
            parts.append(_cells_of(entry, changes))
    cells = pl.concat(parts)
    for column, value in (("key", condition.key), ("field", condition.field)):
        if value is not None:
            cells = cells.filter(pl.col(column) == value)
    return cells


def _cells_of(entry: Entry, changes: ChangeSet) -> pl.DataFrame:
    acting = changes.items.filter(pl.col("action") != NONE).select("key", "name", "action", "new_key")
    whole = acting.filter(pl.col("action") != "change").select(
        "key", "name", "action", field=pl.lit(None, pl.String), was=pl.lit(None, pl.String), now="new_key"
    )
    cells = changes.cells.join(acting, on="key", how="inner", maintain_order="left")
    both = pl.concat([whole, cells.select(whole.columns)])
    about = {"entry": entry.entry, "sent": entry.begun, "place": entry.place}
    about |= {name: getattr(entry, name) for name in ("made_by", "approved_by", "sent_by")}
    return both.with_columns(pl.lit(value, CELLS[name]).alias(name) for name, value in about.items()).select(*CELLS)

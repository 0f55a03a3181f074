"""Settle: which changes of an update have arrived in the shop, by the export made after the import."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import ROUND_HALF_UP, Decimal, InvalidOperation
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import with_values
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.reconcile.conflicts import SHOP, ConflictPolicy
from neat_delta.reconcile.refresh import still_needed
from neat_delta.reconcile.schemas import OutcomeFrame, Outcomes
from neat_delta.reconcile.three_way import APPLIED, GONE, HERE, RECODED, STANDS, UNCLEAR, three_way
from neat_delta.tables.field_types import type_named

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

NOT_APPLIED, ALTERED, OVERWRITTEN, ITEM_MISSING = (
    "not applied",
    "applied differently",
    "changed again since",
    "item missing",
)


@dataclass(frozen=True)
class VerifyResult:
    """What became of each change.

    Attributes:
        changes: what became of each cell and item, as ``schemas.Outcomes`` has it.
        remaining: the change set of what has not been applied, made for the fresh export.
    """

    changes: OutcomeFrame
    remaining: ChangeSet

    def count(self, state: str) -> int:
        """How many changes are in this state."""
        return len(self.changes.filter(state=state))

    @property
    def done(self) -> bool:
        """Whether nothing is left."""
        return self.count(APPLIED) == len(self.changes)


def verify(changes: ChangeSet, fresh: Table, settings: Settings) -> VerifyResult:
    """Compare what was sent with what an export made afterwards has.

    Raises:
        InvalidOption: the export lacks a field of the change set, or an item is in it twice.
    """
    # What others have moved stays; what landed otherwise would land so again.
    rest = still_needed(changes, fresh, without_differences(settings), ConflictPolicy(SHOP)).changes
    return VerifyResult(_outcomes(changes, fresh, settings), rest)


def as_altered(changes: ChangeSet, fresh: Table, settings: Settings) -> tuple[ChangeSet, OutcomeFrame]:
    """A change set with what a shop has made of its values by a rule of its own: what it has rounded, trimmed, cut off.

    Returns:
        the change set, whose cells have the shop's values where these are ours but for such a rule; and which these
        are.
    """
    altered = _outcomes(changes, fresh, settings).filter(state=ALTERED)
    values = altered.drop_nulls("field").select("key", "field", now="shop")
    return with_values(changes, values), Outcomes.checked(altered)


def _outcomes(changes: ChangeSet, fresh: Table, settings: Settings) -> OutcomeFrame:
    outcome = three_way(changes, fresh, settings)
    action = outcome.items.select("key", "action")
    cells = outcome.cells.join(action, on="key", how="left", maintain_order="left").filter(pl.col("action") != REMOVE)
    numeric = [name for name, note in changes.head.fields.items() if type_named(note.type).numeric]
    # A number cut short is another number.
    how = [
        _rounded(now, shop) if field in numeric else _how(now, shop)
        for field, now, shop in cells.select("field", "now", "shop").iter_rows()
    ]
    cells = cells.with_columns(how=pl.Series(how, dtype=pl.String)).with_columns(
        state=pl.when(pl.col("state") == APPLIED)
        .then(pl.lit(APPLIED))
        # A shop that cuts a text short may make just the old one of it.
        .when(pl.col("state") == STANDS)
        .then(pl.lit(NOT_APPLIED))
        .when(pl.col("how").is_not_null())
        .then(pl.lit(ALTERED))
        .otherwise(pl.lit(OVERWRITTEN))
    )
    cells = cells.with_columns(how=pl.when(pl.col("state") == ALTERED).then("how"))
    frames = pl.concat(
        [
            cells.select("key", "field", original="was", ours="now", shop="shop", state="state", how="how"),
            _wholes(outcome.items),
        ]
    )
    return Outcomes.checked(frames)


def without_differences(settings: Settings) -> Settings:
    """The settings for a shop that has had our differences already."""
    return replace(settings, refresh=replace(settings.refresh, difference=()))


def _wholes(items: pl.DataFrame) -> pl.DataFrame:
    """What became of new items, removals, code changes, and items that are not there to be changed."""
    applied = (
        ((pl.col("action") == ADD) & (pl.col("fate") == HERE))
        | ((pl.col("action") == REMOVE) & (pl.col("fate") == GONE))
        | (pl.col("fate") == RECODED)
    )
    lost = (pl.col("fate") == GONE) & pl.col("action").is_in([CHANGE, RECODE])
    unclear = pl.col("fate") == UNCLEAR
    state = (
        pl.when(applied)
        .then(pl.lit(APPLIED))
        .when(lost | unclear)
        .then(pl.lit(ITEM_MISSING))
        .otherwise(pl.lit(NOT_APPLIED))
    )
    what = {ADD: "to add", REMOVE: "to delete"}
    wholes = items.filter(pl.col("action").is_in([ADD, REMOVE, RECODE]) | lost)
    nothing = pl.lit(None, pl.String)
    return wholes.select(
        "key", field=nothing, original=nothing,
        ours=pl.coalesce("new_key", pl.col("action").replace_strict(what, default=None)),
        shop=nothing, state=state, how=pl.when(unclear).then(pl.lit("cannot be identified")),
    )  # fmt: skip


def _how(ours: str | None, shop: str | None) -> str | None:
    """By what rule of its own a shop has made this of our value; ``None`` if by none that is known."""
    if ours is None or shop is None:
        return None
    if shop == ours.strip():
        return "trimmed"
    if shop.casefold() == ours.casefold():
        return "letter case"
    if ours.startswith(shop.rstrip("…. ")) and len(shop) > len(ours) // 4:
        return "cut off"
    if " ".join(ours.split()) == " ".join(shop.split()):
        return "spaces"
    return None


def _rounded(ours: str | None, shop: str | None) -> str | None:
    """Whether a number is ours with fewer decimals."""
    if ours is None or shop is None:
        return None
    try:
        sent, got = (Decimal(text.replace(",", ".")) for text in (ours, shop))
        exponent = got.as_tuple().exponent
        places = Decimal(1).scaleb(int(exponent)) if isinstance(exponent, int) else Decimal(1)
        if sent.quantize(places, ROUND_HALF_UP) == got:
            return "rounded"
        return "decimals cut off" if abs(sent) > abs(got) and abs(sent - got) < places else None
    except InvalidOperation:  # one of them is no number, or has more digits than any that a shop would round
        return None

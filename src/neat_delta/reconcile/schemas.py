"""The frames of what stands beside a newer export: conflicts, and what became of what was sent."""

from __future__ import annotations

from typing import Literal, NewType, get_args

import polars as pl

from neat_delta.base.frame_schema import FrameSchema, column

Fate = Literal["hold", "ours", "shop"]
FATES: tuple[Fate, ...] = get_args(Fate)

ConflictFrame = NewType("ConflictFrame", pl.DataFrame)
OutcomeFrame = NewType("OutcomeFrame", pl.DataFrame)


class Conflicts(FrameSchema[ConflictFrame]):
    """Cells that both sides have changed, and what becomes of each."""

    KEY = column("key", pl.String, "the item's key")
    FIELD = column("field", pl.String, "the field; null: about the item as a whole", null=True)
    ORIGINAL = column("original", pl.String, "what the edit started from", null=True)
    OURS = column("ours", pl.String, "what was typed or computed", null=True)
    SHOP = column("shop", pl.String, "what the shop has now", null=True)
    FATE = column("fate", pl.String, "not sent (an error), or the value that is sent", words=FATES)


class Outcomes(FrameSchema[OutcomeFrame]):
    """What became of each cell and item of an update in the shop."""

    KEY = column("key", pl.String, "the item's key")
    FIELD = column("field", pl.String, "the field; null: about the item as a whole", null=True)
    ORIGINAL = column("original", pl.String, "the shop's value before", null=True)
    OURS = column("ours", pl.String, "what was sent", null=True)
    SHOP = column("shop", pl.String, "what the shop has now", null=True)
    STATE = column("state", pl.String, "whether it was applied")
    HOW = column("how", pl.String, "how the shop has altered the value", null=True)

"""The frames of sending: what others have sent meanwhile."""

from __future__ import annotations

from typing import NewType

import polars as pl

from neat_delta.base.frame_schema import FrameSchema, column

SentFrame = NewType("SentFrame", pl.DataFrame)


class SentSince(FrameSchema[SentFrame]):
    """Cells of an update that others have sent to the same place since its export, with another value."""

    KEY = column("key", pl.String, "the item's key")
    FIELD = column("field", pl.String, "the field, or that it is about the item as a whole")
    OURS = column("ours", pl.String, "what this update says; null: blank", null=True)
    SENT = column("sent", pl.String, "what was sent", null=True)
    ENTRY = column("entry", pl.Int64, "the number of the newest update that did, in the history")
    unique = (KEY, FIELD)

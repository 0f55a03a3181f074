"""The frames of comparing: what differs without being a change."""

from __future__ import annotations

from typing import NewType

import polars as pl

from neat_delta.base.frame_schema import FrameSchema, column

RestoredFrame = NewType("RestoredFrame", pl.DataFrame)


class Restored(FrameSchema[RestoredFrame]):
    """Cells that a spreadsheet program has written otherwise while nobody edited them; they are no change."""

    PAIR = column("pair", pl.UInt32, "the place of the row among the pairs")
    FIELD = column("field", pl.String, "the field")
    WAS = column("was", pl.String, "the shop's value")
    NOW = column("now", pl.String, "what the file has instead")
    WHAT = column("what", pl.String, "what the program has done to it")

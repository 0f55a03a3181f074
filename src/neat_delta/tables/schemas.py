"""The frames of one file: its rows that cannot be read, and signs of damage in its columns."""

from __future__ import annotations

from typing import NewType

import polars as pl

from neat_delta.base.frame_schema import FrameSchema, column

BadRowFrame = NewType("BadRowFrame", pl.DataFrame)
DamageFrame = NewType("DamageFrame", pl.DataFrame)


class BadRows(FrameSchema[BadRowFrame]):
    """Rows of a file that are none of an item: unreadable ones, notes, totals."""

    LINE = column("line", pl.UInt32, "the line in the file, counted from 1")
    RAW = column("raw", pl.String, "the row as the file has it")
    MESSAGE = column("message", pl.String, "why it is none, in words")


class DamageMarks(FrameSchema[DamageFrame]):
    """Signs of damage in a column: what a spreadsheet program or a wrong encoding leaves behind."""

    CHECK = column("check", pl.String, "the sort of damage")
    FIELD = column("field", pl.String, "the field")
    VALUE = column("value", pl.String, "the commonest value that shows it")
    CELLS = column("cells", pl.UInt32, "how many cells do")
    MESSAGE = column("message", pl.String, "what it is, in words")

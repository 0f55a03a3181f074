"""The frames of matching: which row is which item, and which rows and items may belong together."""

from __future__ import annotations

from typing import NewType

import polars as pl

from neat_delta.base.frame_schema import FrameSchema, column

PairFrame = NewType("PairFrame", pl.DataFrame)
CandidateFrame = NewType("CandidateFrame", pl.DataFrame)
UnidentifiedFrame = NewType("UnidentifiedFrame", pl.DataFrame)
ReadKeyFrame = NewType("ReadKeyFrame", pl.DataFrame)
SuggestionFrame = NewType("SuggestionFrame", pl.DataFrame)


class Pairs(FrameSchema[PairFrame]):
    """Rows to compare: an item of the live export and the row of the edited file that is about it."""

    LIVE = column("live", pl.UInt32, "the item's row in the live export, counted from 0")
    EDITED = column("edited", pl.UInt32, "the row of the edited file, counted from 0")
    unique = (EDITED,)


class Candidates(FrameSchema[CandidateFrame]):
    """Rows of the edited file and items whose key or code they may have meant."""

    EDITED = column("edited", pl.UInt32, "the row of the edited file, counted from 0")
    LIVE = column("live", pl.UInt32, "the item's row in the live export, counted from 0")
    unique = (EDITED, LIVE)


class Unidentified(FrameSchema[UnidentifiedFrame]):
    """Rows of a list that names items by other fields than the key, and which name none, or several."""

    ROW = column("row", pl.UInt32, "the row of the list, counted from 0")
    ON = column("on", pl.String, "what the row calls the item")
    SEVERAL = column("several", pl.Boolean, "whether several items are called so")
    unique = (ROW,)


class Suggestions(FrameSchema[SuggestionFrame]):
    """Items that a row with an unknown key is likely to mean, the likeliest first."""

    KEY = column("key", pl.String, "the unknown key, as the row has it")
    ITEM = column("item", pl.String, "the key of the item")
    NAME = column("name", pl.String, "what the item is called", null=True)
    LIKENESS = column("likeness", pl.UInt8, "how alike they are, from 0 to 100")


class ReadKeys(FrameSchema[ReadKeyFrame]):
    """Rows whose key may have been typed otherwise than a spreadsheet program shows it."""

    EDITED = column("edited", pl.UInt32, "the row of the edited file, counted from 0")
    MEANT = column("meant", pl.String, "what may have been typed, as people read it")
    unique = (EDITED,)

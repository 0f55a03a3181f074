"""The frames of a change set: what each column means, what it can be; the file form and its JSON Schema follow from it.

Sides have the same names wherever three values stand beside each other: ``original`` (what an edit started from),
``ours`` (what was typed or computed) and ``shop`` (what the shop has now). A change set has two of them: a cell ``was``
the shop's value, and is ours ``now``.
"""

from __future__ import annotations

from typing import Final, Literal, NewType, get_args

import polars as pl

from neat_delta.base.frame_schema import FrameSchema, column

Action = Literal["change", "add", "remove", "recode", "none"]
RowState = Literal["changed", "unchanged", "new", "duplicate", "unreadable", "rejected", "excluded", "left_out"]
Level = Literal["error", "warning", "note"]
Effect = Literal["block", "repair", "none"]

CHANGE: Final = "change"
ADD: Final = "add"
REMOVE: Final = "remove"
RECODE: Final = "recode"
NONE: Final = "none"
ACTIONS: tuple[Action, ...] = get_args(Action)
ROW_STATES: tuple[RowState, ...] = get_args(RowState)
# A finding weighs so much, and does so much: it blocks the cell that it names, or its whole item; or it gives the cell
# the shop's value back; or nothing.
LEVELS: tuple[Level, ...] = get_args(Level)
EFFECTS: tuple[Effect, ...] = get_args(Effect)

ItemFrame = NewType("ItemFrame", pl.DataFrame)
CellFrame = NewType("CellFrame", pl.DataFrame)
FindingFrame = NewType("FindingFrame", pl.DataFrame)


class Items(FrameSchema[ItemFrame]):
    """Items that something is to become of, or that findings name; in the order of the live export, new ones last."""

    KEY = column("key", pl.String, "the parts of the item's key, joined by the unit separator")
    ACTION = column("action", pl.String, "what is to become of it", words=ACTIONS)
    ROW_STATE = column("row_state", pl.String, "the status of its row", null=True, words=ROW_STATES)
    LINE = column("line", pl.UInt32, "that row's line in the edited file, counted from 1", null=True)
    NAME = column("name", pl.String, "what it is called", null=True)
    NEW_KEY = column("new_key", pl.String, "the key that it gets, if it is recoded", null=True)
    unique = (KEY,)


class Cells(FrameSchema[CellFrame]):
    """The cells that change; those of items to be added or removed are all that they have beside the key."""

    KEY = column("key", pl.String, "the item's key")
    FIELD = column("field", pl.String, "the field")
    WAS = column("was", pl.String, "the shop's value, in the live export's format; null: blank", null=True)
    NOW = column("now", pl.String, "our value, likewise", null=True)
    unique = (KEY, FIELD)


class Findings(FrameSchema[FindingFrame]):
    """What was noticed, how much it weighs, and what it does to the change set."""

    CODE = column("code", pl.String, "the name of the check")
    LEVEL = column("level", pl.String, "how much it weighs", words=LEVELS)
    EFFECT = column("effect", pl.String, "what it does", words=EFFECTS)
    KEY = column("key", pl.String, "the item's key; null for a row without an item", null=True)
    FIELD = column("field", pl.String, "the field", null=True)
    LINE = column("line", pl.UInt32, "the line in the edited file, counted from 1", null=True)
    VALUE = column("value", pl.String, "the value that it is about", null=True)
    MESSAGE = column("message", pl.String, "what is wrong, in words", null=True)
    DATA = column("data", pl.String, "what it is about, as JSON for programs", null=True)

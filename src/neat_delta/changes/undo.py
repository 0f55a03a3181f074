"""Undo: the change set that puts things back."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from neat_delta.changes.changeset import ChangeSet


def undone(changes: ChangeSet) -> ChangeSet:
    """The change set with was and now exchanged; undoing twice gives the same items and cells again."""
    return replace(changes, cells=changes.cells.select("key", "field", was=pl.col("now"), now=pl.col("was")))

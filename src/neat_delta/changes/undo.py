"""Undo: the change set that puts things back."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from neat_delta.changes.changeset import ChangeSet


def undone(changes: ChangeSet, stays: pl.DataFrame | None = None) -> ChangeSet:
    """The change set with was and now exchanged; undoing twice gives the same items and cells again.

    Cells in ``stays`` (key, field) are left as the change set makes them.
    """
    cells = changes.cells
    if stays is not None:
        cells = cells.join(stays, on=["key", "field"], how="anti", maintain_order="left")
    return replace(changes, cells=cells.select("key", "field", was=pl.col("now"), now=pl.col("was")))

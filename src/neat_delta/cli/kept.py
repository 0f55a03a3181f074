"""Kept change sets: where the live export lies that they were made from."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.errors import Unreadable

if TYPE_CHECKING:
    from neat_delta.changes import ChangeSet


def live_of(changes: ChangeSet, path: Path) -> Path:
    """The live export of a change set kept at this path: beside it, or here.

    Raises:
        Unreadable: it is in neither place.
    """
    name = changes.head.live.name
    for place in (path.parent / name, Path(name)):
        if place.is_file():
            return place
    raise Unreadable(
        "the live export of this change set is neither beside it nor in this folder",
        file=name,
        remedy="Say where it is with --live FILE.",
    )

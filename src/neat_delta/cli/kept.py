"""Kept change sets, and the live export they were made from."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.cli.common import exported_as
from neat_delta.errors import Unreadable

if TYPE_CHECKING:
    from neat_delta.catalogue import Catalogue
    from neat_delta.catalogue.settings import Settings
    from neat_delta.changes import ChangeSet
    from neat_delta.voice import Voice


def kept(changes: Path, live: Path | None, settled: Settings, voice: Voice) -> tuple[ChangeSet, Catalogue]:
    """A kept change set, and the live export it was made from, its columns under the names it gives them."""
    from neat_delta.catalogue import field_name
    from neat_delta.changes import load_changes
    from neat_delta.reading import read_catalogue

    loaded = load_changes(changes)
    ours = read_catalogue(live or _live_of(loaded, changes), voice, exported_as(settled))
    return loaded, ours.renamed({field_name(note.column): name for name, note in loaded.head.fields.items()})


def _live_of(changes: ChangeSet, path: Path) -> Path:
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

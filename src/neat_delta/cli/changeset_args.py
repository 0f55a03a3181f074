"""Kept change sets, the live export they were made from, and which part of them is meant."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import click

from neat_delta.cli.common import SOURCE, exported_as, gathered
from neat_delta.errors import Unreadable, WrongLive

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.changeset.subset import Part
    from neat_delta.progress import Voice
    from neat_delta.reading import Told
    from neat_delta.remote import Where
    from neat_delta.tables import Catalogue
    from neat_delta.tables.settings import Settings


def kept(
    changes: Where, live: Where | None, settled: Settings, voice: Voice, data: bytes | None = None
) -> tuple[ChangeSet, Catalogue]:
    """A kept change set, and the live export it was made from, its columns under the names it gives them.

    ``data`` is the change set's file form, where it is read already.
    """
    from neat_delta.changeset.serialization import load_changes, parse_changes
    from neat_delta.reading import read_catalogue

    voice.step(f"reading {changes.name}")
    loaded = load_changes(changes) if data is None else parse_changes(data, changes)
    ours = read_catalogue(live or _live_of(loaded, changes), voice, _as_read(loaded, exported_as(settled)))
    return loaded, ours.renamed(loaded.head.names())


def _as_read(changes: ChangeSet, told: Told) -> Told:
    """How the live export was read when the change set was made; what it does not know is as settled."""
    stamp = changes.head.live
    return replace(
        told,
        delimiter=stamp.delimiter or told.delimiter,
        charset=stamp.charset or told.charset,
        mark=stamp.mark or told.mark,
        header_line=told.header_line if stamp.header_line is None else stamp.header_line,
    )


def fresh_export(changes: ChangeSet, path: Where, settled: Settings, voice: Voice) -> Catalogue:
    """A newer export of the shop, its columns under the names that a change set gives them."""
    from neat_delta.reading import read_catalogue

    fresh = read_catalogue(path, voice, exported_as(settled))
    return fresh.renamed(changes.head.names())


def kept_live(changes: ChangeSet, live: Catalogue) -> None:
    """Insist that this is the live export a change set was made from.

    Raises:
        WrongLive: it is another one.
    """
    if changes.head.live.sha256 != live.source.sha256:
        raise WrongLive(
            f"this change set was made from another file (fingerprint {changes.head.live.sha256[:12]}…)",
            file=live.source.path,
            remedy="Give the export it was made from with --live, or compare again with this one.",
        )


AS_OF = click.option(
    "--as-of",
    "as_of",
    type=click.DateTime(["%Y-%m-%d", "%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M"]),
    help="When the live export was made, where its file does not tell ([refresh] hours in catalogue.toml).",
)


class PartTold(NamedTuple):
    """Which part of a change set is meant, as it is told."""

    only: tuple[str, ...]
    where: str | None
    items: Where | None


def parts(command: Any) -> Any:
    """Add the options of ``PartTold`` to a command, as ``part``."""
    options = (
        click.option("--only", multiple=True, metavar="FIELD", help="Only changes of this field; repeatable."),
        click.option("--where", metavar="SQL", help='Only items for which this holds, such as "price > 10".'),
        click.option("--items", type=SOURCE, metavar="FILE", help="Only the items whose codes stand in this file."),
    )
    return gathered(PartTold, "part", options, command)


def part_of(changes: ChangeSet, part: PartTold, live: Catalogue | None, settled: Settings) -> ChangeSet:
    """The part of a change set that is meant; the very same if it is all of it."""
    from neat_delta.changeset.subset import cells_in, taken

    meant = part_meant(changes, part)
    return taken(changes, cells_in(changes, meant, live, settled)) if meant else changes


def part_meant(changes: ChangeSet, part: PartTold, leave: tuple[str, ...] = ()) -> Part:
    """The part for the core, with the codes of the file that names them."""
    from neat_delta.changeset.subset import Part
    from neat_delta.matching import JOINT, Key
    from neat_delta.matching.selection import codes_in
    from neat_delta.reading import read_bytes

    codes = None
    if part.items is not None:
        key = Key(changes.head.key, told=True)
        listed = codes_in(read_bytes(part.items).decode(errors="replace"), key)
        codes = tuple(code.replace(" · ", JOINT) for code in listed)
    return Part(part.only, leave, part.where, codes)


def _live_of(changes: ChangeSet, path: Where) -> Path:
    """The live export of a change set kept at this path: beside it, or here.

    Raises:
        Unreadable: it is in neither place.
    """
    name = changes.head.live.name
    here = Path(name)
    for place in (path.parent / name, here) if isinstance(path, Path) else (here,):
        if place.is_file():
            return place
    raise Unreadable(
        "the live export of this change set is neither beside it nor in this folder",
        file=name,
        remedy="Say where it is with --live FILE.",
    )

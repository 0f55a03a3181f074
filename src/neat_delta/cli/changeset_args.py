"""Kept change sets, the live export they were made from, and which part of them is meant."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import click

from neat_delta.cli.common import SOURCE, bundle_options
from neat_delta.errors import InvalidInput, LiveMismatch

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.changeset.subset import Selection
    from neat_delta.progress import ProgressReporter
    from neat_delta.remote import Location
    from neat_delta.tables import Table
    from neat_delta.tables.read_options import ReadOptions
    from neat_delta.tables.settings import Settings


def load_with_live(
    changes: Location, live: Location | None, settled: Settings, voice: ProgressReporter, data: bytes | None = None
) -> tuple[ChangeSet, Table]:
    """A kept change set, and the live export it was made from, its columns under the names it gives them.

    ``data`` is the change set's file form, where it is read already.
    """
    from neat_delta.changeset.serialization import load_changes, parse_changes
    from neat_delta.reading import read_table

    voice.step(f"reading {changes.name}")
    loaded = load_changes(changes) if data is None else parse_changes(data, changes)
    ours = read_table(live or _live_of(loaded, changes), voice, _as_read(loaded, settled.export))
    return loaded, ours.renamed(loaded.head.names())


def _as_read(changes: ChangeSet, configured: ReadOptions) -> ReadOptions:
    """How the live export was read when the change set was made; what it does not know is as settled."""
    from neat_delta.tables.read_options import ReadOptions

    live = changes.head.live
    as_before = ReadOptions(live.delimiter, live.encoding, live.decimal_separator, live.header_line)
    return configured.overridden_by(as_before)


def fresh_export(changes: ChangeSet, path: Location, settled: Settings, voice: ProgressReporter) -> Table:
    """A newer export of the shop, its columns under the names that a change set gives them."""
    from neat_delta.reading import read_table

    fresh = read_table(path, voice, settled.export)
    return fresh.renamed(changes.head.names())


def require_matching_live(changes: ChangeSet, live: Table) -> None:
    """Insist that this is the live export a change set was made from.

    Raises:
        WrongLive: it is another one.
    """
    if changes.head.live.sha256 != live.source.sha256:
        raise LiveMismatch(
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


class SelectionOptions(NamedTuple):
    """Which part of a change set is meant, as it is told."""

    only: tuple[str, ...]
    where: str | None
    items: Location | None


def selection_options(command: Any) -> Any:
    """Add the options of ``PartTold`` to a command, as ``part``."""
    options = (
        click.option("--only", multiple=True, metavar="FIELD", help="Only changes of this field; repeatable."),
        click.option("--where", metavar="SQL", help='Only items for which this holds, such as "price > 10".'),
        click.option("--items", type=SOURCE, metavar="FILE", help="Only the items whose codes stand in this file."),
    )
    return bundle_options(SelectionOptions, "part", options, command)


def selected_part(changes: ChangeSet, part: SelectionOptions, live: Table | None, settled: Settings) -> ChangeSet:
    """The part of a change set that is meant; the very same if it is all of it."""
    from neat_delta.changeset.subset import cells_in, subset

    meant = selection_from(changes, part)
    return subset(changes, cells_in(changes, meant, live, settled)) if meant else changes


def selection_from(changes: ChangeSet, part: SelectionOptions, leave: tuple[str, ...] = ()) -> Selection:
    """The part for the core, with the codes of the file that names them."""
    from neat_delta.changeset.subset import Selection
    from neat_delta.matching import KEY_SEPARATOR, Key
    from neat_delta.matching.selection import parse_key_list
    from neat_delta.reading import read_bytes

    codes = None
    if part.items is not None:
        key = Key(changes.head.key, explicit=True)
        listed = parse_key_list(read_bytes(part.items).decode(errors="replace"), key)
        codes = tuple(code.replace(" · ", KEY_SEPARATOR) for code in listed)
    return Selection(part.only, leave, part.where, codes)


def _live_of(changes: ChangeSet, path: Location) -> Path:
    """The live export of a change set kept at this path: beside it, or here.

    Raises:
        Unreadable: it is in neither place.
    """
    name = changes.head.live.name
    here = Path(name)
    for place in (path.parent / name, here) if isinstance(path, Path) else (here,):
        if place.is_file():
            return place
    raise InvalidInput(
        "the live export of this change set is neither beside it nor in this folder",
        file=name,
        remedy="Say where it is with --live FILE.",
    )

"""Kept change sets, the live export they were made from, and which part of them is meant."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import click

from neat_delta.cli.common import SOURCE, bundle_options

if TYPE_CHECKING:
    from neat_delta.analysis.cell_selection import Selection
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.remote import Location
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings


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


def selected_part(changes: ChangeSet, selection: SelectionOptions, live: Table | None, settings: Settings) -> ChangeSet:
    """The part of a change set that is meant; the very same if it is all of it."""
    from neat_delta.analysis.cell_selection import cells_in
    from neat_delta.changeset.subset import subset

    meant = selection_from(changes, selection)
    return subset(changes, cells_in(changes, meant, live, settings)) if meant else changes


def selection_from(changes: ChangeSet, selection: SelectionOptions, leave: tuple[str, ...] = ()) -> Selection:
    """The part for the core, with the codes of the file that names them."""
    from neat_delta.analysis.cell_selection import Selection
    from neat_delta.matching import KEY_SEPARATOR, Key
    from neat_delta.matching.selection import parse_key_list
    from neat_delta.reading import read_bytes

    codes = None
    if selection.items is not None:
        key = Key(changes.head.key, explicit=True)
        profile = parse_key_list(read_bytes(selection.items).decode(errors="replace"), key)
        codes = tuple(code.replace(" · ", KEY_SEPARATOR) for code in profile)
    return Selection(selection.only, leave, selection.where, codes)

"""Kept change sets, the live export they were made from, and which part of them is meant."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

from neat_delta.cli.common import bundle_options
from neat_delta.cli.help import SCOPE, option
from neat_delta.cli.param_types import SOURCE

if TYPE_CHECKING:
    from neat_delta.analysis.cell_selection import Selection
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings


LIVE = option(
    SCOPE,
    "--live",
    type=SOURCE,
    metavar="FILE",
    help="The live export, if it is not next to CHANGES or in this folder.",
)


class SelectionOptions(NamedTuple):
    """Which part of a change set is meant, as it is given."""

    only: tuple[str, ...]
    where: str | None
    items: Location | None


def selection_options(command: Any) -> Any:
    """Add the options of ``SelectionOptions`` to a command, as ``part``."""
    options = (
        option(SCOPE, "--only", multiple=True, metavar="FIELD", help="Only changes of this field. Repeatable."),
        option(SCOPE, "--where", metavar="SQL", help='Only items that match this condition, such as "price > 10".'),
        option(SCOPE, "--items", type=SOURCE, metavar="FILE", help="Only the SKUs listed in this file, one per line."),
    )
    return bundle_options(SelectionOptions, "part", options, command)


def selected_part(changes: ChangeSet, selection: SelectionOptions, live: Table | None, settings: Settings) -> ChangeSet:
    """The part of a change set that is meant; the very same if it is all of it."""
    from neat_delta.analysis.cell_selection import cells_in
    from neat_delta.changeset.subset import subset

    meant = selection_from(changes, selection)
    return subset(changes, cells_in(changes, meant, live, settings)) if meant else changes


def selection_from(changes: ChangeSet, selection: SelectionOptions, skip: tuple[str, ...] = ()) -> Selection:
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
    return Selection(selection.only, skip, selection.where, codes)

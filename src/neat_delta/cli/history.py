"""neat-delta history."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import click

from neat_delta.base.options import OUTPUT, SAFETY, SCOPE
from neat_delta.cli.common import OVERWRITE, bundle_options, catalogue_file, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.param_types import FILE
from neat_delta.cli.run_init import MOMENT

if TYPE_CHECKING:
    from datetime import datetime


HISTORY = option(
    OUTPUT,
    "--history",
    type=FILE,
    metavar="FILE",
    help="History file.  [default: the one of this user; set NEAT_DELTA_DATA for another folder]",
)


class HistorySelection(NamedTuple):
    """What of the history is wanted, as it is typed."""

    sku: str | None
    since: datetime | None
    until: datetime | None
    person: str | None
    field: str | None
    cells: bool
    exports: bool
    prune: bool


def selection_options(command: Any) -> Any:
    """Add the options of ``HistorySelection`` to a command, as ``selection``."""
    options = (
        option(
            SCOPE,
            "--sku",
            metavar="SKU",
            help="The past of this item, also if its SKU could be the number of an entry.",
        ),
        option(SCOPE, "--since", common=True, type=MOMENT, metavar="DATE", help="Only what was sent since then."),
        option(SCOPE, "--until", type=MOMENT, metavar="DATE", help="Only what was sent until then."),
        option(SCOPE, "--person", common=True, metavar="NAME", help="Only what this person made, approved or sent."),
        option(SCOPE, "--field", metavar="FIELD", help="Only changes of this field; every cell is listed."),
        option(SCOPE, "--cells", common=True, is_flag=True, help="List every cell that was sent, and by whom."),
        option(SCOPE, "--exports", is_flag=True, help="List the live exports that are kept."),
        option(
            SAFETY, "--prune", is_flag=True, help="Delete kept exports beyond the limits in [store] of catalogue.toml."
        ),
    )
    return bundle_options(HistorySelection, "selection", options, command)


@command(
    "history",
    "neat-delta history",
    "neat-delta history 1",
    "neat-delta history 000417",
    "neat-delta history --since 2026-11-01 --person Anna -o november.csv",
)
@click.argument("what", required=False, metavar="[NUMBER|SKU]")
@selection_options
@option(OUTPUT, "-o", "--out", common=True, type=FILE, metavar="FILE", help="Save the list as CSV, or as .json.")
@OVERWRITE
@HISTORY
@catalogue_file
@output_options
@done_in("history")
def history_command() -> None:
    """List what was sent: when, where, with what result. With a NUMBER: every row that the shop did not accept.

    With a SKU: when each field of the item changed, between which exports, and by which update. This is known from the
    live exports that commands have read; they are kept in a folder of this user ([store] in catalogue.toml).
    """

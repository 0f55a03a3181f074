"""neat-delta history."""

from __future__ import annotations

import click

from neat_delta.base.options import OUTPUT
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.param_types import FILE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.view_requests import HistoryRequest

HISTORY = option(
    OUTPUT,
    "--history",
    type=FILE,
    metavar="FILE",
    help="History file.  [default: the one of this user; set NEAT_DELTA_DATA for another folder]",
)


@command(
    "history",
    "neat-delta history",
    "neat-delta history 1",
    "neat-delta history 000417",
    "neat-delta history --since 2026-11-01 --person Anna -o november.csv",
)
@click.argument("what", required=False, metavar="[NUMBER|SKU]")
@request_options(HistoryRequest)
@HISTORY
@catalogue_file
@output_options
@done_in("history")
def history_command() -> None:
    """List what was sent: when, where, with what result. With a NUMBER: every row that the shop did not accept.

    With a SKU: when each field of the item changed, between which exports, and by which update. This is known from the
    live exports that commands have read; they are kept in a folder of this user ([store] in catalogue.toml).
    """

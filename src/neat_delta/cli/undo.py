"""neat-delta undo."""

from __future__ import annotations

import click

from neat_delta.base.options import OUTPUT
from neat_delta.cli.changeset_args import LIVE
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.history import HISTORY
from neat_delta.cli.param_types import CHANGES, FILE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import UndoRequest


@command(
    "undo",
    "neat-delta undo tuesday.changes.jsonl -o updates-back --fresh evening.csv",
    "neat-delta undo 1 -o updates-back --fresh evening.csv",
)
@click.argument("changes", type=CHANGES)
@option(
    OUTPUT,
    "-o",
    "--out",
    "folder",
    common=True,
    type=FILE,
    required=True,
    metavar="DIR",
    help="Folder for the undo files; new or empty.",
)
@LIVE
@request_options(UndoRequest)
@HISTORY
@catalogue_file
@output_options
@done_in("undo")
def undo_command() -> None:
    """Write the files that put things back, proved like any update.

    Without --fresh, they undo the whole update, as the files in its folder "undo" do. With --fresh, an export made now,
    they undo only what was applied and what nobody changed since.

    CHANGES is a saved change set, the folder of an update or, with --fresh, the number of a history entry.
    """

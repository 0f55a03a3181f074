"""neat-delta verify."""

from __future__ import annotations

import click

from neat_delta.base.options import DISPLAY
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.history import HISTORY
from neat_delta.cli.param_types import CHANGES, SOURCE, WholeNumber
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import VerifyRequest


@command(
    "verify",
    "neat-delta verify tuesday.changes.jsonl after.csv",
    "neat-delta verify 1 after.csv -o rest.changes.jsonl",
)
@click.argument("changes", type=CHANGES)
@click.argument("fresh", type=SOURCE)
@request_options(VerifyRequest)
@option(DISPLAY, "--limit", type=WholeNumber(1), default=20, show_default=True, metavar="N", help="Show at most N.")
@HISTORY
@catalogue_file
@output_options
@done_in("verify")
def verify_command() -> None:
    """After the import: check with a new export (FRESH) what arrived in the shop, and what did not.

    CHANGES is a change set, the folder of an update, or the number of a history entry. Values that the shop altered
    (rounded, trimmed, cut off) are named as such. Exit code 0 only if every change was applied.
    """

"""neat-delta check."""

from __future__ import annotations

import click

from neat_delta.base.options import DISPLAY
from neat_delta.cli.changeset_args import LIVE
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.param_types import CHANGES
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import CheckRequest


@command(
    "check",
    "neat-delta check tuesday.changes.jsonl",
    "neat-delta check tuesday.changes.jsonl --problems problems.xlsx",
)
@click.argument("changes", type=CHANGES)
@LIVE
@request_options(CheckRequest)
@option(DISPLAY, "--all", "everything", common=True, is_flag=True, help="Show every problem.")
@catalogue_file
@output_options
@done_in("check")
def check_command() -> None:
    """Run all checks on a saved change set again, with the settings as they are now.

    Writes nothing except the workbook, if you ask for one. "compare" and "write" run the same checks.
    """

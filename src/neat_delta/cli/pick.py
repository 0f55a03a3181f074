"""neat-delta pick."""

from __future__ import annotations

import click

from neat_delta.cli.approve import approval_options
from neat_delta.cli.changeset_args import LIVE
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import CHANGES
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import AcceptRequest


@command(
    "pick",
    "neat-delta pick tuesday.changes.jsonl --decisions tuesday.decisions.json -o accepted.changes.jsonl",
    "neat-delta pick tuesday.changes.jsonl --review review.xlsx -o accepted.changes.jsonl",
    "neat-delta pick tuesday.changes.jsonl --only price -o prices.changes.jsonl",
)
@click.argument("changes", type=CHANGES)
@request_options(AcceptRequest)
@approval_options(required=False)
@LIVE
@catalogue_file
@output_options
@done_in("pick")
def pick_command() -> None:
    """Accept a part of a change set: as decided in a page or a review workbook, or by field, condition or SKU.

    What is not accepted stays in the new change set as notes, with the comments. If you give several conditions, a
    change must meet all of them.
    """

"""neat-delta combine."""

from __future__ import annotations

import click

from neat_delta.cli.changeset_args import LIVE
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import CHANGES
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import CombineRequest


@command(
    "combine",
    "neat-delta combine tuesday.changes.jsonl supplier.changes.jsonl -o both.changes.jsonl",
    "neat-delta combine tuesday.changes.jsonl supplier.changes.jsonl -o both.changes.jsonl --conflicts conflicts.xlsx",
)
@click.argument("changes", type=CHANGES, nargs=-1, required=True, metavar="CHANGES…")
@LIVE
@request_options(CombineRequest)
@catalogue_file
@output_options
@done_in("combine")
def combine_command() -> None:
    """Combine change sets of one live export (CHANGES…) into one: two people have edited at once.

    The same value counts once. Where the files disagree about a cell, or one changes an item that another deletes, that
    is a conflict: an error, not sent, until --prefer or a marked workbook decides. All checks run on the whole again.
    """

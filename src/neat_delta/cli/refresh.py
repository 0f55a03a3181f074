"""neat-delta refresh."""

from __future__ import annotations

import click

from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import CHANGES, SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import RefreshRequest


@command(
    "refresh",
    "neat-delta refresh tuesday.changes.jsonl evening.csv -o evening.changes.jsonl",
    "neat-delta refresh tuesday.changes.jsonl evening.csv --on-conflict price=ours -o evening.changes.jsonl",
)
@click.argument("changes", type=CHANGES)
@click.argument("fresh", type=SOURCE)
@request_options(RefreshRequest)
@catalogue_file
@output_options
@done_in("refresh")
def refresh_command() -> None:
    """Bring a change set up to date with a newer export of the shop (FRESH).

    What the shop already has is dropped; what it has not changed stays. A cell changed on both sides is a conflict: an
    error, not sent, until --on-conflict or a marked workbook decides. Fields under difference in [refresh] of
    catalogue.toml are added up.
    """

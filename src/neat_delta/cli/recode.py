"""neat-delta recode."""

from __future__ import annotations

import click

from neat_delta.cli.changeset_output import display_options
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import RecodeRequest


@command(
    "recode",
    "neat-delta recode live.csv codes.csv",
    "neat-delta recode live.csv codes.csv --rename-images --write updates",
)
@click.argument("live", type=SOURCE)
@click.argument("codes", type=SOURCE)
@request_options(RecodeRequest)
@display_options
@catalogue_file
@output_options
@done_in("recode")
def recode_command() -> None:
    """Change SKUs of the LIVE catalogue, from a list of old and new SKUs (CODES).

    Fields that link to items follow. Unknown SKUs, SKUs in use, and duplicates are errors, found before anything is
    written. Swaps and chains are written in steps, so that no two items share a SKU at any time.
    """

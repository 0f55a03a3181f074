"""neat-delta adjust."""

from __future__ import annotations

import click

from neat_delta.cli.changeset_output import display_options
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import AdjustRequest


@command(
    "adjust",
    'neat-delta adjust live.csv --set "price = price * 1.05" --ending .95',
    'neat-delta adjust live.csv --set "stock_main = 0" --where "active = 0" -o stock.changes.jsonl',
)
@click.argument("live", type=SOURCE)
@request_options(AdjustRequest)
@display_options
@catalogue_file
@output_options
@done_in("adjust")
def adjust_command() -> None:
    """Change the LIVE catalogue by formula, without an edited file.

    A formula is "field = expression", in standard SQL over the fields. All formulas read the values as they were
    before. "field = NULL" empties a field.
    """

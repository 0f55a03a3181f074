"""neat-delta sheet."""

from __future__ import annotations

import click

from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import SheetRequest


@command(
    "sheet",
    "neat-delta sheet live.csv -o prices.xlsx --fields name,price,cost",
    "neat-delta sheet live.csv -o hives.xlsx --where \"category LIKE 'Hives%'\"",
)
@click.argument("export", type=SOURCE)
@request_options(SheetRequest)
@catalogue_file
@output_options
@done_in("sheet")
def sheet_command() -> None:
    """Make a sheet for editing from the live EXPORT: a workbook that a spreadsheet program cannot damage.

    SKUs stay text, numbers stay exact, choice fields have drop-down lists; locked fields are grey. Edit and save it,
    then compare it with the same export.
    """

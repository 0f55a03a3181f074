"""neat-delta inspect."""

from __future__ import annotations

import click

from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.view_requests import InspectRequest


@command(
    "inspect",
    "neat-delta inspect live.csv",
    "neat-delta inspect supplier.xlsx --worksheet Prices",
)
@click.argument("file", type=SOURCE)
@catalogue_file
@request_options(InspectRequest)
@output_options
@done_in("inspect")
def inspect_command() -> None:
    """Show what is in a table FILE: format, columns, types, possible keys, signs of damage.

    Delimited text, XLSX, ODS, JSON Lines, XML and Parquet, also packed; several files as one table; a table of a
    database; "-" is standard input. With a catalogue.toml, it also shows which columns have settings.
    """

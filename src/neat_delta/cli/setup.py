"""neat-delta setup."""

from __future__ import annotations

import click

from neat_delta.cli.common import machine_options, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.view_requests import SetupRequest


@command(
    "setup",
    "neat-delta setup live.csv",
)
@click.argument("export", type=SOURCE)
@request_options(SetupRequest)
@machine_options
@output_options
@done_in("setup")
def setup_command() -> None:
    """Draft catalogue.toml from the live EXPORT: key, fields, types, allowed values, locked fields.

    Run it again on a newer export to add missing fields; existing lines stay as they are.
    """

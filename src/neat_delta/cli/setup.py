"""neat-delta setup."""

from __future__ import annotations

from pathlib import Path

import click

from neat_delta.base.options import OUTPUT
from neat_delta.cli.common import machine_options, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.param_types import FILE, SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.option_groups import KeyOption, ReadingOptions


@command(
    "setup",
    "neat-delta setup live.csv",
)
@click.argument("export", type=SOURCE)
@option(
    OUTPUT,
    "-o",
    "--out",
    type=FILE,
    default=Path("catalogue.toml"),
    show_default=True,
    metavar="FILE",
    help="The settings file.",
)
@request_options(KeyOption)
@option(OUTPUT, "--yes", is_flag=True, help="Add missing fields to an existing file; nothing else changes.")
@request_options(ReadingOptions)
@machine_options
@output_options
@done_in("setup")
def setup_command() -> None:
    """Draft catalogue.toml from the live EXPORT: key, fields, types, allowed values, locked fields.

    Run it again on a newer export to add missing fields; existing lines stay as they are.
    """

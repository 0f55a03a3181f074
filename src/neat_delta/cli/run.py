"""neat-delta run."""

from __future__ import annotations

import click

from neat_delta.base.options import SAFETY
from neat_delta.cli.common import machine_options, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.param_types import FILE
from neat_delta.cli.run_init import init_options


@command(
    "run",
    "neat-delta run nightly.toml --validate",
    "neat-delta run nightly.toml --dry-run",
    "neat-delta run nightly.toml",
    "neat-delta run weekly.toml --init --live live.csv --edited edited.csv",
)
@click.argument("file", type=FILE, metavar="RUN.toml")
@option(SAFETY, "--dry-run", common=True, is_flag=True, help="Do everything except sending.")
@option(SAFETY, "--validate", is_flag=True, help="Only check the file and show its settings; nothing is fetched.")
@option(SAFETY, "--init", is_flag=True, help="Make the file: it asks, or takes the options under Output.")
@init_options
@machine_options
@output_options
@done_in("run")
def run_command() -> None:
    """Do the whole job unattended, as RUN.toml says: fetch, compare, check, write, send, verify.

    Each run has a folder with all its files and a summary (JSON, text, page, mail). Above the limits of the file,
    nothing is sent. Exit code 0: all is well; 1: something needs attention. Only one run of a file works at a time.
    """

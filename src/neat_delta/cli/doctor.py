"""neat-delta doctor."""

from __future__ import annotations

import click

from neat_delta.base.options import SAFETY
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.param_types import FILE


@command("doctor", "neat-delta doctor", "neat-delta doctor nightly.toml", "neat-delta doctor nightly.toml --offline")
@click.argument("file", type=FILE, required=False, metavar="[RUN.toml]")
@option(SAFETY, "--offline", common=True, is_flag=True, help="Ask no other machine.")
@catalogue_file
@output_options
@done_in("doctor")
def doctor_command() -> None:
    """Check this machine: versions, folders, disk, history, clock, secrets.

    With a run file also its settings, its files, the secrets of its addresses and, unless --offline, what it fetches
    and its destination. Nothing is changed or sent. Secrets are looked for, and never shown.
    """

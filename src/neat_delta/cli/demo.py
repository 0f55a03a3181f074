"""neat-delta demo."""

from __future__ import annotations

import click

from neat_delta.base.options import DISPLAY
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.param_types import FILE


@command("demo", "neat-delta demo", "neat-delta demo --step", "neat-delta demo --full practice")
@click.argument("folder", type=FILE, required=False, metavar="[DIR]")
@option(DISPLAY, "--step", common=True, is_flag=True, help="Wait for Enter before each command.")
@option(DISPLAY, "--full", common=True, is_flag=True, help="Go the whole way: supplier file, shop, nightly run.")
@done_in("demo")
def demo_command() -> None:
    """Take a short tour on demo data: compare, see what was caught, write with proof, undo.

    The files of Tansy & Tallow, a made-up beekeeping shop, are copied into DIR, a new folder (default:
    tansy-and-tallow). They stay there for you to try more.
    """

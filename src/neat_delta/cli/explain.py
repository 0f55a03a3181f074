"""neat-delta explain."""

from __future__ import annotations

import click

from neat_delta.cli.common import output_options
from neat_delta.cli.help import command, done_in


@command(
    "explain",
    'neat-delta explain "decimal slip"',
    "neat-delta explain largest_change",
)
@click.argument("name", nargs=-1)
@output_options
@done_in("explain")
def explain_command() -> None:
    """Explain a NAME on the screen: a check, row state, level, type, setting, exit code or error code.

    With an example, how to fix it, and how to let it through in one run. Without a NAME, all names are listed.
    """

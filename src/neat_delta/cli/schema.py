"""neat-delta schema."""

from __future__ import annotations

import click

from neat_delta.cli.common import output_options
from neat_delta.cli.help import command, done_in


@command(
    "schema", "neat-delta schema", "neat-delta schema envelope", "neat-delta schema change-set > change-set.schema.json"
)
@click.argument("name", required=False, metavar="[NAME]")
@output_options
@done_in("schema")
def schema_command() -> None:
    """Print the JSON Schema (2020-12) of an output or a file, for programs that read it.

    Without NAME, the schemas are listed.
    """

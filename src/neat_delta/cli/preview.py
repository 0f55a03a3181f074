"""neat-delta preview."""

from __future__ import annotations

import click

from neat_delta.cli.changeset_args import LIVE
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import CHANGES
from neat_delta.cli.preview_options import how_much_options
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.view_requests import PreviewRequest


@command(
    "preview",
    "neat-delta preview tuesday.changes.jsonl",
    "neat-delta preview tuesday.changes.jsonl --page review.html",
    "neat-delta preview tuesday.changes.jsonl --review review.xlsx",
)
@click.argument("changes", type=CHANGES)
@LIVE
@request_options(PreviewRequest)
@how_much_options
@catalogue_file
@output_options
@done_in("preview")
def preview_command() -> None:
    """Show a saved change set: in the terminal, as a page, as a workbook to mark, as charts.

    Nothing is sent or changed. To send only a part of it, mark the workbook and use "pick".
    """

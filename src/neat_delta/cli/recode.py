"""neat-delta recode."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from neat_delta.cli.changeset_output import DisplayChoice, Outcome, display_options, render_result
from neat_delta.cli.common import OutputOptions, catalogue_file, load_config, output_options, show_progress
from neat_delta.cli.help import command
from neat_delta.cli.param_types import SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import RecodeRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.locations import Location


@command(
    "recode",
    "neat-delta recode live.csv codes.csv",
    "neat-delta recode live.csv codes.csv --rename-images --write updates",
)
@click.argument("live", type=SOURCE)
@click.argument("codes", type=SOURCE)
@request_options(RecodeRequest)
@display_options
@catalogue_file
@output_options
def recode_command(
    live: Location, codes: Location, display: DisplayChoice, config: Path | None, output: OutputOptions, **options: Any
) -> int:
    """Change SKUs of the LIVE catalogue, from a list of old and new SKUs (CODES).

    Fields that link to items follow. Unknown SKUs, SKUs in use, and duplicates are errors, found before anything is
    written. Swaps and chains are written in steps, so that no two items share a SKU at any time.
    """
    from neat_delta.workflows.recode import recode

    request = RecodeRequest(live=live, codes=codes, settings=load_config(config), **options)
    with show_progress(output) as progress:
        recoded = recode(request, progress)

    def head(width: int) -> Iterator[Text]:
        from neat_delta.views.file_format import catalogue_view

        files = (("live", recoded.result.live, "item"), ("codes", recoded.codes, "row"))
        widest = max(len(table.source.name) for _, table, _ in files)
        for label, table, unit in files:
            yield from catalogue_view(label, table, unit, width, widest)

    outcome = Outcome(recoded.result, recoded.receipt, recoded.settings, request, display)
    return render_result(outcome, output, head)

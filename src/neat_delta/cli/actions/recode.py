"""What the command recode does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.cli.actions.changeset_output import Outcome, render_result
from neat_delta.cli.actions.screen import show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.views.file_format import catalogue_view
from neat_delta.workflows.recode import recode
from neat_delta.workflows.requests import RecodeRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.cli.changeset_output import DisplayChoice
    from neat_delta.locations import Location


def recode_command(
    live: Location, codes: Location, display: DisplayChoice, config: Path | None, output: OutputOptions, **options: Any
) -> int:
    """Change SKUs of the LIVE catalogue, from a list of old and new SKUs (CODES)."""
    request = RecodeRequest(live=live, codes=codes, settings=load_config(config), **options)
    with show_progress(output) as progress:
        recoded = recode(request, progress)

    def head(width: int) -> Iterator[Text]:

        files = (("live", recoded.result.live, "item"), ("codes", recoded.codes, "row"))
        widest = max(len(table.source.name) for _, table, _ in files)
        for label, table, unit in files:
            yield from catalogue_view(label, table, unit, width, widest)

    outcome = Outcome(recoded.result, recoded.receipt, recoded.settings, request, display)
    return render_result(outcome, output, head)

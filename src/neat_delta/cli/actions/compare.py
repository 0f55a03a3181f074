"""What the command compare does first: the reading of its files begins, while that which compares them is loaded."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.locations.prefetch import FilePrefetch
from neat_delta.workflows.requests import CompareRequest

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.cli.changeset_output import DisplayChoice
    from neat_delta.locations import Location


def compare_command(
    live: Location,
    edited: tuple[Location, ...],
    display: DisplayChoice,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Compare the LIVE export with the EDITED file: what changed, SKU by SKU."""
    request = CompareRequest(live=live, edited=edited, settings=load_config(config), **options)
    prefetch = FilePrefetch(live, edited[0])
    # (Only now, when the files are on their way.)
    from neat_delta.cli.actions.compare_files import compare_files

    return compare_files(request, display, output, prefetch)

"""What the command adjust does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.cli.actions.changeset_output import Outcome, render_result
from neat_delta.cli.actions.screen import show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.views.file_format import catalogue_view
from neat_delta.views.formatting import count, pluralize
from neat_delta.views.lines import sentence
from neat_delta.workflows.adjust import adjust
from neat_delta.workflows.requests import AdjustRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.cli.changeset_output import DisplayChoice
    from neat_delta.locations import Location
    from neat_delta.workflows.adjust import Adjusted


def adjust_command(
    live: Location, display: DisplayChoice, config: Path | None, output: OutputOptions, **options: Any
) -> int:
    """Change the LIVE catalogue by formula, without an edited file."""
    request = AdjustRequest(live=live, settings=load_config(config), **options)
    with show_progress(output) as progress:
        adjusted = adjust(request, progress)

    def head(width: int) -> Iterator[Text]:
        return _head(adjusted, request.where, width)

    outcome = Outcome(adjusted.result, adjusted.receipt, adjusted.settings, request, display)
    return render_result(outcome, output, head)


def _head(adjusted: Adjusted, where: str | None, width: int) -> Iterator[Text]:
    """The live export, which items were chosen, and the rules."""
    compared = adjusted.result
    yield from catalogue_view("live", compared.live, "item", width)
    chosen = f"{count(len(compared.edited))} of {pluralize(len(compared.live), 'item')}" + (
        f", where {where}" if where else ""
    )
    yield from sentence("selected", chosen, width)
    for at, rule in enumerate(adjusted.formulas):
        end = ""
        if rule.rounding is not None and not rule.empties:
            finish = rule.rounding
            end = f"   ({finish.function} {finish.amount}, {finish.way})"
        yield from sentence("" if at else "formulas", rule.text + end, width)
    unknown = adjusted.unknown
    if unknown:
        some = ", ".join(unknown[:10]) + (" …" if len(unknown) > 10 else "")
        yield from sentence("unknown", f"{pluralize(len(unknown), 'SKU')} not in the shop: {some}", width, "warning")

"""The options of preview: what is shown, and what is saved where."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import click

from neat_delta.base.options import DISPLAY, OUTPUT
from neat_delta.cli.common import OVERWRITE, bundle_options
from neat_delta.cli.help import option
from neat_delta.cli.param_types import FILE, SOURCE, WholeNumber

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.locations import Location


class PreviewOptions(NamedTuple):
    """What of a change set is shown, and what is saved where."""

    by: str
    item: tuple[str, ...]
    money: bool
    stock: bool
    quotes: Location | None
    quotes_csv: Path | None
    limit: int
    everything: bool
    page: Path | None
    review: Path | None
    review_by: str
    charts: Path | None
    overwrite: bool


def preview_options(command: Any) -> Any:
    """Add the options of ``PreviewOptions`` to a command, as ``options``."""
    options = (
        option(
            DISPLAY,
            "--by",
            default="item",
            metavar="WHAT",
            help="Group by item (default), field, category, brand, or the name of any field.",
        ),
        option(DISPLAY, "--item", multiple=True, metavar="SKU", help="Show one item, before and after. Repeatable."),
        option(DISPLAY, "--money", is_flag=True, help="Prices, costs, margins; prices needed to keep the margin."),
        option(DISPLAY, "--stock", is_flag=True, help="Units and value, up and down, by location."),
        option(
            DISPLAY,
            "--quotes",
            type=SOURCE,
            metavar="FILE",
            help="Open quotes or contract prices that the new costs affect.",
        ),
        option(OUTPUT, "--quotes-csv", type=FILE, metavar="FILE", help="Save the result of --quotes."),
        option(
            DISPLAY,
            "--limit",
            type=WholeNumber(1),
            default=20,
            show_default=True,
            metavar="N",
            help="Show at most N.",
        ),
        option(DISPLAY, "--all", "everything", common=True, is_flag=True, help="Show every change and every problem."),
        option(
            OUTPUT, "--page", common=True, type=FILE, metavar="FILE", help="Save a page for a browser (HTML, one file)."
        ),
        option(
            OUTPUT,
            "--review",
            common=True,
            type=FILE,
            metavar="FILE",
            help="Save a review workbook (accept or reject each row).",
        ),
        option(
            OUTPUT,
            "--review-by",
            type=click.Choice(["cell", "item"]),
            default="cell",
            show_default=True,
            help="One row of the review workbook per changed cell, or per item.",
        ),
        option(
            OUTPUT, "--charts", common=True, type=FILE, metavar="DIR", help="Save charts in this folder (PNG, SVG)."
        ),
        OVERWRITE,
    )
    return bundle_options(PreviewOptions, "options", options, command)

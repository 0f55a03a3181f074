"""How much of a preview is listed."""

from __future__ import annotations

from typing import Any, NamedTuple

from neat_delta.base.options import DISPLAY
from neat_delta.cli.common import bundle_options
from neat_delta.cli.help import option
from neat_delta.cli.param_types import WholeNumber


class HowMuch(NamedTuple):
    """How much of a preview is listed."""

    limit: int
    everything: bool


def how_much_options(command: Any) -> Any:
    """Add the options of ``HowMuch`` to a command, as ``how_much``."""
    options = (
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
    )
    return bundle_options(HowMuch, "how_much", options, command)

"""What commands that make a change set have in common: checks, the kept change set, the update, and what is said."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.base.options import DISPLAY
from neat_delta.cli.common import bundle_options
from neat_delta.cli.help import option

if TYPE_CHECKING:
    from collections.abc import Callable


STATE_CHOICES = ("changed", "unchanged", "new", "missing", "duplicate", "unreadable", "rejected")


F = TypeVar("F", bound="Callable[..., Any]")


class DisplayChoice(NamedTuple):
    """How much of a change set is shown."""

    everything: bool
    states: tuple[str, ...]


def display_options(command: F) -> F:
    """Add the options about how much is shown, as ``display``."""
    options = (
        option(DISPLAY, "--all", "everything", common=True, is_flag=True, help="Show every change and every problem."),
        option(
            DISPLAY,
            "--status",
            "states",
            multiple=True,
            type=click.Choice(STATE_CHOICES),
            help="List all rows with this status. Repeatable.",
        ),
    )
    return bundle_options(DisplayChoice, "display", options, command)

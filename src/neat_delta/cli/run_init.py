"""Making a run file: from options, and from answers where somebody is there to be asked."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.base.options import OUTPUT
from neat_delta.cli.common import OVERWRITE, bundle_options
from neat_delta.cli.help import option

if TYPE_CHECKING:
    from collections.abc import Callable


F = TypeVar("F", bound="Callable[..., Any]")


MOMENT = click.DateTime(["%Y-%m-%d", "%Y-%m-%d %H:%M", "%Y-%m-%dT%H:%M", "%Y-%m-%dT%H:%M:%S", "%Y-%m-%dT%H:%M:%S%z"])


class NewRunOptions(NamedTuple):
    """What a new run file shall say."""

    live: str | None
    edited: tuple[str, ...]
    changes: str | None
    profile: str | None
    formulas: tuple[str, ...]
    to: str | None
    fresh: str | None
    mail_from: str | None
    mail_to: tuple[str, ...]
    overwrite: bool

    @property
    def is_given(self) -> bool:
        """Whether any of them is given."""
        return any(self)


def init_options(decorated: F) -> F:
    """Add the options of ``NewRunOptions`` to a command, as ``new``."""
    options = (
        option(OUTPUT, "--live", metavar="FILE", help="With --init: the live export, a file or an address."),
        option(
            OUTPUT, "--edited", multiple=True, metavar="FILE", help="With --init: the edited file. Repeat for several."
        ),
        option(OUTPUT, "--changes", metavar="FILE", help="With --init: a saved change set instead."),
        option(OUTPUT, "--profile", metavar="NAME", help="With --init: the supplier profile."),
        option(OUTPUT, "--set", "formulas", multiple=True, metavar="FORMULA", help="With --init: a formula."),
        option(OUTPUT, "--to", metavar="DESTINATION", help="With --init: where the update goes."),
        option(OUTPUT, "--fresh", metavar="FILE", help="With --init: the export after the import."),
        option(OUTPUT, "--mail-from", metavar="ADDRESS", help="With --init: the sender of the summary."),
        option(OUTPUT, "--mail-to", multiple=True, metavar="ADDRESS", help="With --init: a receiver. Repeatable."),
        OVERWRITE,
    )
    return bundle_options(NewRunOptions, "new", options, decorated)

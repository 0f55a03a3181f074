"""The live export that a saved change set was made from, as an option."""

from __future__ import annotations

from neat_delta.base.options import SCOPE
from neat_delta.cli.help import option
from neat_delta.cli.param_types import SOURCE

LIVE = option(
    SCOPE,
    "--live",
    type=SOURCE,
    metavar="FILE",
    help="The live export, if it is not next to CHANGES or in this folder.",
)

"""neat-delta approve."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.base.options import OUTPUT, SAFETY
from neat_delta.cli.common import OVERWRITE, bundle_options, catalogue_file, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.param_types import FILE, WholeNumber

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path


F = TypeVar("F", bound="Callable[..., Any]")


class ApprovalOptions(NamedTuple):
    """By whom and with what words a change set is approved."""

    by: str | None
    note: str
    ssh_key: Path | None


def approval_options(*, required: bool) -> Callable[[F], F]:
    """Add the options of ``ApprovalOptions`` to a command, as ``approved``."""
    who = "Your name." if required else "Approve what is accepted, under this name (see neat-delta approve)."
    options = (
        option(SAFETY, "--by", common=True, required=required, metavar="NAME", help=who),
        option(SAFETY, "--note", common=True, default="", metavar="TEXT", help="What you want to say about it."),
        option(
            SAFETY,
            "--ssh-key",
            type=FILE,
            metavar="FILE",
            help="Sign with this SSH key instead of the team's secret.",
        ),
    )
    return lambda decorated: bundle_options(ApprovalOptions, "approved", options, decorated)


@command(
    "approve",
    "neat-delta approve tuesday.changes.jsonl --by Anna",
    'neat-delta approve tuesday.changes.jsonl --by Anna --note "prices agreed with Bo"',
)
@click.argument("changes", type=FILE)
@approval_options(required=True)
@option(SAFETY, "--days", type=WholeNumber(1), metavar="N", help="Days for which it may be used.  [default: 14]")
@option(OUTPUT, "-o", "--out", type=FILE, metavar="FILE", help="The approval's file.  [default: next to CHANGES]")
@OVERWRITE
@catalogue_file
@output_options
@done_in("approve")
def approve_command() -> None:
    """Approve a change set: sign what it changes, so that just this may be written and sent.

    CHANGES is a saved change set, or the folder of a written update. The secret of the team is in the variable
    NEAT_DELTA_APPROVAL_SECRET, or in the keyring as approval-secret of neat-delta. With approval = "other" in [send] of
    catalogue.toml, "write", "send" and "run" refuse what nobody else than its maker has approved, or what was changed
    afterwards.
    """

"""neat-delta write."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import click

from neat_delta.base.errors import InvalidOption
from neat_delta.base.options import OUTPUT, SCOPE
from neat_delta.cli.changeset_args import LIVE
from neat_delta.cli.common import bundle_options, catalogue_file, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.param_types import CHANGES, FILE
from neat_delta.cli.request_options import request_options
from neat_delta.cli.run_init import MOMENT
from neat_delta.workflows.requests import WriteRequest

if TYPE_CHECKING:
    from datetime import datetime


class CampaignOptions(NamedTuple):
    """From when until when changes hold, where they go, and where a new export is."""

    begins: datetime | None
    ends: datetime | None
    to: str | None
    fresh: str | None

    def times(self) -> tuple[datetime, datetime] | None:
        """From when until when a campaign goes; ``None`` if it is none.

        Raises:
            InvalidOption: one of them is missing, or it ends before it starts.
        """
        if self.begins is None or self.ends is None:
            if any(self):
                raise InvalidOption("a campaign needs both times", hint="Give --from TIME and --until TIME.")
            return None
        begins, ends = (time.astimezone().replace(microsecond=0) for time in (self.begins, self.ends))
        if ends <= begins:
            raise InvalidOption("a campaign must end after it starts", option="until", value=f"{ends:%Y-%m-%d %H:%M}")
        return begins, ends


def campaign_options(command: Any) -> Any:
    """Add the options of ``CampaignOptions`` to a command, as ``campaign``."""
    options = (
        option(
            SCOPE,
            "--from",
            "begins",
            type=MOMENT,
            metavar="TIME",
            help="A campaign: also make the run file that sends it at this time (2026-12-01, 2026-12-01T06:00), local "
            "time.",
        ),
        option(
            SCOPE,
            "--until",
            "ends",
            type=MOMENT,
            metavar="TIME",
            help="When the campaign ends: the run puts back what still is as it was sent.",
        ),
        option(OUTPUT, "--to", metavar="DESTINATION", help="With --from and --until: where the update goes."),
        option(OUTPUT, "--fresh", metavar="FILE", help="With --from and --until: where a new export of the shop is."),
    )
    return bundle_options(CampaignOptions, "campaign", options, command)


@command(
    "write",
    "neat-delta write tuesday.changes.jsonl -o updates",
    "neat-delta write tuesday.changes.jsonl -o updates --pack one-file",
)
@click.argument("changes", type=CHANGES)
@option(
    OUTPUT,
    "-o",
    "--out",
    "folder",
    common=True,
    type=FILE,
    required=True,
    metavar="DIR",
    help="Folder for the update files; new or empty.",
)
@campaign_options
@LIVE
@request_options(WriteRequest)
@catalogue_file
@output_options
@done_in("write")
def write_command() -> None:
    """Write the update files of a change set, proved, with undo files and a receipt.

    It needs the live export that the change set was made from, and no other. All checks run again; errors are not
    written, the rest is.

    With --from and --until it is a campaign: next to DIR is a run file then, with which "run" sends the update at the
    first time, and at the second one puts back what still is as it was sent.
    """

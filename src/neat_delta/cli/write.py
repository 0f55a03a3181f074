"""neat-delta write."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import click

from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.base.options import OUTPUT, SCOPE
from neat_delta.cli.changeset_args import LIVE
from neat_delta.cli.changeset_output import refused, say_what_needs_attention
from neat_delta.cli.common import (
    OutputOptions,
    bundle_options,
    catalogue_file,
    console,
    load_config,
    output_options,
    show,
    show_progress,
)
from neat_delta.cli.envelope import show_json
from neat_delta.cli.help import command, option
from neat_delta.cli.param_types import CHANGES, FILE
from neat_delta.cli.request_options import request_options
from neat_delta.cli.run_init import MOMENT, beside, save_run_file
from neat_delta.workflows.requests import WriteRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from datetime import datetime
    from pathlib import Path

    from rich.text import Text

    from neat_delta.locations import Location
    from neat_delta.workflows.write import Written


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
def write_command(
    changes: Location,
    folder: Path,
    campaign: CampaignOptions,
    live: Location | None,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Write the update files of a change set, proved, with undo files and a receipt.

    It needs the live export that the change set was made from, and no other. All checks run again; errors are not
    written, the rest is.

    With --from and --until it is a campaign: next to DIR is a run file then, with which "run" sends the update at the
    first time, and at the second one puts back what still is as it was sent.
    """
    from neat_delta.files.output_paths import check_outputs
    from neat_delta.update.receipt import CHANGESET_FILE
    from neat_delta.workflows.scheduled.run_file import NewRun
    from neat_delta.workflows.write import write

    settings = load_config(config)
    request = WriteRequest(changes=changes, live=live, folder=folder, settings=settings, **options)
    times = campaign.times()
    run_path = folder.with_name(folder.name + ".toml")
    if times is not None:
        check_outputs(run_path, replace=request.overwrite)
    with show_progress(output) as progress:
        written = write(request, progress)
        if times is not None and written.receipt is not None:
            export, to, fresh = (
                beside(name, run_path)
                for name in (campaign.fresh or str(live or written.live.source.path), campaign.to, campaign.fresh)
            )
            update = f"{folder.name}/{CHANGESET_FILE}"
            known = NewRun(export, changes=update, to=to, fresh=fresh, begins=times[0], ends=times[1])
            save_run_file(run_path, known, overwrite=request.overwrite)
    blocked = written.changes.blocking_count()
    if request.strict and blocked:
        return refused(blocked)
    run_file = run_path if times is not None and written.receipt is not None else None
    if output.as_json:
        show_json(
            {"files": []} if written.receipt is None else written.receipt.as_dict(),
            written.changes,
            _next_commands(written, changes, run_file),
        )
    elif output.quiet:
        say_what_needs_attention(written.changes)
    else:
        show(_view(written, folder, changes, run_file, console(output).width), output)
    return Exit.ATTENTION if written.changes.needs_attention else Exit.DONE


def _view(written: Written, folder: Path, changes: Location, campaign: Path | None, width: int) -> Iterator[Text]:
    from neat_delta.views.lines import labelled
    from neat_delta.views.update import next_view, nothing_view, update_view
    from neat_delta.views.verdict import changes_verdict, next_command, other_export, verdict_view

    if written.receipt is None:
        yield nothing_view(folder)
    else:
        yield from update_view(written.receipt, written.live.source.name, width)
    if campaign is not None:
        yield labelled("saved", f"the campaign's run file, in {campaign}")
    yield from verdict_view([*changes_verdict(written.changes), *other_export(written.live)], width)
    label = "next"
    for words in _next_commands(written, changes, campaign):
        yield from next_command(words, width, label)
        if campaign is not None and label == "next":
            yield labelled("", "(then by a schedule, each quarter of an hour: it does what is due)")
        label = "or"
    if campaign is None and written.receipt is not None:
        yield from next_view(written.receipt, width, label)


def _next_commands(written: Written, changes: Location, campaign: Path | None) -> list[list[str]]:
    """What shows the errors that were not written, if there are any; and what checks the run file of a campaign."""
    from neat_delta.base.shell import free_name

    run = [] if campaign is None else [["neat-delta", "run", str(campaign), "--validate"]]
    if not written.changes.blocking_count():
        return run
    return [*run, ["neat-delta", "check", str(changes), "--problems", free_name("problems.xlsx")]]

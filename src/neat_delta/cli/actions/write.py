"""What the command write does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.base.shell import free_name
from neat_delta.cli.actions.changeset_output import refused, render_changes
from neat_delta.cli.actions.run_init import beside, save_run_file
from neat_delta.cli.actions.screen import show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.files.output_paths import check_outputs
from neat_delta.update.receipt import CHANGESET_FILE
from neat_delta.views.lines import labelled
from neat_delta.views.update import next_view, nothing_view, update_view
from neat_delta.views.verdict import changes_verdict, next_command, other_export, verdict_view
from neat_delta.workflows.requests import WriteRequest
from neat_delta.workflows.scheduled.run_file import NewRun
from neat_delta.workflows.write import write

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.cli.write import CampaignOptions
    from neat_delta.locations import Location
    from neat_delta.workflows.write import Written


def write_command(
    changes: Location,
    folder: Path,
    campaign: CampaignOptions,
    live: Location | None,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Write the update files of a change set, proved, with undo files and a receipt."""
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
            new_run = NewRun(export, changes=update, to=to, fresh=fresh, begins=times[0], ends=times[1])
            save_run_file(run_path, new_run, overwrite=request.overwrite)
    blocked = written.changes.blocking_count()
    if request.strict and blocked:
        return refused(blocked)
    run_file = run_path if times is not None and written.receipt is not None else None
    return render_changes(
        written.changes,
        output,
        lambda: {"files": []} if written.receipt is None else written.receipt.as_dict(),
        lambda width: _view(written, folder, changes, run_file, width),
        _next_commands(written, changes, run_file),
    )


def _view(written: Written, folder: Path, changes: Location, campaign: Path | None, width: int) -> Iterator[Text]:

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
    run = [] if campaign is None else [["neat-delta", "run", str(campaign), "--validate"]]
    if not written.changes.blocking_count():
        return run
    return [*run, ["neat-delta", "check", str(changes), "--problems", free_name("problems.xlsx")]]

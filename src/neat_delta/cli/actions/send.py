"""What the command send does."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Any

import click

from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config, print_error
from neat_delta.cli.envelope import show_json
from neat_delta.delivery.answers import needs_attention
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.output_paths import check_outputs
from neat_delta.update.delimited import report_csv
from neat_delta.views.delivery import plan_view, results_of, sent_view, verify_command
from neat_delta.workflows.history import entry_as_dict, history_in
from neat_delta.workflows.requests import SendRequest
from neat_delta.workflows.send import ready, send

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.cli.send import AskingOptions
    from neat_delta.locations import Place
    from neat_delta.workflows.send import Sending


def send_command(
    folder: Path,
    place: Place | None,
    asking: AskingOptions,
    history: Path | None,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Send a written update (DIR) to the shop, file by file in the right order."""
    kept, import_report, overwrite = history_in(history), asking.import_report, asking.overwrite
    request = SendRequest(folder=folder, to=place, settings=load_config(config), history=kept.path, **options)
    sending = ready(request)
    check_outputs(import_report, replace=overwrite)
    if import_report is not None and import_report.resolve() == kept.path.resolve():
        raise InvalidOption("this is the history file", option="import_report", hint="Choose another name.")
    if asking.dry_run:
        return _show_plan(sending, output)
    if _is_asked(output, yes=asking.yes):
        show(_plan_view(sending, console(output).width), output)
        click.confirm("  Send these files now?", abort=True, err=True)
    with show_progress(output) as progress:
        entry = send(sending, progress)
    answers = results_of(entry)
    if import_report is not None:
        write_atomic(import_report, report_csv(answers), replace=overwrite)
    wrong = needs_attention(entry)
    if output.as_json:
        show_json(entry_as_dict(entry), next_commands=[verify_command(entry, history)])
    elif not output.quiet:
        show(sent_view(entry, import_report, history, console(output).width), output)
    elif wrong:
        print_error(f"{wrong}; see neat-delta history {entry.entry}")
    return Exit.ATTENTION if wrong else Exit.DONE


def _is_asked(output: OutputOptions, *, yes: bool) -> bool:
    """Whether a person is there to be asked, and wants to be."""
    return not (yes or output.as_json or output.quiet) and sys.stdin.isatty() and sys.stdout.isatty()


def _show_plan(sending: Sending, output: OutputOptions) -> Exit:
    """What would be sent; it needs attention if other updates have sent some of it since."""
    sent_since, update = sending.sent_since(), sending.update
    if output.as_json:
        files = [{"file": file.name, "action": file.action, "rows": file.rows} for file in update.receipt.files]
        made = update.receipt.live_made
        show_json(
            {
                "to": sending.place,
                "files": files,
                "export": update.receipt.live_name,
                "export_made": made.isoformat() if made else None,
                "sent_since": sent_since.to_dicts(),
            }
        )
    elif not output.quiet:
        show(_plan_view(sending, console(output).width), output)
    return Exit.ATTENTION if len(sent_since) else Exit.DONE


def _plan_view(sending: Sending, width: int) -> Iterator[Text]:

    yield from plan_view(sending.update, sending.place, sending.sent_since(), width)

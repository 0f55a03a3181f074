"""neat-delta send."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.cli.changeset_args import AS_OF
from neat_delta.cli.common import (
    OVERWRITE,
    OutputOptions,
    catalogue_file,
    console,
    load_config,
    output_options,
    print_error,
    show,
    show_progress,
)
from neat_delta.cli.envelope import show_json
from neat_delta.cli.help import OUTPUT, SAFETY, command, option
from neat_delta.cli.history import HISTORY, history_in
from neat_delta.cli.param_types import FILE, PLACE

if TYPE_CHECKING:
    from collections.abc import Iterator
    from datetime import datetime
    from pathlib import Path

    from rich.text import Text

    from neat_delta.delivery.history import History
    from neat_delta.delivery.send import Update
    from neat_delta.locations import Place


@command(
    "send",
    "neat-delta send updates --to ftps://shop.example/import",
    "neat-delta send updates --to https://shop.example/api --import-report report.csv",
)
@click.argument("folder", type=FILE, metavar="DIR")
@option(
    OUTPUT,
    "--to",
    "place",
    common=True,
    type=PLACE,
    required=True,
    metavar="DESTINATION",
    help="A folder, also on a file server (ftp, ftps, sftp, webdav) or in an object store (s3); the http(s) "
    "address of the shop's interface; or a table of a database.",
)
@option(SAFETY, "--resume", common=True, is_flag=True, help="Resume an interrupted transfer.")
@option(SAFETY, "--dry-run", is_flag=True, help="Show what would be sent, and send nothing.")
@option(SAFETY, "-y", "--yes", is_flag=True, help="Do not ask before sending; without a terminal nobody is asked.")
@option(
    SAFETY,
    "--overwrite-sent",
    is_flag=True,
    help="Send also cells that another update has sent since this one's export.",
)
@option(OUTPUT, "--import-report", common=True, type=FILE, metavar="FILE", help="Save the shop's import report (CSV).")
@OVERWRITE
@AS_OF
@HISTORY
@catalogue_file
@output_options
def send_command(
    folder: Path,
    place: Place,
    resume: bool,
    dry_run: bool,
    yes: bool,
    overwrite_sent: bool,
    import_report: Path | None,
    overwrite: bool,
    as_of: datetime | None,
    history: Path | None,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Send a written update (DIR) to the shop, file by file in the right order.

    On a terminal it shows the files and asks once. It stops at the first file that the shop rejects. The history makes
    sure that nothing is sent twice, and that no value which another update has sent meanwhile is overwritten unseen.
    Passwords and tokens come from variables such as NEAT_DELTA_TOKEN_SHOP_EXAMPLE for shop.example, or from the
    system's keyring.
    """
    from neat_delta.delivery.answers import needs_attention
    from neat_delta.delivery.destinations import destination_of
    from neat_delta.delivery.send import load_update, require_approved, send
    from neat_delta.files.atomic_write import write_atomic
    from neat_delta.files.output_paths import check_outputs
    from neat_delta.reconcile.refresh import require_fresh
    from neat_delta.update.delimited import report_csv
    from neat_delta.views.delivery import results_of, sent_view, verify_command

    update, kept, settings = load_update(folder), history_in(history), load_config(config)
    check_outputs(import_report, replace=overwrite)
    if import_report is not None and import_report.resolve() == kept.path.resolve():
        raise InvalidOption("this is the history file", option="import_report", hint="Choose another name.")
    if not resume:
        require_fresh(as_of or update.receipt.live_made, update.receipt.live_name, settings)
    require_approved(update, settings)
    destination = destination_of(place)
    if dry_run:
        return _show_plan(update, destination.name, kept, output)
    if _is_asked(output, yes=yes):
        show(_plan_view(update, destination.name, kept, console(output).width), output)
        click.confirm("  Send these files now?", abort=True, err=True)
    with show_progress(output) as progress:
        entry = send(
            update,
            destination_of(place, progress.step),
            kept,
            resume=resume,
            overwrite_sent=overwrite_sent,
            progress=progress,
        )
    result = results_of(entry)
    if import_report is not None:
        write_atomic(import_report, report_csv(result), replace=overwrite)
    wrong = needs_attention(entry)
    if output.as_json:
        from neat_delta.cli.history import entry_as_dict

        show_json(entry_as_dict(entry), next_commands=[verify_command(entry, history)])
    elif not output.quiet:
        show(sent_view(entry, import_report, history, console(output).width), output)
    elif wrong:
        print_error(f"{wrong}; see neat-delta history {entry.entry}")
    return Exit.ATTENTION if wrong else Exit.DONE


def _is_asked(output: OutputOptions, *, yes: bool) -> bool:
    """Whether a person is there to be asked, and wants to be."""
    import sys

    return not (yes or output.as_json or output.quiet) and sys.stdin.isatty() and sys.stdout.isatty()


def _show_plan(update: Update, place: str, history: History, output: OutputOptions) -> Exit:
    """What would be sent; it needs attention if other updates have sent some of it since."""
    from neat_delta.delivery.sent_since import sent_since

    found = sent_since(update, place, history)
    if output.as_json:
        files = [{"file": file.name, "action": file.action, "rows": file.rows} for file in update.receipt.files]
        made = update.receipt.live_made
        show_json(
            {
                "to": place,
                "files": files,
                "export": update.receipt.live_name,
                "export_made": made.isoformat() if made else None,
                "sent_since": found.to_dicts(),
            }
        )
    elif not output.quiet:
        show(_plan_view(update, place, history, console(output).width), output)
    return Exit.ATTENTION if len(found) else Exit.DONE


def _plan_view(update: Update, place: str, history: History, width: int) -> Iterator[Text]:
    from neat_delta.delivery.sent_since import sent_since
    from neat_delta.views.delivery import plan_view

    yield from plan_view(update, place, sent_since(update, place, history), width)

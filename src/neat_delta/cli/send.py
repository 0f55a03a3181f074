"""neat-delta send."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_args import AS_OF
from neat_delta.cli.common import (
    FILE,
    OVERWRITE,
    SOURCE,
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
from neat_delta.exit_codes import Exit

if TYPE_CHECKING:
    from datetime import datetime
    from pathlib import Path

    from neat_delta.remote import Location


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
    type=SOURCE,
    required=True,
    metavar="DESTINATION",
    help="A folder; a folder on a file server (ftp, ftps, sftp); or the http(s) address of the shop's interface.",
)
@option(SAFETY, "--resume", common=True, is_flag=True, help="Resume an interrupted transfer.")
@option(OUTPUT, "--import-report", common=True, type=FILE, metavar="FILE", help="Save the shop's import report (CSV).")
@OVERWRITE
@AS_OF
@HISTORY
@catalogue_file
@output_options
def send_command(
    folder: Path,
    place: Location,
    resume: bool,
    import_report: Path | None,
    overwrite: bool,
    as_of: datetime | None,
    history: Path | None,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Send a written update (DIR) to the shop, file by file in the right order.

    It stops at the first file that the shop rejects. The history makes sure that nothing is sent twice. Passwords and
    tokens come from variables such as NEAT_DELTA_TOKEN_SHOP_EXAMPLE for shop.example, or from the system's keyring.
    """
    from neat_delta.atomic_write import write_atomic
    from neat_delta.delivery.destinations import destination_of
    from neat_delta.delivery.send import load_update, send
    from neat_delta.output_paths import check_outputs
    from neat_delta.reconcile.refresh import require_fresh
    from neat_delta.update.delimited import report_csv
    from neat_delta.views.delivery import results_of, sent_view, verify_command

    update = load_update(folder)
    check_outputs(import_report, replace=overwrite)
    if not resume:
        require_fresh(as_of or update.receipt.live_made, update.receipt.live_name, load_config(config))
    with show_progress(output) as progress:
        entry = send(
            update, destination_of(place, progress.step), history_in(history), resume=resume, progress=progress
        )
    result = results_of(entry)
    if import_report is not None:
        write_atomic(import_report, report_csv(result), replace=overwrite)
    bad = int(result["result"].is_in(["failed", "skipped"]).sum())
    if output.as_json:
        from neat_delta.cli.history import entry_as_dict

        show_json(entry_as_dict(entry), next_commands=[verify_command(entry, history)])
    elif not output.quiet:
        show(sent_view(entry, import_report, history, console(output).width), output)
    elif bad:
        print_error(f"{bad} rows were not accepted; see neat-delta history {entry.entry}")
    return Exit.ATTENTION if bad else Exit.DONE

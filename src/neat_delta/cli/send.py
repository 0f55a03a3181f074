"""neat-delta send."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_args import AS_OF
from neat_delta.cli.common import (
    FILE,
    REPLACE,
    SOURCE,
    OutputOptions,
    catalogue_file,
    console,
    load_config,
    output_options,
    print_error,
    show,
    show_json,
    show_progress,
)
from neat_delta.cli.exits import Exit
from neat_delta.cli.journal import JOURNAL, journal_in

if TYPE_CHECKING:
    from datetime import datetime
    from pathlib import Path

    from neat_delta.remote import Location


@click.command("send")
@click.argument("folder", type=FILE, metavar="DIR")
@click.option(
    "--to",
    "place",
    type=SOURCE,
    required=True,
    metavar="PLACE",
    help="A folder; a folder on a file server (ftp, ftps, sftp); or the http(s) address of the shop's interface.",
)
@click.option("--resume", is_flag=True, help="Go on with a sending that was cut off.")
@click.option("--results", type=FILE, metavar="FILE", help="Put the shop's result list into this file (CSV).")
@REPLACE
@AS_OF
@JOURNAL
@catalogue_file
@output_options
def send_command(
    folder: Path,
    place: Location,
    resume: bool,
    results: Path | None,
    replace: bool,
    as_of: datetime | None,
    journal: Path | None,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Send a written update to the shop: its files in their order, each after the one before was taken.

    It stops at the first file that is refused. The journal knows what has gone, so that nothing goes twice; a sending
    that was cut off goes on with --resume. Passwords and tokens come from variables such as
    NEAT_DELTA_TOKEN_SHOP_EXAMPLE for shop.example, or from the system's keyring.
    """
    from neat_delta.atomic_write import write_atomic
    from neat_delta.delivery.destinations import destination_of
    from neat_delta.delivery.send import load_update, send
    from neat_delta.output_paths import check_outputs
    from neat_delta.reconcile.refresh import require_fresh
    from neat_delta.update.delimited import report_csv
    from neat_delta.views.delivery import results_of, sent_view

    update = load_update(folder)
    check_outputs(results, replace=replace)
    if not resume:
        require_fresh(as_of or update.receipt.live_made, update.receipt.live_name, load_config(config))
    with show_progress(output) as progress:
        entry = send(
            update, destination_of(place, progress.step), journal_in(journal), resume=resume, progress=progress
        )
    result = results_of(entry)
    if results is not None:
        write_atomic(results, report_csv(result), replace=replace)
    bad = int(result["result"].is_in(["failed", "skipped"]).sum())
    if output.as_json:
        from neat_delta.cli.journal import entry_as_dict

        show_json(entry_as_dict(entry))
    elif not output.quiet:
        show(sent_view(entry, results, journal, console(output).width), output)
    elif bad:
        print_error(f"{bad} rows were not taken; see them with: neat-delta journal {entry.entry}")
    return Exit.ATTENTION if bad else Exit.DONE

"""neat-delta run."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.common import (
    FILE,
    OutputOptions,
    console,
    machine_options,
    output_options,
    print_error,
    show,
    show_progress,
)
from neat_delta.cli.envelope import show_json
from neat_delta.cli.help import SAFETY, command, option

if TYPE_CHECKING:
    from pathlib import Path


@command(
    "run",
    "neat-delta run nightly.toml --dry-run",
    "neat-delta run nightly.toml",
)
@click.argument("file", type=FILE, metavar="RUN.toml")
@option(SAFETY, "--dry-run", common=True, is_flag=True, help="Do everything except sending.")
@machine_options
@output_options
def run_command(file: Path, dry_run: bool, output: OutputOptions) -> int:
    """Do the whole job unattended, as RUN.toml says: fetch, compare, check, write, send, verify.

    Each run has a folder with all its files and a summary (JSON, text, page, mail). Above the limits of the file,
    nothing is sent. Exit code 0: all is well; 1: something needs attention. Only one run of a file works at a time.
    """
    from neat_delta.atomic_write import write_atomic
    from neat_delta.views.summary import summaries, summary_view
    from neat_delta.workflows.scheduled.run import run
    from neat_delta.workflows.scheduled.run_config import load_run
    from neat_delta.workflows.scheduled.run_lock import exclusive_run

    result = load_run(file)
    with show_progress(output) as progress, exclusive_run(result) as report:
        try:
            run(result, report, progress, sending=not dry_run)
        finally:
            # Even a fault of ours leaves a summary that says so.
            for name, data in summaries(report, result.mail).items():
                write_atomic(report.folder / name, data)
    if output.as_json:
        show_json(report.as_dict())
    elif not output.quiet:
        show(summary_view(report, console(output).width), output)
    elif report.exit_code:
        print_error(f"{report.verdict}; see {report.folder / 'summary.txt'}")
    return report.exit_code

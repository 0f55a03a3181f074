"""neat-delta run."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.common import (
    FILE,
    OutputOptions,
    console,
    output_options,
    print_error,
    show,
    show_json,
    show_progress,
)

if TYPE_CHECKING:
    from pathlib import Path


@click.command("run")
@click.argument("file", type=FILE, metavar="RUN.toml")
@click.option("--no-send", is_flag=True, help="Go as far as the written update and send nothing, to try the file.")
@output_options
def run_command(file: Path, no_send: bool, output: OutputOptions) -> int:
    """Go the whole way without a person, as RUN.toml says: fetch, compare, check, write, send, settle; for schedules.

    Each run has a folder of its own with all its files, and a summary as JSON, text, page and, if the file says to
    whom, a mail. Nothing is asked; above the file's limits nothing is sent. The exit code is 0 if all is well, 1 if a
    person is needed, 2 if nothing could be done. Only one run of a file is at work at a time.
    """
    from neat_delta.atomic_write import write_atomic
    from neat_delta.views.summary import summaries, summary_view
    from neat_delta.workflows.scheduled.run import run
    from neat_delta.workflows.scheduled.run_config import load_run
    from neat_delta.workflows.scheduled.run_lock import exclusive_run

    result = load_run(file)
    with show_progress(output) as progress, exclusive_run(result) as report:
        try:
            run(result, report, progress, sending=not no_send)
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

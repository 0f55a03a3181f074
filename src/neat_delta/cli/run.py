"""neat-delta run."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

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
from neat_delta.exit_codes import Exit

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.workflows.scheduled.run_config import RunConfig


@command(
    "run",
    "neat-delta run nightly.toml --validate",
    "neat-delta run nightly.toml --dry-run",
    "neat-delta run nightly.toml",
)
@click.argument("file", type=FILE, metavar="RUN.toml")
@option(SAFETY, "--dry-run", common=True, is_flag=True, help="Do everything except sending.")
@option(SAFETY, "--validate", is_flag=True, help="Only check the file and show its settings; nothing is fetched.")
@machine_options
@output_options
def run_command(file: Path, dry_run: bool, validate: bool, output: OutputOptions) -> int:
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
    if validate:
        return _validated(result, output)
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


def _validated(config: RunConfig, output: OutputOptions) -> Exit:
    """The settings of a run as they hold, and what is wrong with them as far as this machine can tell."""
    from neat_delta.workflows.scheduled.validate import effective, mistakes_of

    settings, mistakes = effective(config), mistakes_of(config)
    words = ["neat-delta", "run", str(config.path), "--dry-run"]
    if output.as_json:
        show_json({"settings": settings, "mistakes": mistakes}, next_commands=[] if mistakes else [words])
    else:
        if not output.quiet:
            show(_settings_view(settings, console(output).width), output)
        for mistake in mistakes:
            print_error(mistake)
        if not (output.quiet or mistakes):
            show(_good_view(words, console(output).width), output)
    return Exit.UNUSABLE if mistakes else Exit.DONE


def _settings_view(settings: dict[str, Any], width: int) -> Iterator[Text]:
    from neat_delta.views.lines import sentence

    label = "settings"
    for name, value in settings.items():
        parts = value if isinstance(value, dict) else {"": value}
        for part, own in parts.items():
            if own not in (None, [], ""):
                yield from sentence(label, f"{name}{'.' * bool(part)}{part} = {_shown(own)}", width)
                label = ""


def _good_view(words: list[str], width: int) -> Iterator[Text]:
    from neat_delta.views.verdict import next_command, verdict_view

    yield from verdict_view(["no mistake found", "nothing was fetched or sent"], width)
    yield from next_command(words, width)


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)

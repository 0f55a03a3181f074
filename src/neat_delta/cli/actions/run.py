"""What the command run does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import InvalidInput, InvalidOption, WriteError
from neat_delta.base.exit_codes import Exit, exit_for
from neat_delta.cli.actions.run_init import write_run_file
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, print_error
from neat_delta.cli.envelope import show_json
from neat_delta.files.atomic_write import write_atomic
from neat_delta.views.lines import sentence
from neat_delta.views.summary import summaries, summary_view
from neat_delta.views.verdict import next_command, verdict_view
from neat_delta.workflows.scheduled import notices
from neat_delta.workflows.scheduled.notices import delete_old_runs
from neat_delta.workflows.scheduled.report import RunReport
from neat_delta.workflows.scheduled.run import run
from neat_delta.workflows.scheduled.run_config import RunConfig, load_run, told_anyway
from neat_delta.workflows.scheduled.run_lock import exclusive_run, publish_latest
from neat_delta.workflows.scheduled.validate import effective, mistakes_of

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.cli.run_init import NewRunOptions


def run_command(
    file: Path, dry_run: bool, validate: bool, init: bool, new: NewRunOptions, output: OutputOptions
) -> int:
    """Do the whole job unattended, as RUN.toml says: fetch, compare, check, write, send, verify."""
    if init:
        return write_run_file(file, new, output)
    if new.is_given:
        raise InvalidOption("these options make a run file", hint="Add --init, or set them in the file.")

    if validate:
        return _validated(load_run(file), output)
    try:
        config = load_run(file)
    except InvalidInput as error:
        _tell_of_wrong_file(file, error, quiet=dry_run)
        raise
    report = _done(config, output, sending=not dry_run)
    if output.as_json:
        show_json(report.as_dict())
    elif not output.quiet:
        show(summary_view(report, console(output).width), output)
    elif report.exit_code:
        print_error(f"{report.verdict}; see {report.folder / 'summary.txt'}")
    return report.exit_code


def _done(config: RunConfig, output: OutputOptions, *, sending: bool) -> RunReport:
    """The run, with its summary and all who are told of it."""
    with show_progress(output) as progress, exclusive_run(config) as report:
        # Should this run be killed, the summary of the one before must not be taken for its own.
        publish_latest(config, summaries(report, config.mail))
        try:
            run(config, report, progress, sending=sending)
        finally:
            # Even a fault of ours leaves a summary that says so.
            report.end()
            progress.step(f"{report.verdict}; writing the summary")
            _tell(config, report, notify=sending)
        if deleted := delete_old_runs(config, report):
            progress.step(f"{deleted} old runs deleted")
    return report


def _tell(config: RunConfig, report: RunReport, *, notify: bool) -> None:
    """Write the summary, and tell whom the run file names; a notice that failed is in the summary itself."""

    def written() -> dict[str, bytes]:
        files = summaries(report, config.mail)
        try:
            if report.folder.is_dir() and report.folder != config.folder:
                for name, data in files.items():
                    write_atomic(report.folder / name, data, replace=True)
            publish_latest(config, files)
        except (WriteError, OSError) as error:
            # What was sent was sent: that nobody can read of it here is one more reason to look.
            report.attention_reasons.append(f"the summary was not written: {error}")
            print_error(report.attention_reasons[-1])
        return files

    files = written()
    failed = notices.notify(config, report, files.get("summary.eml")) if notify else []
    if failed:
        report.attention_reasons += [f"notice not sent: {what}" for what in failed]
        for what in failed:
            print_error(f"notice not sent: {what}")
        written()


def _tell_of_wrong_file(file: Path, error: InvalidInput, *, quiet: bool) -> None:
    """Write the summary of a run that could not begin because its file is wrong, and tell of it as far as possible."""
    config = told_anyway(file)
    if config is None:
        if not file.is_file():
            return
        config = RunConfig(live=file, folder=file.parent / "runs", path=file)
    report = RunReport(config.name, config.folder, failure=str(error), failure_exit=exit_for(error))
    report.end()
    _tell(config, report, notify=not quiet)


def _validated(config: RunConfig, output: OutputOptions) -> Exit:
    """The settings of a run as they hold, and what is wrong with them as far as this machine can tell."""
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

    label = "settings"
    for name, value in settings.items():
        parts = value if isinstance(value, dict) else {"": value}
        for part, of_part in parts.items():
            if of_part not in (None, [], ""):
                yield from sentence(label, f"{name}{'.' * bool(part)}{part} = {_shown(of_part)}", width)
                label = ""


def _good_view(words: list[str], width: int) -> Iterator[Text]:

    yield from verdict_view(["no mistake found", "nothing was fetched or sent"], width)
    yield from next_command(words, width)


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        return ", ".join(f"{theirs} → {ours}" for theirs, ours in value.items())
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)

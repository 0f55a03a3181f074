"""What the command doctor does."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.base.exit_codes import Exit
from neat_delta.base.json_form import to_json
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config, print_error
from neat_delta.cli.envelope import show_json
from neat_delta.tables.settings_file import load_settings
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import sentence
from neat_delta.views.verdict import verdict_view
from neat_delta.workflows.doctor import BAD, check_machine, check_run
from neat_delta.workflows.scheduled.run_config import load_run

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from rich.text import Text

    from neat_delta.workflows.doctor import Checked


def doctor_command(file: Path | None, offline: bool, config: Path | None, output: OutputOptions) -> int:
    """Check this machine: versions, folders, disk, history, clock, secrets."""
    run = load_run(file) if file is not None else None
    settings = load_settings(run.catalogue) if run is not None and run.catalogue else load_config(config)
    checked = []
    with show_progress(output) as progress:
        for one in (*check_machine(settings), *(check_run(run, online=not offline) if run is not None else ())):
            progress.step(one.name)
            checked.append(one)
    bad = sum(one.state != "good" for one in checked)
    if output.as_json:
        show_json({"checks": to_json(checked)})
    elif output.quiet:
        for one in (one for one in checked if one.state == BAD):
            print_error(f"{one.name}: {one.said}. {one.fix}".strip())
    else:
        show(_view(checked, console(output).width), output)
    return Exit.ATTENTION if bad else Exit.DONE


def _view(checked: Sequence[Checked], width: int) -> Iterator[Text]:

    styles = {"good": "plain", "look": "warning", "bad": "error"}
    for one in checked:
        mark = {"good": "", "look": "! ", "bad": "!! "}[one.state]
        fix = f". {one.fix}" if one.fix else ""
        yield from sentence(one.name, f"{mark}{one.said}{fix}", width, styles[one.state])
    bad = sum(one.state != "good" for one in checked)
    yield from verdict_view([f"{pluralize(bad, 'thing')} to look at" if bad else "ready"], width)

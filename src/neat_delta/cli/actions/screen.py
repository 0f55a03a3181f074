"""What a command says: a view on the console, and the step at work."""

from __future__ import annotations

import contextlib
import sys
from typing import TYPE_CHECKING, Any

from rich.console import Console
from rich.text import Text

from neat_delta.base.progress import NO_PROGRESS
from neat_delta.cli.logs import is_logging, log_step
from neat_delta.files.output_paths import standard_output_taken
from neat_delta.views.lines import folded
from neat_delta.views.safe_text import safe_line, safe_styled

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from neat_delta.base.progress import ProgressReporter
    from neat_delta.cli.common import OutputOptions


def console(output: OutputOptions) -> Console:
    """The console for results: plain where it is no terminal, or where colours are not wanted."""
    # (Where standard output has what a command makes, what it says goes to standard error.)
    return Console(
        stderr=standard_output_taken(),
        no_color=output.no_colour or None,
        highlight=False,
        soft_wrap=True,
        emoji=False,
        markup=False,
    )


def show(lines: Iterable[Text], output: OutputOptions) -> None:
    """Print a view."""
    screen = console(output)
    for line in lines:
        for part in folded(safe_styled(line), screen.width, screen):
            screen.print(part)


class _Logged:
    """A voice whose steps are written down as well."""

    def __init__(self, voice: ProgressReporter) -> None:
        self._voice = voice

    def step(self, what: str) -> None:
        log_step(what)
        self._voice.step(what)


def _with_log(voice: ProgressReporter) -> ProgressReporter:
    """A voice, whose steps are written down if that is wanted."""
    return _Logged(voice) if is_logging() else voice


class _Spinner:
    """A voice for people who wait at a terminal."""

    def __init__(self, status: Any) -> None:
        self._status = status

    def step(self, what: str) -> None:
        self._status.update(Text(f"{safe_line(what)} …"))


@contextlib.contextmanager
def show_progress(output: OutputOptions) -> Iterator[ProgressReporter]:
    """A voice: on a terminal it shows the step at work, else it is silent."""
    quiet = _with_log(NO_PROGRESS)
    if output.as_json or output.quiet or not sys.stderr.isatty() or quiet is not NO_PROGRESS:
        yield quiet
        return
    with Console(stderr=True, no_color=output.no_colour or None).status("starting …") as status:
        yield _Spinner(status)

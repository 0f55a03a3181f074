"""The group of commands, and the one place where errors become text and an exit code."""

from __future__ import annotations

import codecs
import importlib
import io
import os
import signal
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING, Any, TextIO

import click

from neat_delta import __version__
from neat_delta.base.errors import InvalidSettings, NeatDeltaError
from neat_delta.base.exit_codes import Exit, exit_for
from neat_delta.cli.common import print_error, print_lines
from neat_delta.cli.envelope import begin, print_envelope
from neat_delta.files.output_paths import watch_inputs
from neat_delta.files.trouble import reason, remedy

if TYPE_CHECKING:
    from collections.abc import Sequence
    from types import FrameType

EPILOG = (
    "Exit codes: 0 done · 1 done, something needs attention · 2 wrong command or option · "
    "3 a file or answer cannot be read or used · 4 the shop, a server or the network. "
    "After 2, 3 and 4 nothing was done. "
    "Each option can also be given by a variable, such as NEAT_DELTA_COMPARE_STRICT=1."
)


# Each command is the module of its name in this folder. Its summary is here, so that the list of commands loads none of
# them.
GROUPS = {
    "Start": {
        "demo": "A short tour on demo data.",
        "inspect": "Show what is in a table file: format, columns, types, keys, damage.",
        "setup": "Draft catalogue.toml from an export.",
    },
    "Edit": {
        "sheet": "Make a sheet for editing that a spreadsheet program cannot damage.",
    },
    "Change set": {
        "compare": "Compare the export with the edited file: what changed, SKU by SKU.",
        "adjust": "Change the catalogue by formula, without an edited file.",
        "recode": "Change SKUs, from a list of old and new SKUs.",
        "combine": "Combine change sets of one export; conflicts are shown.",
    },
    "Review": {
        "check": "Run all checks on a change set again.",
        "preview": "Show a change set: terminal, page, review workbook, charts.",
        "pick": "Accept a part of a change set.",
        "approve": "Approve a change set, so that it may be written and sent.",
    },
    "Apply": {
        "write": "Write proved update files and undo files.",
        "send": "Send the update files to the shop.",
        "refresh": "Bring a change set up to date with a newer export.",
        "verify": "After the import: what arrived in the shop, and what did not.",
        "undo": "Write the files that put things back.",
    },
    "Look up": {
        "history": "List what was sent, when, with what result.",
        "explain": "Explain a check, row state, type, setting, exit or error code.",
        "schema": "Print the JSON Schema of an output or a file.",
    },
    "Automate": {
        "run": "Do all of it unattended, as a run file says.",
        "doctor": "Check this machine: folders, disk, clock, secrets, destinations.",
    },
    "Practise": {
        "shop": "A practice shop on your own disk, to try everything on.",
    },
}
COMMANDS = {name: summary for group in GROUPS.values() for name, summary in group.items()}


class Commands(click.Group):
    """The commands, each loaded when it is called or its help is."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """All names, in the order of the help."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """The command of that name; ``None`` if there is none."""
        if cmd_name not in COMMANDS:
            return None
        module = importlib.import_module(f"neat_delta.cli.{cmd_name}")
        command: click.Command = getattr(module, f"{cmd_name}_command")
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """The list of commands in the order of work, each with its whole summary."""
        widest = max(map(len, COMMANDS))
        for group, commands in GROUPS.items():
            with formatter.section(group):
                formatter.write_dl([(name.ljust(widest), text) for name, text in commands.items()])

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """The command that is called; where there is none of that name, the nearest name is offered."""
        if args[0] not in COMMANDS and not ctx.resilient_parsing:
            from difflib import get_close_matches

            for near in get_close_matches(args[0], COMMANDS, n=1):
                ctx.fail(f"There is no command {args[0]!r}. Did you mean {near!r}?")
        return super().resolve_command(ctx, args)


@click.group(
    cls=Commands,
    epilog=EPILOG,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 110},
)
@click.version_option(__version__, prog_name="neat-delta", allow_from_autoenv=False)
def cli() -> None:
    """Compare a shop's live export with an edited file, and write the smallest proved update: only what changed.

    Start with "neat-delta demo", or with your own two files: neat-delta compare live.csv edited.csv

    Without a command, on a terminal, it asks for the two files and leads from question to question.
    """


# Seconds that a stopped command may go on, and after which an interrupt is tried again.
MOMENT, SOON = 2.0, 0.05
# The variable by which a shell asks what could come next.
COMPLETION = "_NEAT_DELTA_COMPLETE"
# What is as wide as the signs of our tables and is in every character set.
PLAIN = {"▲": "^", "▼": "v", "…": "~", "–": "-", "×": "x", "·": "-", "’": "'"}


class PatientOutput(io.FileIO):
    """Standard output or error whose reader may go (head, a closed pager) without changing what a command ends with.

    ``gives_up`` are the errors after which what follows goes nowhere: of standard output nobody's leaving, of standard
    error all, for there is no place left to tell of them.
    """

    def __init__(self, number: int, gives_up: type[OSError]) -> None:
        super().__init__(number, "w", closefd=False)
        self.gives_up = gives_up

    def write(self, data: Any) -> int:
        """Write, or let it and all that follows go nowhere."""
        try:
            return super().write(data)
        except OSError as error:
            if not isinstance(error, self.gives_up):
                raise
            os.dup2(os.open(os.devnull, os.O_WRONLY), self.fileno())
            return super().write(data)


def _open_standard_streams() -> None:
    """See that the numbers of the standard streams are taken where a schedule has closed them.

    A file of ours that got the number of standard error would get whatever a library says there.
    """
    for number in range(3):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, os.O_RDWR)


def _patient(out: TextIO | None, gives_up: type[OSError]) -> TextIO:
    """Standard output or error that nobody's leaving disturbs, and no sign that its character set lacks.

    A console keeps Python's own layer: on Windows it writes Unicode, whatever the code page is.
    """
    if out is None:
        return Path(os.devnull).open("w", encoding="utf-8")
    codecs.register_error("plainly", _plainly)
    if out.isatty() and isinstance(out, io.TextIOWrapper):
        out.reconfigure(errors="plainly")
        return out
    try:
        patient = io.BufferedWriter(PatientOutput(out.fileno(), gives_up))
    except OSError:  # it is no file of the system's, but something that a program has put in its place
        return out
    at_once = bool(getattr(out, "line_buffering", False))
    return io.TextIOWrapper(patient, out.encoding, "plainly", line_buffering=at_once)


def _plainly(error: UnicodeError) -> tuple[str, int]:
    """What stands for characters that a character set lacks."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    return "".join(PLAIN.get(sign, "?") for sign in error.object[error.start : error.end]), error.end


def main() -> None:
    """Run the command line and leave with its exit code."""
    _open_standard_streams()
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, _interrupt)
    sys.stdout, sys.stderr = _patient(sys.stdout, BrokenPipeError), _patient(sys.stderr, OSError)
    code: int = Exit.UNUSABLE
    try:
        code = run()
        sys.stdout.flush()
        finish_keeping(stopped=code == Exit.INTERRUPTED)
        sys.stderr.flush()
    except OSError as error:
        print_error(f"the output cannot be written ({error.strerror})")
        code = Exit.UNUSABLE
    # Everything is written and closed; taking down large tables piece by piece would only keep people waiting.
    os._exit(code)


def _interrupt(number: int, frame: FrameType | None) -> None:
    """Stop the command, but never in the midst of an import.

    An interrupt there may be swallowed with the interpreter's lock of imports held, and other threads wait for ever.
    """
    while frame is not None:
        if frame.f_code.co_filename.startswith("<frozen importlib"):
            again = threading.Timer(SOON, signal.raise_signal, [number])
            again.daemon = True
            again.start()
            return
        frame = frame.f_back
    raise KeyboardInterrupt


def finish_keeping(*, stopped: bool) -> None:
    """Wait for exports that are still being kept. What failed is told, but what was asked for is done.

    A person who has stopped the command waits no longer than a moment; and an import that the stop has cut off may hold
    the lock for which the thread waits, for ever.
    """
    keeping = sys.modules.get("neat_delta.export_store.keeping")
    for failure in keeping.finish(MOMENT if stopped else None) if keeping else ():
        print_error(f"note: {failure}")


def run(args: list[str] | None = None) -> int:
    """Run one command; returns the exit code, with the reason for a failure on standard error."""
    if COMPLETION in os.environ:
        from neat_delta.cli.completion_shells import teach_shells

        teach_shells()
    watch_inputs()
    begin()
    words = sys.argv[1:] if args is None else args
    code, error = _guided(words) if _wants_guide(words) else _ended(args)
    command = words[0] if words else ""
    as_json = "--json" in words or f"NEAT_DELTA_{command.upper()}_JSON" in os.environ
    print_envelope(command, code, error, as_json=as_json)
    return code


def _wants_guide(words: Sequence[str]) -> bool:
    """Whether somebody sits at a terminal and has given no command."""
    if (words and words[0] in COMMANDS) or not (sys.stdin.isatty() and sys.stdout.isatty()):
        return False
    from neat_delta.cli.guide import wants_guide

    return wants_guide(words, list(COMMANDS), on_terminal=True)


def _guided(words: Sequence[str]) -> tuple[int, BaseException | None]:
    """Lead from question to question; each step is a command like any other."""
    from neat_delta.cli.guide import guide

    def step(command: list[str]) -> int:
        watch_inputs()
        # (Commands that are shown as next ones are made from the one that was typed.)
        sys.argv[1:] = command
        return _ended(command)[0]

    try:
        return guide(words, step), None
    except (KeyboardInterrupt, click.Abort) as error:
        print_error("ended")
        return Exit.INTERRUPTED, error


def _ended(args: list[str] | None) -> tuple[int, BaseException | None]:
    """How a command ends: its exit code, and the error that ended it."""
    try:
        return int(
            cli.main(args, prog_name="neat-delta", standalone_mode=False, auto_envvar_prefix="NEAT_DELTA") or Exit.DONE
        ), None
    except click.ClickException as error:
        text = io.StringIO()
        error.show(text)
        print_lines(text.getvalue().rstrip("\n"), err=True)
        return Exit.USAGE, error
    except NeatDeltaError as error:
        for mistake in error.mistakes if isinstance(error, InvalidSettings) else [error]:
            print_error(mistake)
        return exit_for(error), error
    except (KeyboardInterrupt, click.Abort) as error:
        print_error("cancelled; no partial files were left")
        return Exit.INTERRUPTED, error
    except OSError as error:
        place = f"{error.filename}: " if error.filename else ""
        print_error(f"{place}{reason(error)}. {remedy(error) or ''}".rstrip(". "))
        return Exit.UNUSABLE, error
    except SystemExit:
        raise
    except BaseException as error:  # noqa: BLE001
        # A fault of ours must not end with the exit code for "needs attention"; a panic in a compiled library is no
        # Exception.
        print_error(_internal_error(error))
        return Exit.UNUSABLE, error


def _internal_error(error: BaseException) -> str:
    """What is said of a fault of our own: where it is, and the file with what whoever mends it needs."""
    import tempfile
    import traceback

    from neat_delta.base.redact import redacted

    frames = [frame for frame in traceback.extract_tb(error.__traceback__) if "neat_delta" in frame.filename]
    place = f"{Path(frames[-1].filename).name}, line {frames[-1].lineno}" if frames else "an unknown place"
    said = f"internal error ({type(error).__name__} in {place})"
    try:
        with tempfile.NamedTemporaryFile(
            "w", prefix="neat-delta-error-", suffix=".txt", delete=False, encoding="utf-8", errors="replace"
        ) as file:
            file.write(redacted("".join(traceback.format_exception(error))))
    except OSError:
        return f"{said}. Please report it."
    return f"{said}. Please report it with the file {file.name}."

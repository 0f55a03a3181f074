"""The group of commands, and the one place where errors become text and an exit code."""

from __future__ import annotations

import codecs
import importlib
import io
import os
import sys
from pathlib import Path
from textwrap import shorten
from typing import Any, TextIO

import click

from neat_delta import __version__
from neat_delta.cli.common import print_error, print_lines
from neat_delta.cli.exits import Exit
from neat_delta.errors import InvalidSettings, NeatDeltaError
from neat_delta.output_paths import watch_inputs

EPILOG = "Exit codes: 0 done · 1 done, but something was held back · 2 wrong call, unreadable input, or nothing done."


# Each command is the module of its name in this folder; what its help begins with stands here as well, so that the list
# of commands loads none of them.
COMMANDS = {
    "adjust": "Change the LIVE catalogue by rules alone, without an edited sheet.",
    "check": "Try out a kept change set: every check against the live export and catalogue.toml as they are now.",
    "compare": "Compare the LIVE export with the EDITED sheet, or a supplier's list: what changed, item by item.",
    "demo": "Go the whole way on a made-up shop: two files in, a preview, a proved update out.",
    "journal": "List what was sent, where, when and with what result; or show one entry, with every row that "
    "was not taken.",
    "look": "Look at a table FILE: how it is written, its first rows, what its columns hold, what could be the key.",
    "pick": "Take a part of a change set: what was marked in a review workbook, or the part that is named.",
    "preview": "Look at a kept change set: in the terminal, as a page, as a workbook to mark, as pictures.",
    "recode": "Give items of the LIVE catalogue other codes, by a list of old and new CODES.",
    "refresh": "Bring a change set up to date with a newer export of the shop.",
    "run": "Go the whole way without a person, as RUN.toml says: fetch, compare, check, write, send, "
    "settle; for schedules.",
    "send": "Send a written update to the shop: its files in their order, each after the one before was taken.",
    "settle": "See by the export made after the import what of a change set has arrived in the shop.",
    "setup": "Draft catalogue.toml from the live EXPORT: key, fields with their kinds and limited values, "
    "what to lock.",
    "sheet": "Make a short sheet for editing from the live EXPORT, one that survives a spreadsheet program.",
    "shop": "The practice shop: a stand-in store on your own disk, with the ways of real ones, to try everything on.",
    "undo": "Write the files that put back what a change set has changed, proved; its own go into the folder's undo.",
    "write": "Write the update files of a change set, proved, with the files that undo them and a receipt.",
}


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
        """The list of commands with their summaries."""
        room = formatter.width - 6 - max(map(len, COMMANDS))
        with formatter.section("Commands"):
            formatter.write_dl([(name, shorten(text, room, placeholder="...")) for name, text in COMMANDS.items()])

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """The command that is called; where there is none of that name, the nearest name is offered."""
        if args[0] not in COMMANDS and not ctx.resilient_parsing:
            from difflib import get_close_matches

            for near in get_close_matches(args[0], COMMANDS, n=1):
                ctx.fail(f"No such command {args[0]!r}. Did you mean {near}?")
        return super().resolve_command(ctx, args)


@click.group(
    cls=Commands,
    epilog=EPILOG,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 110},
)
@click.version_option(__version__, prog_name="neat-delta")
def cli() -> None:
    """From a live export and an edited sheet to the smallest proved update file, and back again.

    Start with "neat-delta demo", or with your own two files: neat-delta compare live.csv edited.csv
    """


# What is as wide as the signs of our tables and stands in every character set.
PLAIN = {"▲": "^", "▼": "v", "…": "~", "–": "-", "×": "x", "·": "-", "’": "'"}


class BrokenPipeSafeOutput(io.FileIO):
    """Standard output whose reader may go (head, a closed pager) without changing what a command does or ends with."""

    def write(self, data: Any) -> int:
        """Write, or let it and all that follows go nowhere if nobody reads any more."""
        try:
            return super().write(data)
        except BrokenPipeError:
            os.dup2(os.open(os.devnull, os.O_WRONLY), self.fileno())
            return super().write(data)


def _patient(out: TextIO | None) -> TextIO:
    """Standard output that nobody's leaving disturbs, and no sign that its character set lacks; there may be none."""
    if out is None:
        return Path(os.devnull).open("w", encoding="utf-8")
    try:
        patient = io.BufferedWriter(BrokenPipeSafeOutput(out.fileno(), "w", closefd=False))
    except OSError:  # it is no file of the system's, but something that a program has put in its place
        return out
    codecs.register_error("plainly", _plainly)
    return io.TextIOWrapper(patient, out.encoding, "plainly", line_buffering=out.isatty())


def _plainly(error: UnicodeError) -> tuple[str, int]:
    """What stands for characters that a character set lacks."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    return "".join(PLAIN.get(sign, "?") for sign in error.object[error.start : error.end]), error.end


def main() -> None:
    """Run the command line and leave with its exit code."""
    sys.stdout = _patient(sys.stdout)
    code = run()
    try:
        sys.stdout.flush()
    except OSError as error:
        print_error(f"the output could not be written ({error.strerror})")
        code = Exit.FAILED
    # Everything is written and closed; taking down large tables piece by piece would only keep people waiting.
    os._exit(code)


def run(args: list[str] | None = None) -> int:
    """Run one command; returns the exit code, with the reason for a failure on standard error."""
    watch_inputs()
    try:
        return int(cli.main(args, prog_name="neat-delta", standalone_mode=False) or Exit.DONE)
    except click.ClickException as error:
        text = io.StringIO()
        error.show(text)
        print_lines(text.getvalue().rstrip("\n"), err=True)
        return Exit.FAILED
    except InvalidSettings as error:
        for mistake in error.mistakes:
            print_error(mistake)
        return Exit.FAILED
    except NeatDeltaError as error:
        print_error(error)
        return Exit.FAILED
    except (KeyboardInterrupt, click.Abort):
        print_error("stopped; no file is half written")
        return Exit.INTERRUPTED
    except OSError as error:
        place = f"{error.filename}: " if error.filename else ""
        print_error(f"{place}{error.strerror or error}")
        return Exit.FAILED
    except SystemExit:
        raise
    except BaseException:  # noqa: BLE001
        # A fault of ours must not end with the exit code for "needs attention"; a panic in a compiled library is no
        # Exception.
        import traceback

        print_lines(traceback.format_exc().rstrip("\n"), err=True)
        print_error("this is a fault of the program; please report the lines above")
        return Exit.FAILED

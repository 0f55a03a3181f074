"""The group of commands, and the one place where errors become text and an exit code."""

from __future__ import annotations

import os
import sys

import click

from neat_delta import __version__
from neat_delta.cli.adjust import adjust_command
from neat_delta.cli.check import check_command
from neat_delta.cli.compare import compare_command
from neat_delta.cli.demo import demo_command
from neat_delta.cli.exits import Exit
from neat_delta.cli.journal import journal_command
from neat_delta.cli.look import look_command
from neat_delta.cli.pick import pick_command
from neat_delta.cli.preview import preview_command
from neat_delta.cli.recode import recode_command
from neat_delta.cli.refresh import refresh_command
from neat_delta.cli.run import run_command
from neat_delta.cli.send import send_command
from neat_delta.cli.settle import settle_command
from neat_delta.cli.setup import setup_command
from neat_delta.cli.sheet import sheet_command
from neat_delta.cli.shop import shop_command
from neat_delta.cli.undo import undo_command
from neat_delta.cli.write import write_command
from neat_delta.errors import NeatDeltaError

EPILOG = "Exit codes: 0 done · 1 done, but something was held back · 2 wrong call, unreadable input, or nothing done."


@click.group(
    epilog=EPILOG,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 110},
)
@click.version_option(__version__, prog_name="neat-delta")
def cli() -> None:
    """From a live export and an edited sheet to the smallest proved update file, and back again.

    Start with "neat-delta demo", or with your own two files: neat-delta compare live.csv edited.csv
    """


cli.add_command(look_command)
cli.add_command(setup_command)
cli.add_command(sheet_command)
cli.add_command(compare_command)
cli.add_command(adjust_command)
cli.add_command(recode_command)
cli.add_command(check_command)
cli.add_command(preview_command)
cli.add_command(pick_command)
cli.add_command(refresh_command)
cli.add_command(write_command)
cli.add_command(undo_command)
cli.add_command(send_command)
cli.add_command(settle_command)
cli.add_command(journal_command)
cli.add_command(run_command)
cli.add_command(shop_command)
cli.add_command(demo_command)


def main() -> None:
    """Run the command line and leave with its exit code."""
    code = run()
    try:
        sys.stdout.flush()
    except BrokenPipeError:
        pass
    except OSError as error:
        click.echo(f"neat-delta: the output could not be written ({error.strerror})", err=True)
        code = Exit.FAILED
    # Everything is written and closed; taking down large tables piece by piece would only keep people waiting.
    os._exit(code)


def run(args: list[str] | None = None) -> int:
    """Run one command; returns the exit code, with the reason for a failure on standard error."""
    try:
        return int(cli.main(args, prog_name="neat-delta", standalone_mode=False) or Exit.DONE)
    except click.ClickException as error:
        error.show()
        return Exit.FAILED
    except NeatDeltaError as error:
        click.echo(f"neat-delta: {error}", err=True)
        return Exit.FAILED
    except (KeyboardInterrupt, click.Abort):
        click.echo("neat-delta: stopped; no file is half written", err=True)
        return Exit.INTERRUPTED
    except BrokenPipeError:
        # Whoever read our output has gone (head, a closed pager); flushing at exit must not complain again.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return Exit.DONE
    except OSError as error:
        place = f"{error.filename}: " if error.filename else ""
        click.echo(f"neat-delta: {place}{error.strerror or error}", err=True)
        return Exit.FAILED
    except SystemExit:
        raise
    except BaseException:  # noqa: BLE001
        # A fault of ours must not end with the exit code for "needs attention"; a panic in a compiled library is no
        # Exception.
        import traceback

        traceback.print_exc()
        click.echo("neat-delta: this is a fault of the program; please report the lines above", err=True)
        return Exit.FAILED

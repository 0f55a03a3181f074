"""Making a run file: asked for line by line, or from options."""

from __future__ import annotations

import sys
import tomllib
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING

import click

from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.base.path_text import path_text
from neat_delta.cli.actions.screen import console, show
from neat_delta.cli.common import OutputOptions, print_lines
from neat_delta.cli.envelope import show_json
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.output_paths import check_outputs
from neat_delta.locations import parse_place
from neat_delta.tables.config_loader import structured
from neat_delta.views.lines import labelled
from neat_delta.views.verdict import next_command, verdict_view
from neat_delta.workflows.scheduled.run_config import RunConfig
from neat_delta.workflows.scheduled.run_file import NewRun, run_file

if TYPE_CHECKING:
    from collections.abc import Iterator
    from datetime import datetime

    from rich.text import Text

    from neat_delta.cli.run_init import NewRunOptions


def write_run_file(file: Path, given: NewRunOptions, output: OutputOptions) -> Exit:
    """Make a run file, with what is given and what a person answers.

    Raises:
        InvalidOption: there is nobody to ask, and something is missing.
        InvalidInput: what was given is no setting.
        WriteError: the file exists.
    """
    check_outputs(file, replace=given.overwrite)
    asked = not (output.as_json or output.quiet) and sys.stdin.isatty() and sys.stdout.isatty()
    new_run = _answered(given) if asked else _complete(given)
    save_run_file(file, new_run, overwrite=given.overwrite)
    words = ["neat-delta", "run", str(file), "--validate"]
    if output.as_json:
        show_json({"file": str(file)}, next_commands=[words])
    elif not output.quiet:
        show(_view(file, words, console(output).width), output)
    return Exit.DONE


def save_run_file(file: Path, new_run: NewRun, *, overwrite: bool = False) -> None:
    """Write a run file that can be read again.

    Raises:
        InvalidSettings: what is known is no setting.
        WriteError: the file exists.
    """
    name = path_text(file.name)
    head = (
        "What neat-delta does when it runs this file. Lines that begin with # are off.",
        "All settings: docs/run-files.md, or: neat-delta explain SETTING",
        f"  neat-delta run {name} --validate    checks this file, without any network",
        f"  neat-delta run {name} --dry-run     does everything except sending",
        f"  neat-delta run {name}",
    )
    text = run_file(new_run, head)
    structured(RunConfig, tomllib.loads(text, parse_float=Decimal), file, text)
    write_atomic(file, text.encode(), replace=overwrite)


def beside(name: str | None, file: Path) -> str | None:
    """How a run file names what a person has named from this folder: the same, or in full if it lies elsewhere."""
    place = parse_place(name) if name else None
    if not isinstance(place, Path) or file.absolute().parent == Path.cwd():
        return name
    return str(place.absolute())


def _complete(given: NewRunOptions) -> NewRun:
    if given.live is None or not (given.edited or given.changes or given.formulas):
        raise InvalidOption(
            "a run file needs the live export and something that changes it",
            hint="Give --live FILE and --edited FILE, --changes FILE or --set FORMULA; on a terminal, it asks.",
        )
    return _new_run(given)


def _answered(given: NewRunOptions) -> NewRun:
    """What a person answers where an option is not given; an empty answer leaves it out."""

    def ask(what: str, default: str | None, *, needed: bool = False) -> str | None:
        if default is not None:
            return default
        answer = click.prompt(f"  {what}", default=None if needed else "", show_default=False, err=True)
        return str(answer).strip() or None

    print_lines("  Press Enter to leave out what you do not need.", err=True)
    given = given._replace(live=ask("Live export (a file or an address)", given.live, needed=True))
    if not (given.edited or given.changes or given.formulas):
        edited = ask("Edited file or supplier's file", None, needed=True)
        given = given._replace(edited=(edited,) if edited else ())
        given = given._replace(profile=ask("Supplier profile", given.profile))
    given = given._replace(to=ask("Destination of the update", given.to))
    if given.to is not None:
        given = given._replace(fresh=ask("Export after the import, to verify it", given.fresh))
    if not given.mail_to and (receiver := ask("Mail the summary to", None)):
        given = given._replace(mail_to=(receiver,), mail_from=ask("Sender of the mail", given.mail_from, needed=True))
    return _new_run(given)


def _new_run(given: NewRunOptions, begins: datetime | None = None, ends: datetime | None = None) -> NewRun:

    if bool(given.mail_to) != bool(given.mail_from):
        raise InvalidOption("a mail needs a sender and a receiver", hint="Give --mail-from and --mail-to.")
    mail = {"from": given.mail_from, "to": list(given.mail_to)} if given.mail_from else {}
    return NewRun(
        given.live,
        given.edited,
        given.profile,
        given.changes,
        given.formulas,
        given.to,
        given.fresh,
        begins,
        ends,
        mail,  # type: ignore[arg-type]
    )


def _view(file: Path, words: list[str], width: int) -> Iterator[Text]:

    yield labelled("saved", f"the run file, in {file}")
    yield from verdict_view(["nothing was run yet"], width)
    yield from next_command(words, width)

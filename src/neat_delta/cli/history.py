"""neat-delta history."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from neat_delta.cli.common import FILE, OutputOptions, console, output_options, show
from neat_delta.cli.envelope import show_json
from neat_delta.cli.help import OUTPUT, command, option
from neat_delta.errors import InvalidOption
from neat_delta.exit_codes import Exit

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry, History
    from neat_delta.remote import Location

HISTORY = option(
    OUTPUT,
    "--history",
    type=FILE,
    metavar="FILE",
    help="History file.  [default: the one of this user; set NEAT_DELTA_DATA for another folder]",
)


def history_in(given: Path | None) -> History:
    """The history that is given, or the one of this user."""
    from neat_delta.delivery.history import History, default_history
    from neat_delta.output_paths import note_input

    path = given or default_history()
    note_input(path)
    return History(path)


def sent_as(given: Location, history: Path | None) -> Entry | None:
    """The history's entry that a person means by a number in place of a change set; ``None`` if it means a file."""
    if not isinstance(given, Path) or not str(given).isdecimal() or given.exists():
        return None
    return _entry(history_in(history), int(str(given)))


def changes_of(given: Location, history: Path | None) -> ChangeSet:
    """A kept change set, or the one that was sent with the entry of this number.

    Raises:
        InvalidInput: file not found, or it is no change set.
        InvalidOption: there is no such entry, or its change set was not kept.
    """
    from neat_delta.changeset.serialization import load_changes, parse_changes

    entry = sent_as(given, history)
    if entry is None:
        return load_changes(given)
    kept = history_in(history).change_set(entry)
    if kept is None:
        raise InvalidOption(
            f"the change set of history #{entry.entry} was not saved",
            hint=f"Give the change set instead; the update was written to {entry.folder}.",
        )
    return parse_changes(kept, Path(f"history entry {entry.entry}"))


def _entry(saved: History, number: int) -> Entry:
    found = saved.entry(number)
    if found is None:
        raise InvalidOption(f"no entry #{number} in {saved.path}", hint="List them with: neat-delta history")
    return found


def entry_as_dict(entry: Entry) -> dict[str, Any]:
    """An entry for JSON."""
    from neat_delta.json_form import to_json

    result: dict[str, Any] = to_json(entry)
    return result | {"state": entry.state}


@command(
    "history",
    "neat-delta history",
    "neat-delta history 1",
)
@click.argument("number", type=int, required=False, metavar="[NUMBER]")
@HISTORY
@output_options
def history_command(number: int | None, history: Path | None, output: OutputOptions) -> int:
    """List what was sent: when, where, with what result. With a NUMBER: every row that the shop did not accept."""
    from neat_delta.views.delivery import entry_view, history_view, verify_command

    kept = history_in(history)
    if number is None:
        entries = kept.entries()
        if output.as_json:
            show_json([entry_as_dict(entry) for entry in entries])
        elif not output.quiet:
            show(history_view(entries, kept.path, console(output).width), output)
        return Exit.DONE
    found = _entry(kept, number)
    if output.as_json:
        show_json(entry_as_dict(found), next_commands=[verify_command(found, history)])
    elif not output.quiet:
        show(entry_view(found, history, console(output).width), output)
    return Exit.DONE

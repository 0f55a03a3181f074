"""neat-delta journal."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from neat_delta.cli.common import FILE, OutputOptions, console, output_options, show, show_json
from neat_delta.cli.exits import Exit
from neat_delta.errors import InvalidOption

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.journal import Entry, Journal
    from neat_delta.remote import Location

JOURNAL = click.option(
    "--journal",
    type=FILE,
    metavar="FILE",
    help="The journal; else the one of this user, in the data folder that NEAT_DELTA_DATA may tell.",
)


def journal_in(given: Path | None) -> Journal:
    """The journal that is told, or the one of this user."""
    from neat_delta.delivery.journal import Journal, default_journal
    from neat_delta.output_paths import note_input

    path = given or default_journal()
    note_input(path)
    return Journal(path)


def sent_as(given: Location, journal: Path | None) -> Entry | None:
    """The journal's entry that a person means by a number in place of a change set; ``None`` if it means a file."""
    if not isinstance(given, Path) or not str(given).isdecimal() or given.exists():
        return None
    return _entry(journal_in(journal), int(str(given)))


def changes_of(given: Location, journal: Path | None) -> ChangeSet:
    """A kept change set, or the one that was sent with the entry of this number.

    Raises:
        InvalidInput: there is no such file, or it is no change set.
        InvalidOption: there is no such entry, or its change set was not kept.
    """
    from neat_delta.changeset.serialization import load_changes, parse_changes

    entry = sent_as(given, journal)
    if entry is None:
        return load_changes(given)
    kept = journal_in(journal).change_set(entry)
    if kept is None:
        raise InvalidOption(
            f"the journal did not keep the change set of entry {entry.entry}",
            hint=f"Name the change set instead; the update was written to {entry.folder}.",
        )
    return parse_changes(kept, Path(f"journal entry {entry.entry}"))


def _entry(saved: Journal, number: int) -> Entry:
    found = saved.entry(number)
    if found is None:
        raise InvalidOption(
            f"the journal {saved.path} has no entry {number}", hint="List them with: neat-delta journal"
        )
    return found


def entry_as_dict(entry: Entry) -> dict[str, Any]:
    """An entry for JSON."""
    from neat_delta.json_names import to_json

    result: dict[str, Any] = to_json(entry)
    return result | {"state": entry.state}


@click.command("journal")
@click.argument("number", type=int, required=False, metavar="[ENTRY]")
@JOURNAL
@output_options
def journal_command(number: int | None, journal: Path | None, output: OutputOptions) -> int:
    """List what was sent, where, when and with what result; or show one entry, with every row that was not taken."""
    from neat_delta.views.delivery import entry_view, journal_view

    kept = journal_in(journal)
    if number is None:
        entries = kept.entries()
        if output.as_json:
            show_json([entry_as_dict(entry) for entry in entries])
        elif not output.quiet:
            show(journal_view(entries, kept.path, console(output).width), output)
        return Exit.DONE
    found = _entry(kept, number)
    if output.as_json:
        show_json(entry_as_dict(found))
    elif not output.quiet:
        show(entry_view(found, console(output).width), output)
    return Exit.DONE

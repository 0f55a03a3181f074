"""neat-delta journal."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from neat_delta.cli.common import FILE, Manners, console, manners, show, show_json
from neat_delta.cli.exits import Exit
from neat_delta.errors import WrongChoice

if TYPE_CHECKING:
    from neat_delta.delivery.journal import Entry, Journal

JOURNAL = click.option(
    "--journal",
    type=FILE,
    metavar="FILE",
    help="The journal; else journal.sqlite in this folder, beside catalogue.toml.",
)


def journal_in(told: Path | None) -> Journal:
    """The journal that is told, or the one of this folder."""
    from neat_delta.delivery.journal import NAME, Journal

    return Journal(told or Path(NAME))


def entry_as_dict(entry: Entry) -> dict[str, Any]:
    """An entry for JSON."""
    from dataclasses import asdict

    return asdict(entry) | {"state": entry.state}


@click.command("journal")
@click.argument("number", type=int, required=False, metavar="[ENTRY]")
@JOURNAL
@manners
def journal_command(number: int | None, journal: Path | None, spoken: Manners) -> int:
    """List what was sent, where, when and with what result; or show one entry, with every row that was not taken."""
    from neat_delta.views.delivery import entry_view, journal_view

    kept = journal_in(journal)
    entries = kept.entries()
    if number is None:
        if spoken.as_json:
            show_json([entry_as_dict(entry) for entry in entries])
        elif not spoken.quiet:
            show(journal_view(entries, kept.path, console(spoken).width), spoken)
        return Exit.DONE
    found = next((entry for entry in entries if entry.entry == number), None)
    if found is None:
        raise WrongChoice(f"the journal {kept.path} has no entry {number}", remedy="List them with: neat-delta journal")
    if spoken.as_json:
        show_json(entry_as_dict(found))
    elif not spoken.quiet:
        show(entry_view(found, console(spoken).width), spoken)
    return Exit.DONE

"""neat-delta compare."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.common import (
    FILE,
    FileForm,
    Manners,
    catalogue_file,
    exported_as,
    file_form,
    manners,
    progress,
    settled_in,
)
from neat_delta.cli.outcome import Wanted, finished, outcome, told

if TYPE_CHECKING:
    from pathlib import Path


def _kinds(_context: click.Context, _option: click.Parameter, pairs_told: tuple[str, ...]) -> dict[str, str]:
    pairs = {}
    for text in pairs_told:
        field, equals, kind = text.partition("=")
        if not (field and equals and kind):
            raise click.BadParameter(f"{text!r} is not FIELD=KIND, such as size=text")
        pairs[field.strip()] = kind.strip()
    return pairs


@click.command("compare")
@click.argument("live", type=FILE)
@click.argument("edited", type=FILE)
@click.option("--key", multiple=True, metavar="FIELD", help="Match rows on this field; repeat for a key of several.")
@click.option(
    "--blanks",
    type=click.Choice(["leave", "clear"]),
    help="What a blank cell means: leave the live value (so it is if nothing is settled), or clear it.",
)
@click.option(
    "--kind",
    "kinds",
    multiple=True,
    metavar="FIELD=KIND",
    callback=_kinds,
    help="Read a field as this kind instead of the one its live values show (text, code, gtin, money, number, "
    "count, share, flag, date, choice, path, picture, itemref).",
)
@outcome
@catalogue_file
@file_form
@manners
def compare_command(
    live: Path,
    edited: Path,
    key: tuple[str, ...],
    blanks: str | None,
    kinds: dict[str, str],
    wanted: Wanted,
    settings: Path | None,
    form: FileForm,
    spoken: Manners,
) -> int:
    """Compare the LIVE export with the EDITED sheet: what changed, item by item.

    Nothing is sent and no input is touched. Only items that exist change; new and missing rows are counted and
    left out, and a blank cell leaves the live value as it is.

    Both may be delimited text, XLSX, ODS, JSON Lines or XML, also packed with gzip or zip; one may be "-" for standard
    input. --delimiter, --encoding, --decimal, --header-line and --sheet are about EDITED.
    """
    from neat_delta.begun import Begun

    begun = Begun(live, edited)
    # Now that the files are on their way, there is time to load what is needed to understand them.
    from neat_delta.changes import Options, compare
    from neat_delta.reading import read_both

    settled = settled_in(settings)
    with progress(spoken) as voice:
        ours, theirs = read_both(live, edited, voice, form.told(), begun, exported_as(settled))
        ours, theirs = ours.renamed(settled.names()), theirs.renamed(settled.names())
        options = Options(key, None if blanks is None else blanks == "clear", kinds, settled=settled)
        seen = compare(ours, theirs, options, voice)
        seen, receipt = finished(seen, settled, wanted, voice, inputs=(live, edited))
    return told(seen, receipt, settled, wanted, spoken, f"neat-delta compare {live} {edited}")

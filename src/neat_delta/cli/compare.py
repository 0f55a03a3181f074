"""neat-delta compare."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_output import Openings, Wanted, finished, load_ahead, openings, outcome, told
from neat_delta.cli.common import (
    SOURCE,
    FileForm,
    Manners,
    catalogue_file,
    exported_as,
    file_form,
    manners,
    progress,
    settled_in,
)
from neat_delta.cli.supplier_options import ListOptions, list_options, save_list, saved_view

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.remote import Where


def _kinds(_context: click.Context, _option: click.Parameter, pairs_told: tuple[str, ...]) -> dict[str, str]:
    pairs = {}
    for text in pairs_told:
        field, equals, kind = text.partition("=")
        if not (field and equals and kind):
            raise click.BadParameter(f"{text!r} is not FIELD=KIND, such as size=text")
        pairs[field.strip()] = kind.strip()
    return pairs


@click.command("compare")
@click.argument("live", type=SOURCE)
@click.argument("edited", type=SOURCE)
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
@click.option(
    "--rescue-codes",
    is_flag=True,
    help="Give rows whose code lost zeros, spaces or digits to the one item it can be; each is listed.",
)
@click.option(
    "--include",
    multiple=True,
    type=click.Choice(["new", "gone"]),
    help="Send new rows as new items; remove the items that EDITED no longer has (with --at-most).",
)
@click.option(
    "--accept-codes", type=SOURCE, metavar="FILE", help="Take these new rows (old and new code) for code changes."
)
@click.option("--at-most", type=click.IntRange(min=1), metavar="N", help="The most items that may be removed.")
@click.option("--where", metavar="SQL", help="Only live items for which this holds, such as \"maker = 'Thrumhive'\".")
@click.option("--items", type=SOURCE, metavar="FILE", help="Only the items whose codes stand in this file, one a line.")
@list_options
@outcome
@openings
@catalogue_file
@file_form
@manners
def compare_command(
    live: Where,
    edited: Where,
    key: tuple[str, ...],
    blanks: str | None,
    kinds: dict[str, str],
    rescue_codes: bool,
    include: tuple[str, ...],
    accept_codes: Where | None,
    at_most: int | None,
    where: str | None,
    items: Where | None,
    listing: ListOptions,
    wanted: Wanted,
    opened: Openings,
    settings: Path | None,
    form: FileForm,
    spoken: Manners,
) -> int:
    """Compare the LIVE export with the EDITED sheet, or a supplier's list: what changed, item by item.

    Nothing is sent and no input is touched. Only items that exist change; new and missing rows are counted and
    left out unless --include says otherwise, and a blank cell leaves the live value as it is.

    Both may be delimited text, XLSX, ODS, JSON Lines or XML, also packed with gzip or zip; one may be "-" for standard
    input. --delimiter, --encoding, --decimal, --header-line and --sheet are about EDITED, and so are --list, --match,
    --leave-out, --match-on, --assume, --set and --remember, for files of other people.
    """
    if ("gone" in include) != (at_most is not None):
        raise click.UsageError("--include gone and --at-most N go together: say how many items may be removed at most.")
    from concurrent.futures import ThreadPoolExecutor

    from neat_delta.prefetch import Begun

    wanted.check_places()
    begun = Begun(live, edited)
    # Now that the files are on their way, there is time to load what is needed to read them, and then to compare them.
    from neat_delta.reading import Told, read_both

    settled = settled_in(settings)
    listed = listing.over(settled, form)
    with progress(spoken) as voice, ThreadPoolExecutor(max_workers=1) as reader:
        sheet_form = Told.as_exported(listed.form)
        reading = reader.submit(read_both, live, edited, voice, sheet_form, begun, exported_as(settled))
        load_ahead(wanted)
        from neat_delta.diff.compare import Options
        from neat_delta.diff.recode import accepted_codes
        from neat_delta.diff.supplier_file import compare_list
        from neat_delta.matching.column_drift import natures
        from neat_delta.tables import field_name

        ours, theirs = reading.result()
        cleared = None if blanks is None else blanks == "clear"
        options = Options(
            key,
            cleared,
            kinds,
            rescue=rescue_codes,
            where=where,
            items=items,
            add="new" in include,
            remove=at_most,
            accepted=accepted_codes(accept_codes, ours.renamed(settled.names())) if accept_codes else None,
            settled=settled,
            as_typed=opened.as_typed,
        )
        seen, matches = compare_list(ours.renamed(settled.names()), theirs, listed, options, voice)
        seen, receipt = finished(seen, settled, wanted, opened, voice)
        if listing.save_as:
            save_list(settings, listing.save_as, listed, natures(theirs))

    def head(width: int) -> Iterator[Text]:
        from neat_delta.views.comparison import files_view
        from neat_delta.views.supplier_views import list_view

        as_list = listed.is_told or any(match.field and field_name(match.column) != match.field for match in matches)
        yield from files_view(seen, width, columns=not as_list)
        if as_list:
            yield from list_view(matches, listed, seen.changes, width)
        if listing.save_as:
            yield from saved_view(listing.save_as, settings, width)

    return told(seen, receipt, settled, wanted, spoken, head, matches)

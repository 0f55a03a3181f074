"""neat-delta compare."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from neat_delta.cli.changeset_output import DisplayChoice, Outcome, display_options, render_result
from neat_delta.cli.common import (
    OutputOptions,
    catalogue_file,
    load_config,
    output_options,
    show_progress,
)
from neat_delta.cli.help import command
from neat_delta.cli.param_types import SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import CompareRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.locations import Location
    from neat_delta.workflows.compare import Compared


@command(
    "compare",
    "neat-delta compare live.csv edited.csv -o tuesday.changes.jsonl",
    "neat-delta compare live.csv edited.csv --write updates --problems problems.xlsx",
    "neat-delta compare live.csv anna.xlsx bo.xlsx -o both.changes.jsonl",
    "neat-delta compare live.csv waxwendle.csv --catalogue waxwendle.toml --profile waxwendle",
)
@click.argument("live", type=SOURCE)
@click.argument("edited", type=SOURCE, nargs=-1, required=True, metavar="EDITED…")
@request_options(CompareRequest)
@display_options
@catalogue_file
@output_options
def compare_command(
    live: Location,
    edited: tuple[Location, ...],
    display: DisplayChoice,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Compare the LIVE export with the EDITED file: what changed, SKU by SKU.

    Nothing is sent, and LIVE and EDITED are not touched. Only items that exist in the shop change: new rows and missing
    items are counted, not sent, unless you ask for it. A blank cell keeps the shop's value. If LIVE is newer than the
    export that EDITED was made from, only what you have typed is a change. Several EDITED files are combined.

    Both may be delimited text, XLSX, ODS, JSON Lines, XML or Parquet, also packed; several files ("items-*.csv", a
    folder, prices.csv+stock.csv, newest:FOLDER); an address; or a table of a database. One may be "-" (standard
    input). The options for reading a file are about EDITED.
    """
    from neat_delta.locations.prefetch import FilePrefetch

    request = CompareRequest(live=live, edited=edited, settings=load_config(config), **options)
    prefetch = FilePrefetch(live, edited[0])
    # Now that the files are on their way, there is time to load what reads and compares them.
    from neat_delta.workflows.compare import compare

    with show_progress(output) as progress:
        compared = compare(request, progress, prefetch)
    if compared.combined is not None:
        from neat_delta.cli.compare_several import render_several

        return render_several(compared, request, display, output)

    def head(width: int) -> Iterator[Text]:
        return _head(compared, request, width)

    outcome = Outcome(compared.results[0], compared.receipt, compared.settings, request, display)
    return render_result(outcome, output, head, compared.matches)


def _head(compared: Compared, request: CompareRequest, width: int) -> Iterator[Text]:
    """The two files, and how the columns of a supplier's file were mapped."""
    from neat_delta.tables import field_name
    from neat_delta.views.comparison import files_view
    from neat_delta.views.supplier_views import saved_view, supplier_view

    result, matches, profile = compared.results[0], compared.matches, compared.profile
    as_list = profile.is_configured or any(match.field and field_name(match.column) != match.field for match in matches)
    yield from files_view(result, width, columns=not as_list)
    if as_list:
        yield from supplier_view(matches, profile, result.changes, width)
    if request.save_profile:
        yield from saved_view(request.save_profile, compared.settings.path, width)

"""neat-delta compare."""

from __future__ import annotations

import click

from neat_delta.cli.changeset_output import display_options
from neat_delta.cli.common import catalogue_file, output_options
from neat_delta.cli.help import command, done_in
from neat_delta.cli.param_types import SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import CompareRequest


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
@done_in("compare")
def compare_command() -> None:
    """Compare the LIVE export with the EDITED file: what changed, SKU by SKU.

    Nothing is sent, and LIVE and EDITED are not touched. Only items that exist in the shop change: new rows and missing
    items are counted, not sent, unless you ask for it. A blank cell keeps the shop's value. If LIVE is newer than the
    export that EDITED was made from, only what you have typed is a change. Several EDITED files are combined.

    Both may be delimited text, XLSX, ODS, JSON Lines, XML or Parquet, also packed; several files ("items-*.csv", a
    folder, prices.csv+stock.csv, newest:FOLDER); an address; or a table of a database. One may be "-" (standard
    input). The options for reading a file are about EDITED.
    """

"""neat-delta sheet."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.base.exit_codes import Exit
from neat_delta.cli.common import (
    OVERWRITE,
    OutputOptions,
    catalogue_file,
    console,
    load_config,
    output_options,
    show,
    show_progress,
)
from neat_delta.cli.envelope import show_json
from neat_delta.cli.help import OUTPUT, SAFETY, SCOPE, command, option
from neat_delta.cli.param_types import FILE, SOURCE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.option_groups import KeyOption, ScopeOptions

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from rich.text import Text

    from neat_delta.locations import Location
    from neat_delta.workbooks.edit_sheet import SheetColumn

SOME = 10


@command(
    "sheet",
    "neat-delta sheet live.csv -o prices.xlsx --fields name,price,cost",
    "neat-delta sheet live.csv -o hives.xlsx --where \"category LIKE 'Hives%'\"",
)
@click.argument("export", type=SOURCE)
@option(
    OUTPUT,
    "-o",
    "--out",
    common=True,
    type=FILE,
    required=True,
    metavar="FILE",
    help="The sheet: .xlsx (safe), or .csv (plain text).",
)
@option(
    SCOPE,
    "--fields",
    common=True,
    metavar="A,B,C",
    default="",
    help="Only these fields, in this order; the key is always first.",
)
@request_options(ScopeOptions)
@request_options(KeyOption)
@option(SAFETY, "--unlock", multiple=True, metavar="FIELD", help="Unlock this field for editing. Repeatable.")
@OVERWRITE
@catalogue_file
@output_options
def sheet_command(
    export: Location,
    out: Path,
    fields: str,
    where: str | None,
    items: Location | None,
    key: tuple[str, ...],
    unlock: tuple[str, ...],
    overwrite: bool,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Make a sheet for editing from the live EXPORT: a workbook that a spreadsheet program cannot damage.

    SKUs stay text, numbers stay exact, choice fields have drop-down lists; locked fields are grey. Edit and save it,
    then compare it with the same export.
    """
    from neat_delta.base.errors import WriteError
    from neat_delta.files.atomic_write import write_atomic
    from neat_delta.files.output_paths import check_outputs
    from neat_delta.matching.selection import chosen_fields, chosen_rows
    from neat_delta.tables import field_name
    from neat_delta.tables.line_names import line_name
    from neat_delta.workbooks.edit_sheet import delimited_sheet, sheet_columns, workbook
    from neat_delta.workflows.base import note_sheet
    from neat_delta.workflows.inputs import keep, read_live
    from neat_delta.workflows.plan import context_of

    settings = load_config(config)
    if out.suffix.lower() not in (".xlsx", ".csv", ".tsv", ".txt"):
        raise WriteError("a sheet is .xlsx (safe) or .csv (plain text)", file=out, hint="Use one of these endings.")
    check_outputs(out, replace=overwrite)
    with show_progress(output) as progress:
        live = read_live(export, settings, progress)
        context = context_of(live, settings, key)
        names = chosen_fields(live, context.key, [name for name in fields.split(",") if name.strip()])
        rows, unknown = chosen_rows(context, where, items)
        progress.step("writing the sheet")
        columns = sheet_columns(context, names, rows, [field_name(name) for name in unlock])
        make = workbook if out.suffix.lower() == ".xlsx" else delimited_sheet
        write_atomic(out, make(columns, live), replace=overwrite)
        keep(live, settings)
        if make is delimited_sheet:
            note_sheet(out, [column.header for column in columns], live, settings)
    if output.as_json:
        locked = [column.field for column in columns if column.locked]
        result = {"sheet": str(out), "rows": len(rows), "fields": names, "locked": locked, "unknown": unknown}
        unreadable = live.unreadable_rows.select("line", "message").to_dicts()
        show_json(result | {"unreadable": unreadable}, next_commands=[["neat-delta", "compare", str(export), str(out)]])
    elif not output.quiet:
        width = console(output).width
        bad = [line_name(live.parts, line) for line in live.unreadable_rows["line"]]
        show(_view(out, export, len(rows), columns, unknown, bad, width), output)
    return Exit.ATTENTION if unknown or len(live.unreadable_rows) else Exit.DONE


def _view(
    out: Path,
    export: Location,
    rows: int,
    columns: Sequence[SheetColumn],
    unknown: Sequence[str],
    unreadable: Sequence[str],
    width: int,
) -> Iterator[Text]:
    from neat_delta.views.formatting import pluralize
    from neat_delta.views.lines import labelled, sentence
    from neat_delta.views.verdict import next_command, verdict_view

    yield from sentence("sheet", f"{out}   {pluralize(rows, 'item')} × {pluralize(len(columns), 'field')}", width)
    locked = [column.field for column in columns if column.locked]
    choices = [column.field for column in columns if column.choices and not column.locked]
    if out.suffix.lower() == ".xlsx":
        yield from sentence("locked", ", ".join(locked), width)
        if choices:
            yield from sentence("drop-downs", ", ".join(choices), width)
    else:
        message = "CSV: leading zeros can get lost in a spreadsheet program; .xlsx is safe"
        yield from sentence("warning", message, width, "warning")
    if unknown:
        yield from sentence(
            "unknown", f"{pluralize(len(unknown), 'SKU')} not in the shop: {_some(unknown)}", width, "warning"
        )
    if len(unreadable):
        rows_told, lines = pluralize(len(unreadable), "row"), _some(unreadable)
        message = f"{rows_told} of {export.name} cannot be read, so not in the sheet: {lines}; see neat-delta inspect"
        yield from sentence("unreadable", message, width, "error")
    size = f"{pluralize(rows, 'item')} to edit in {out}"
    yield from verdict_view([size, *([f"{pluralize(len(unreadable), 'row')} missing"] if unreadable else [])], width)
    yield from next_command(["neat-delta", "compare", str(export), str(out)], width)
    yield labelled("", "(after you have edited and saved it)")


def _some(given: Sequence[object]) -> str:
    return ", ".join(map(str, given[:SOME])) + (" …" if len(given) > SOME else "")

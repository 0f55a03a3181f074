"""What the command sheet does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.base.exit_codes import Exit
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.cli.envelope import show_json
from neat_delta.tables.line_names import line_name
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.verdict import next_command, verdict_view
from neat_delta.workflows.requests import SheetRequest
from neat_delta.workflows.sheet import sheet

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from rich.text import Text

    from neat_delta.locations import Location
    from neat_delta.workflows.sheet import Sheet

SOME = 10


def sheet_command(export: Location, config: Path | None, output: OutputOptions, **options: Any) -> int:
    """Make a sheet for editing from the live EXPORT: a workbook that a spreadsheet program cannot damage."""
    request = SheetRequest(export=export, settings=load_config(config), **options)
    with show_progress(output) as progress:
        made = sheet(request, progress)
    if output.as_json:
        words = ["neat-delta", "compare", str(export), str(request.out)]
        show_json(_as_dict(made, request.out), next_commands=[words])
    elif not output.quiet:
        show(_view(made, request.out, export, console(output).width), output)
    return Exit.ATTENTION if made.unknown or len(made.live.unreadable_rows) else Exit.DONE


def _as_dict(made: Sheet, out: Path) -> dict[str, object]:
    return {
        "sheet": str(out),
        "rows": made.rows,
        "fields": list(made.fields),
        "locked": [column.field for column in made.columns if column.locked],
        "unknown": list(made.unknown),
        "unreadable": made.live.unreadable_rows.select("line", "message").to_dicts(),
    }


def _view(made: Sheet, out: Path, export: Location, width: int) -> Iterator[Text]:

    rows, columns, unknown = made.rows, made.columns, made.unknown
    unreadable = [line_name(made.live.parts, line) for line in made.live.unreadable_rows["line"]]
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

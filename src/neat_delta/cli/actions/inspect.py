"""What the command inspect does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from rich.text import Text

from neat_delta.base.exit_codes import Exit
from neat_delta.base.json_form import to_json
from neat_delta.base.shell import free_name
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.cli.envelope import show_json
from neat_delta.views.formatting import pluralize
from neat_delta.views.overview import overview
from neat_delta.views.verdict import next_command, verdict_view
from neat_delta.workflows.inspect import inspect
from neat_delta.workflows.view_requests import InspectRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    import polars as pl

    from neat_delta.locations import Location
    from neat_delta.matching.key_detection import KeyCandidates
    from neat_delta.tables import Table
    from neat_delta.tables.profile import ColumnProfile
    from neat_delta.tables.settings import Settings


def inspect_command(
    file: Location,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Show what is in a table FILE: format, columns, types, possible keys, signs of damage."""
    settings = load_config(config)
    with show_progress(output) as progress:
        inspected = inspect(InspectRequest(file=file, settings=settings, **options), progress)
    table, columns, keys, marks = inspected.table, inspected.columns, inspected.keys, inspected.damage
    if output.as_json:
        show_json(_as_dict(table, columns, keys, marks, settings), next_commands=[_next(file, settings)])
    elif not output.quiet:
        width = console(output).width
        show(overview(table, columns, keys, marks, settings, width), output)
        show(_ending(file, table, keys, marks, settings, width), output)
    return Exit.ATTENTION if len(table.unreadable_rows) else Exit.DONE


def _ending(
    file: Location, table: Table, keys: KeyCandidates, marks: pl.DataFrame, settings: Settings, width: int
) -> Iterator[Text]:
    """The verdict on the file, and what to do with it next."""
    named = keys.expected or (keys.alone[0] if keys.alone else " + ".join(keys.pairs[0]) if keys.pairs else None)
    unreadable, damaged = len(table.unreadable_rows), int(marks["cells"].sum())
    parts = [
        f"{pluralize(len(table), 'row')} can be compared, " + (f"by {named}" if named else "but by which key?"),
        *([f"{pluralize(unreadable, 'row')} cannot be read"] if unreadable else []),
        *([f"{pluralize(damaged, 'cell')} may be damaged"] if damaged else []),
    ]
    yield Text()
    yield from verdict_view(parts, width)
    yield from next_command(_next(file, settings), width)


def _next(file: Location, settings: Settings) -> list[str]:
    """Settings for a shop's export come first, then a sheet of it."""
    if settings.path is None:
        return ["neat-delta", "setup", str(file)]
    return ["neat-delta", "sheet", str(file), "-o", free_name("edit.xlsx")]


def _as_dict(
    table: Table, columns: list[ColumnProfile], keys: KeyCandidates, marks: pl.DataFrame, settings: Settings
) -> dict[str, Any]:
    return {
        "file": table.source.name,
        "sha256": table.source.sha256,
        "rows": table.rows_read,
        "format": to_json(table.format),
        "unnamed": table.unnamed_columns,
        "key": to_json(keys),
        "columns": [
            {
                "column": column.column,
                "field": column.field,
                "type": column.type,
                "filled": column.filled,
                "distinct": column.distinct,
                "smallest": column.smallest,
                "largest": column.largest,
                "commonest": [{"value": value, "cells": cells} for value, cells in column.commonest],
            }
            for column in columns
        ],
        "unreadable": table.unreadable_rows.select("line", "message").to_dicts(),
        "not_data": table.non_data_rows.select("line", "message").to_dicts(),
        "damaged": marks.to_dicts(),
        "catalogue": {
            "file": str(settings.path),
            "unknown": settings.unknown_in(table.names),
            "missing": settings.missing_in(table.names),
        }
        if settings.path
        else None,
    }

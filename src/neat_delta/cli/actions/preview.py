"""What the command preview does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import polars as pl
from rich.text import Text

from neat_delta.analysis.metrics import sort_by_impact, totals_by_field
from neat_delta.base.exit_codes import Exit
from neat_delta.base.extras import CHARTS
from neat_delta.base.path_text import path_text
from neat_delta.base.shell import free_name
from neat_delta.changeset.serialization import head_as_dict
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.cli.envelope import show_json
from neat_delta.cli.hints import install
from neat_delta.matching import KEY_SEPARATOR, Key
from neat_delta.views import preview as views
from neat_delta.views.changes import DisplayOptions, fields_view
from neat_delta.views.drawings import approval_of, begin_to_draw, draw
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.plots import can_draw
from neat_delta.views.preview import item_view
from neat_delta.views.verdict import changes_verdict, next_command, next_lines, verdict_view
from neat_delta.workflows.preview import FIELD, ITEM, Preview, keys_of_items, preview
from neat_delta.workflows.view_requests import PreviewRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.cli.preview_options import HowMuch
    from neat_delta.locations import Location
    from neat_delta.tables import Table

    Files = dict[str, list[Path]]


class Shown(NamedTuple):
    """A preview that is shown: what was asked for, what it is, the files that were saved, and how much is listed."""

    request: PreviewRequest
    seen: Preview
    files: Files
    how_much: HowMuch


def preview_command(
    changes: Location,
    live: Location | None,
    how_much: HowMuch,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Show a saved change set: in the terminal, as a page, as a workbook to mark, as charts."""
    request = PreviewRequest(changes=changes, live=live, settings=load_config(config), **options)
    begin_to_draw(request)
    with show_progress(output) as progress:
        seen, files = preview(request, progress, draw)
    if output.as_json:
        show_json(_as_dict(seen, files))
    elif not output.quiet:
        show(_view(Shown(request, seen, files, how_much), changes, console(output).width), output)
    return Exit.ATTENTION if seen.whole.needs_attention else Exit.DONE


def _as_dict(seen: Preview, files: Files) -> dict[str, Any]:

    def rows(frame: pl.DataFrame | None) -> list[dict[str, Any]] | None:
        if frame is None:
            return None

        texts = frame.with_columns(pl.col(pl.Decimal).cast(pl.String).str.replace(r"\.?0+$", ""))
        return [row | ({"key": row["key"].split(KEY_SEPARATOR)} if "key" in row else {}) for row in texts.to_dicts()]

    changes = seen.changes
    cells = sort_by_impact(changes).drop("effect")
    options = {
        "fields": rows(totals_by_field(changes)),
        "items": {
            do: [key.split(KEY_SEPARATOR) for key in changes.keys_with_action(do)["key"]]
            for do in ("change", "recode", "add", "remove")
        },
        "cells": rows(cells),
        "groups": rows(seen.groups),
        "money": rows(seen.money),
        "stock": rows(seen.stock),
        "quotes": rows(seen.affected_quotes),
        "files": {what: [str(path) for path in paths] for what, paths in files.items()},
    }
    return {"head": head_as_dict(changes)} | {name: value for name, value in options.items() if value is not None}


def _view(shown: Shown, path: Location, width: int) -> Iterator[Text]:
    request, seen = shown.request, shown.seen
    yield from views.head_view(seen.changes, path.name, width)
    if approval := approval_of(path, seen.whole, request.settings):
        yield from sentence("approval", approval, width)
    if seen.changes is not seen.whole:
        cells = f"{pluralize(len(seen.changes.cells), 'cell')} of {len(seen.whole.cells):,}"
        yield labelled("selection", f'{cells} of the change set; "pick" saves this part', "strong")
    yield from _what_was_asked(shown, width)
    yield Text()
    for what, paths in shown.files.items():
        nothing = "nothing to draw: no price, stock or category changes"
        yield from sentence(what, ", ".join(map(str, paths)) or nothing, width)
    if "page" in shown.files and not can_draw():
        yield labelled("charts", "not in the page: what draws them is not installed")
        yield from next_lines([install(CHARTS)], "")
    yield from verdict_view(changes_verdict(seen.changes), width)
    yield from _next(path, shown.files, width)


def _what_was_asked(shown: Shown, width: int) -> Iterator[Text]:
    """The items, money, stock, quotes and groups that were asked for; without any of them, the changes."""
    request, seen, live, limit = shown.request, shown.seen, shown.seen.live, shown.how_much.limit
    listed = DisplayOptions(width, shown.how_much.everything)
    names: dict[str, str | None] = dict(seen.changes.items.select("key", "name").iter_rows())
    separator = (live.format.decimal_separator if live else None) or "."
    if live is not None:
        for key in keys_of_items(request):
            yield from _item(seen.whole, live, key, width)
    if seen.money is not None:
        yield from views.money_view(seen.money, names, separator, listed, limit)
    if seen.stock is not None and live is not None:
        price, cost = request.settings.roles.price_and_cost(live)
        yield from views.stock_view(seen.stock, names, cost or price, separator, listed, limit)
    if seen.affected_quotes is not None and seen.quotes is not None:
        yield from views.records_view(seen.affected_quotes, names, seen.quotes, separator, listed, limit)
    is_special = request.item or request.money or request.stock or request.quotes
    if seen.groups is not None:
        yield from views.groups_view(seen.groups, request.by, listed, limit)
    elif request.by == FIELD:
        yield Text()
        yield from fields_view(seen.changes, width)
    elif not is_special:
        yield from views.changes_view(seen.changes, listed, limit)
    if not is_special and request.by == ITEM:
        yield from views.findings_of(seen.changes, listed)


def _next(path: Location, files: Files, width: int) -> Iterator[Text]:
    stem = path_text(path.name).split(".")[0]
    pick = ["neat-delta", "pick", str(path)]
    accepted = ["--out", free_name(f"{stem}-accepted.changes.jsonl")]
    if "review" in files:
        yield from next_command([*pick, "--review", str(files["review"][0]), *accepted], width)
        yield labelled("", "(after you have marked the rows accept or reject)")
    elif "page" in files:
        yield from next_command([*pick, "--decisions", f"{stem}.decisions.json", *accepted], width)
        yield labelled("", "(after you have decided in the page and saved the decisions)")
    else:
        yield from next_command(["neat-delta", "write", str(path), "-o", free_name("updates")], width)


def _item(changes: ChangeSet, live: Table, key: str, width: int) -> Iterator[Text]:

    rows = (Key(changes.head.key, explicit=True).values(live) == key).arg_true()
    codes = dict(zip(changes.head.key, key.split(KEY_SEPARATOR), strict=True))
    values = live.cells(live.names, rows.head(1)).row(0, named=True) if len(rows) else codes
    yield from item_view(changes, live, key, values, width)

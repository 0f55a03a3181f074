"""What the command preview does."""

from __future__ import annotations

from contextlib import suppress
from importlib import import_module
from threading import Thread
from typing import TYPE_CHECKING, Any, NamedTuple

import polars as pl
from rich.text import Text

from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.analysis.grouping import by_group, field_of
from neat_delta.analysis.margins import price_moves, touched_records
from neat_delta.analysis.metrics import sort_by_impact, totals_by_field
from neat_delta.analysis.stock import stock_moves
from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.base.extras import CHARTS
from neat_delta.base.nearest import nearest_hint
from neat_delta.base.path_text import path_text
from neat_delta.base.shell import ONE_LINE, command_line, free_name
from neat_delta.changeset.serialization import dump_changes, head_as_dict, load_changes
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.cli.envelope import show_json
from neat_delta.cli.hints import install
from neat_delta.files.atomic_write import new_together, write_atomic
from neat_delta.files.output_paths import check_outputs
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.matching import KEY_SEPARATOR, Key
from neat_delta.matching.quote_columns import quote_columns
from neat_delta.reading import read_strict
from neat_delta.tables import field_name
from neat_delta.update.delimited import report_csv
from neat_delta.views import preview as views
from neat_delta.views.approval_views import approval_state
from neat_delta.views.changes import DisplayOptions, fields_view
from neat_delta.views.formatting import format_key, pluralize
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.page import PageName, review_page_of
from neat_delta.views.plots import can_draw, insist_on_charts, plots
from neat_delta.views.preview import item_view
from neat_delta.views.verdict import changes_verdict, next_command, next_lines, verdict_view
from neat_delta.workbooks.review import review_workbook
from neat_delta.workflows.accept import selected_part
from neat_delta.workflows.approvals import approval_beside
from neat_delta.workflows.option_groups import PartOptions
from neat_delta.workflows.saved_changes import load_with_live

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.base.progress import ProgressReporter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.cli.preview_options import PreviewOptions
    from neat_delta.locations import Location
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings


def preview_command(
    changes: Location,
    live: Location | None,
    options: PreviewOptions,
    config: Path | None,
    output: OutputOptions,
    **selected: Any,
) -> int:
    """Show a saved change set: in the terminal, as a page, as a workbook to mark, as charts."""
    part = PartOptions(**selected)
    # Keys of several parts are typed as they are shown.
    options = options._replace(item=tuple(key.replace(" · ", KEY_SEPARATOR) for key in options.item))
    settings = load_config(config)
    check_outputs(options.page, options.review, options.quotes_csv, replace=options.overwrite)
    if options.charts:
        insist_on_charts()
    if options.page or options.charts:
        # What draws takes a while to load; meanwhile the files are read.
        Thread(target=_load_drawing, daemon=True).start()
    with show_progress(output) as progress:
        progress.step(f"reading {changes.name}")
        if live is not None or _asks_for_live(part, options):
            whole, own = load_with_live(changes, live, settings, progress)
        else:
            whole, own = load_changes(changes), None
        loaded = selected_part(whole, part, own, settings)
        both = None if own is None else BeforeAfter(loaded, own)
        found = _found(both, settings, options, progress)
        shown = ShownPart(loaded, whole, own, changes)
        made = _written(_made(shown, both, found, settings, options, progress), options)
    if output.as_json:
        show_json(_as_dict(loaded, found, made))
    elif not output.quiet:
        show(_view(shown, settings, found, made, options, console(output).width), output)
    return Exit.ATTENTION if whole.needs_attention else Exit.DONE


def _load_drawing() -> None:
    for package in ("jinja2", "matplotlib.figure", "matplotlib.backends.backend_svg"):
        with suppress(ImportError):
            import_module(package)


def _asks_for_live(selection: PartOptions, options: PreviewOptions) -> bool:
    """Whether more is wanted than the change set itself knows: reading a large live export takes a while."""
    described = (
        selection.where is not None,
        options.item,
        options.money,
        options.stock,
        options.quotes,
        options.page,
        options.charts,
    )
    return any(described) or options.by not in ("item", "field")


class PreviewData(NamedTuple):
    """What was worked out besides the change set itself."""

    groups: pl.DataFrame | None = None
    money: pl.DataFrame | None = None
    stock: pl.DataFrame | None = None
    affected_quotes: pl.DataFrame | None = None
    quotes: Table | None = None


def _found(
    both: BeforeAfter | None, settings: Settings, options: PreviewOptions, progress: ProgressReporter
) -> PreviewData:
    if both is None:
        return PreviewData()

    found, live = PreviewData(), both.live
    for key in options.item:
        if both.changes.items.filter(key=key).is_empty():
            raise InvalidOption(
                "this SKU is not in the change set",
                option="item",
                value=format_key(key),
                hint="Use the exact SKU, including leading zeros.",
            )
    progress.step("calculating")
    if options.by not in ("item", "field"):
        by = field_name(options.by)
        name = field_of(live, by, settings) if by in ("category", "brand") and by not in live.names else by
        if name not in live.names:
            raise InvalidOption(
                "there is no field with this name",
                option="by",
                value=options.by,
                hint=nearest_hint(options.by, ["item", "field", "category", "brand", *live.names], "Choose from"),
            )
        found = found._replace(groups=by_group(both, name))
    if options.money:
        found = found._replace(money=price_moves(both, settings))
    if options.stock:
        found = found._replace(stock=stock_moves(both, settings))
    if options.quotes is not None:
        found = found._replace(**_affected_quotes(both, settings, options.quotes, progress))
    if options.quotes_csv is not None and found.affected_quotes is None:
        raise InvalidOption("--quotes-csv needs --quotes", hint="Add --quotes FILE.")
    return found


def _affected_quotes(
    both: BeforeAfter, settings: Settings, path: Location, progress: ProgressReporter
) -> dict[str, Any]:

    quotes = read_strict(path, progress)
    matched = quote_columns(quotes, both.changes.head.key)
    return {"affected_quotes": touched_records(both, quotes, matched, settings), "quotes": quotes}


class ShownPart(NamedTuple):
    """The part of a change set that is shown, the whole of it, the live export if it is there, and the file."""

    changes: ChangeSet
    whole: ChangeSet
    live: Table | None
    path: Location


def _made(
    part: ShownPart,
    both: BeforeAfter | None,
    found: PreviewData,
    settings: Settings,
    options: PreviewOptions,
    progress: ProgressReporter,
) -> dict[str, dict[Path, bytes]]:
    """The files that were asked for, by what they are."""
    made: dict[str, dict[Path, bytes]] = {}
    if options.quotes_csv is not None and found.affected_quotes is not None:
        made["quotes"] = {options.quotes_csv: report_csv(found.affected_quotes)}
    if options.page is not None and both is not None:
        progress.step("writing the page")
        made["page"] = {options.page: review_page_of(both, settings, _page_name(part, settings))}
    if options.review is not None:
        progress.step("writing the workbook")
        made["review"] = {
            options.review: review_workbook(part.changes, part.whole, by_item=options.review_by == "item")
        }
    if options.charts is not None and both is not None:
        progress.step("drawing")
        made["charts"] = {options.charts / file: data for file, data in plots(both, settings).items()}
    return made


def _page_name(part: ShownPart, settings: Settings) -> PageName:
    """By what the page is called, and what takes the decisions that are made in it."""
    stem = path_text(part.path.name).split(".")[0]
    decisions = f"{stem}.decisions.json"
    words = ["neat-delta", "pick", str(part.path), "--decisions", decisions, "--out"]
    command = command_line([*words, free_name(f"{stem}-accepted.changes.jsonl")], ONE_LINE)[0]
    name, checksum = path_text(part.path.name), sha256_hex(dump_changes(part.whole))
    return PageName(name, checksum, decisions, path_text(command), _approval(part, settings))


def _approval(part: ShownPart, settings: Settings) -> str:
    """Who approved the change set; empty if nobody did."""
    found = approval_beside(part.path, part.whole, settings)
    return approval_state(*found) if found else ""


def _written(made: dict[str, dict[Path, bytes]], options: PreviewOptions) -> dict[str, list[str]]:
    """The files' names, by what they are, once all are written; none is if one has no place."""
    files = {path: data for multiple in made.values() for path, data in multiple.items()}
    if options.charts is not None and "charts" in made:
        options.charts.mkdir(parents=True, exist_ok=True)
    check_outputs(*files, replace=options.overwrite)
    with new_together(*files):
        for path, data in files.items():
            write_atomic(path, data, replace=options.overwrite)
    return {what: [str(path) for path in multiple] for what, multiple in made.items()}


def _as_dict(changes: ChangeSet, found: PreviewData, made: dict[str, list[str]]) -> dict[str, Any]:

    def rows(frame: pl.DataFrame | None) -> list[dict[str, Any]] | None:
        if frame is None:
            return None

        texts = frame.with_columns(pl.col(pl.Decimal).cast(pl.String).str.replace(r"\.?0+$", ""))
        return [row | ({"key": row["key"].split(KEY_SEPARATOR)} if "key" in row else {}) for row in texts.to_dicts()]

    cells = sort_by_impact(changes).drop("effect")
    options = {
        "fields": rows(totals_by_field(changes)),
        "items": {
            do: [key.split(KEY_SEPARATOR) for key in changes.keys_with_action(do)["key"]]
            for do in ("change", "recode", "add", "remove")
        },
        "cells": rows(cells),
        "groups": rows(found.groups),
        "money": rows(found.money),
        "stock": rows(found.stock),
        "quotes": rows(found.affected_quotes),
        "files": made,
    }
    return {"head": head_as_dict(changes)} | {name: value for name, value in options.items() if value is not None}


def _view(
    part: ShownPart,
    settings: Settings,
    found: PreviewData,
    made: dict[str, list[str]],
    options: PreviewOptions,
    width: int,
) -> Iterator[Text]:

    changes, whole, live, path = part
    shown = DisplayOptions(width, options.everything)
    yield from views.head_view(changes, path.name, width)
    if approval := _approval(part, settings):
        yield from sentence("approval", approval, width)
    if changes is not whole:
        cells = f"{pluralize(len(changes.cells), 'cell')} of {len(whole.cells):,}"
        yield labelled("selection", f'{cells} of the change set; "pick" saves this part', "strong")
    special = options.item or options.money or options.stock or options.quotes
    names: dict[str, str | None] = dict(changes.items.select("key", "name").iter_rows())
    if live is not None:
        for key in options.item:
            yield from _item(whole, live, key, width)
    separator = (live.format.decimal_separator if live else None) or "."
    if found.money is not None:
        yield from views.money_view(found.money, names, separator, shown, options.limit)
    if found.stock is not None and live is not None:
        price, cost = settings.roles.price_and_cost(live)
        yield from views.stock_view(found.stock, names, cost or price, separator, shown, options.limit)
    if found.affected_quotes is not None and found.quotes is not None:
        yield from views.records_view(found.affected_quotes, names, found.quotes, separator, shown, options.limit)
    if found.groups is not None:
        yield from views.groups_view(found.groups, options.by, shown, options.limit)
    elif options.by == "field":
        yield Text()
        yield from fields_view(changes, width)
    elif not special:
        yield from views.changes_view(changes, shown, options.limit)
    if not special and options.by == "item":
        yield from views.findings_of(changes, shown)
    yield Text()
    for what, files in made.items():
        nothing = "nothing to draw: no price, stock or category changes"
        yield from sentence(what, ", ".join(files) or nothing, width)
    if "page" in made and not can_draw():
        yield labelled("charts", "not in the page: what draws them is not installed")
        yield from next_lines([install(CHARTS)], "")
    yield from verdict_view(changes_verdict(changes), width)
    yield from _next(path, made, width)


def _next(path: Location, made: dict[str, list[str]], width: int) -> Iterator[Text]:

    command = ["neat-delta", "write", str(path), "-o", free_name("updates")]
    if "review" in made:
        accepted = free_name(path.name.split(".")[0] + "-accepted.changes.jsonl")
        command = ["neat-delta", "pick", str(path), "--review", made["review"][0], "--out", accepted]
    elif "page" in made:
        stem = path_text(path.name).split(".")[0]
        accepted = free_name(f"{stem}-accepted.changes.jsonl")
        command = ["neat-delta", "pick", str(path), "--decisions", f"{stem}.decisions.json", "--out", accepted]
    yield from next_command(command, width)
    if "review" in made:
        yield labelled("", "(after you have marked the rows accept or reject)")
    elif "page" in made:
        yield labelled("", "(after you have decided in the page and saved the decisions)")


def _item(changes: ChangeSet, live: Table, key: str, width: int) -> Iterator[Text]:

    rows = (Key(changes.head.key, explicit=True).values(live) == key).arg_true()
    codes = dict(zip(changes.head.key, key.split(KEY_SEPARATOR), strict=True))
    there = live.cells(live.names, rows.head(1)).row(0, named=True) if len(rows) else codes
    yield from item_view(changes, live, key, there, width)

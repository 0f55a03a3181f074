"""What the review page holds, worked out here; how it is drawn is in page.html, page.css and page.js beside."""

from __future__ import annotations

import base64
import hashlib
from importlib.resources import files
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.analysis.grouping import field_of
from neat_delta.analysis.margins import price_moves
from neat_delta.analysis.metrics import sort_by_impact, totals_by_field
from neat_delta.changeset.changeset import ADD, CHANGE, EXCLUDED, LEFT_OUT_ROW, NONE, RECODE, REMOVE, STATES
from neat_delta.changeset.findings import computed_from
from neat_delta.errors import InvalidOption
from neat_delta.json_form import json_bytes
from neat_delta.tables.field_types import type_named
from neat_delta.views.formatting import NOTHING, amount, count, difference, format_key, per_cent, pluralize
from neat_delta.views.plots import figures
from neat_delta.views.text_diff import CAME, SAME, pieces

if TYPE_CHECKING:
    from collections.abc import Iterable

    from neat_delta.analysis.before_after import BeforeAfter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables.settings import Settings

STATE_NAMES = {CHANGE: "changed", ADD: "new", REMOVE: "to delete", RECODE: "new SKU", NONE: "not sent"}
LEVELS = ("", "note", "warning", "error")
MOST_FINDINGS = 500


def review_page_of(both: BeforeAfter, settings: Settings, name: str) -> bytes:
    """The page of a change set as a whole HTML document, everything it needs inside."""
    import jinja2
    from markupsafe import Markup

    changes = both.changes
    here = files("neat_delta.views.page")
    environment = jinja2.Environment(
        autoescape=True, trim_blocks=True, lstrip_blocks=True, undefined=jinja2.StrictUndefined
    )
    template = environment.from_string(here.joinpath("page.html").read_text(encoding="utf-8"))
    data = _data(both, settings)
    script = here.joinpath("page.js").read_text(encoding="utf-8")
    text = template.render(
        name=name,
        head=changes.head,
        made=changes.head.made.replace("T", " ").removesuffix("Z"),
        tiles=_tiles(changes),
        rows=_rows(changes),
        fields=totals_by_field(changes).to_dicts(),
        figures=[(message, Markup(_inline(svg))) for message, svg in figures(both, settings, "svg").items()],
        findings=_findings(changes),
        states=[state for state in STATE_NAMES.values() if state in {item[2] for item in data["items"]}],
        groups=data["groups"],
        has_money=bool(data["money"]),
        css=Markup(here.joinpath("page.css").read_text(encoding="utf-8")),
        js=Markup(script),
        script_hash=_script_hash(script),
        data=Markup(_as_json(data)),
        nothing=NOTHING,
        count=count,
    )
    return text.encode()


def _script_hash(script: str) -> str:
    """What lets a browser run the page's own script and no other (Content Security Policy Level 3, hash sources)."""
    return "sha256-" + base64.b64encode(hashlib.sha256(script.encode()).digest()).decode()


def _as_json(data: dict[str, Any]) -> str:
    """JSON that cannot end the script element it is in, whatever texts it holds."""
    text = json_bytes(data).decode()
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


def _inline(svg: bytes) -> str:
    """A drawing without what only a file of its own needs."""
    text = svg.decode()
    return text[text.index("<svg") :]


def _tiles(changes: ChangeSet) -> list[tuple[str, str]]:
    """The figures at the top: how much of what."""
    result = [(count(len(changes.keys_with_action(CHANGE, RECODE))), "items change")]
    result.append((count(len(changes.cells_with_action(CHANGE, RECODE))), "cells change"))
    for do, what in ((ADD, "new items"), (REMOVE, "items to delete"), (RECODE, "items get a new SKU")):
        if len(changes.keys_with_action(do)):
            result.append((count(len(changes.keys_with_action(do))), what))
    levels = changes.findings["level"]
    result.append((count(int((levels == "error").sum())), "errors, not sent"))
    result.append((count(int((levels == "warning").sum())), "warnings"))
    return result


def _rows(changes: ChangeSet) -> str:
    """The states of the rows, which add up to those read."""
    counts = changes.counts
    result = [
        f"{state.replace('_', ' ')} {count(counts[state])}"
        for state in (*STATES, EXCLUDED, LEFT_OUT_ROW)
        if state in counts
    ]
    return " · ".join(result) + f" = {pluralize(changes.head.edited.rows, 'row')} read"


def _findings(changes: ChangeSet) -> list[dict[str, Any]]:
    """The findings a person should see, by check: level, name, how many, the first of them."""
    wanted = changes.findings.filter(pl.col("level").is_in(["error", "warning"]))
    names = dict(changes.items.select("key", "name").iter_rows())
    result = []
    for (level, check), found in wanted.partition_by(["level", "code"], as_dict=True, maintain_order=True).items():
        some = [
            row | {"code": format_key(row["key"]), "name": names.get(row["key"]) or ""}
            for row in found.head(MOST_FINDINGS).iter_rows(named=True)
        ]
        result.append({"level": level, "check": check, "number": count(len(found)), "some": some})
    return result


def _data(both: BeforeAfter, settings: Settings) -> dict[str, Any]:
    """What the page's lists are drawn from; short, for there may be tens of thousands of items.

    items: code, name, state, place of its group, largest move, level of its worst finding, cells (place of the field,
    was, now, way, amount, share), and what is said of it (level, field, sentence). A text in which something stayed is
    a list of pieces: plain ones as texts, changed ones in lists of their own.
    """
    changes = both.changes
    group_of, groups = _groups(both, settings)
    fields = list(changes.head.fields)
    place = {name: at for at, name in enumerate(fields)}
    cells: dict[str, list[list[Any]]] = {}
    moves: dict[str, float] = {}
    for cell in sort_by_impact(changes).iter_rows(named=True):
        note = changes.head.fields[cell["field"]]
        way, size, share = difference(cell, note.decimal_separator)
        was, now = _sides(cell["was"], cell["now"], note.type, note.separator)
        cells.setdefault(cell["key"], []).append([place[cell["field"]], was, now, way[:1], size, share])
        moves[cell["key"]] = max(moves.get(cell["key"], 0.0), round(cell["effect"] or 0.0, 4))
    whole = changes.cells.join(changes.keys_with_action(ADD, REMOVE), on="key", how="semi")
    for key, field, was, now in whole.select("key", "field", "was", "now").iter_rows():
        cells.setdefault(key, []).append([place[field], was, now, "", "", ""])
    message: dict[str, list[tuple[str, str | None, str]]] = {}
    inputs = computed_from(changes.findings)
    for key, code, level, field, say in (
        changes.findings.drop_nulls("key").select("key", "code", "level", "field", "message").iter_rows()
    ):
        source = f" from {inputs[key, field]}" if code == "computed" and inputs[key, field] else ""
        message.setdefault(key, []).append((level, field, say + source))
    order = [*cells, *(key for key in changes.items["key"] if key not in cells)]
    known = {row["key"]: row for row in changes.items.iter_rows(named=True)}
    items = []
    for key in order:
        item, about = known[key], message.get(key, [])
        level = max((LEVELS.index(level) for level, _, _ in about), default=0)
        state = STATE_NAMES[item["action"]]
        if item["action"] == NONE and level < LEVELS.index("warning"):
            continue
        code = format_key(key) + (f" → {format_key(item['new_key'])}" if item["new_key"] else "")
        items.append(
            [code, item["name"], state, group_of.get(key, -1), moves.get(key, 0), level, cells.get(key, []), about]
        )
    return {"fields": fields, "groups": groups, "items": items, "money": _money(both, settings)}


def _sides(was: str | None, now: str | None, kind: str, separator: str | None) -> tuple[Any, Any]:
    if type_named(kind).numeric or kind in ("date", "yes/no", "barcode") or was is None or now is None:
        return was, now
    parts = pieces(was, now, separator)
    if all(part.what != SAME for part in parts):
        return was, now

    def side(other: str) -> list[Any]:
        return [part.text if part.what == SAME else [part.text] for part in parts if part.what != other]

    return side(CAME), side("went")


def _groups(both: BeforeAfter, settings: Settings) -> tuple[dict[str, int], list[str]]:
    """The category of each touched item, as a place among the names of all."""
    try:
        field = field_of(both.live, "category", settings)
    except InvalidOption:
        return {}, []
    texts = both.texts(field).select("key", pl.col("now").fill_null(NOTHING))
    names = texts["now"].unique().sort().to_list()
    place = {name: at for at, name in enumerate(names)}
    return {key: place[name] for key, name in texts.iter_rows()}, names


def _money(both: BeforeAfter, settings: Settings) -> list[list[str]]:
    """The money view: code, name, price and cost and margin per cent was and now, and the price that keeps it."""
    try:
        moves = price_moves(both, settings)
    except InvalidOption:
        return []
    separator, names = (
        both.live.format.decimal_separator or ".",
        dict(both.changes.items.select("key", "name").iter_rows()),
    )

    def told(move: dict[str, Any]) -> Iterable[str]:
        yield format_key(move["key"])
        yield names.get(move["key"]) or ""
        for side in ("price_was", "price", "cost_was", "cost", "margin_was", "margin"):
            yield amount(move[side], separator)
        yield per_cent(move["share_was"], separator)
        yield per_cent(move["share"], separator)
        yield amount(move["keep_amount"], separator)
        yield amount(move["keep_share"], separator)

    return [list(told(move)) for move in moves.iter_rows(named=True)]

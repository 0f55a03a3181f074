"""The review page as one HTML file: its parts (page.html, page.css, the scripts) put together with its data."""

from __future__ import annotations

import base64
import hashlib
from importlib.resources import files
from typing import TYPE_CHECKING, Any

from neat_delta.analysis.metrics import totals_by_field
from neat_delta.changeset.changeset import EXCLUDED, LEFT_OUT_ROW, STATES
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.views.formatting import NOTHING, count, format_key, local_time, pluralize
from neat_delta.views.page.item_rest import image_source, item_rest, packed_data
from neat_delta.views.page.page_data import STATE_NAMES, page_data
from neat_delta.views.plots import can_draw, figures

if TYPE_CHECKING:
    from neat_delta.analysis.before_after import BeforeAfter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables.settings import Settings
    from neat_delta.views.page.page_data import PageName

# So many sentences of a check are in its section; the list has all of them.
MOST_SENTENCES = 50
SCRIPTS = ("data.js", "decisions.js", "list.js", "item.js", "page.js")
ORDERS = {
    "move": "largest change",
    "code": "SKU",
    "name": "name",
    "group": "category",
    "field": "field",
    "was": "was",
    "now": "now",
    "amount": "difference",
}
KEYS = {
    "j k  or  ↓ ↑": "next row, previous row",
    "J K": "next item, previous item",
    "n": "next row that is open",
    "a": "accept this row and go to the next",
    "r": "reject this row and go to the next",
    "A R": "accept or reject the whole item",
    "x": "open again: neither accepted nor rejected",
    "c": "write a comment",
    "u": "undo",
    "Enter": "show the item in full",
    "/": "search",
    "s": "save decisions",
    "?": "show these keys",
}


def review_page_of(both: BeforeAfter, settings: Settings, name: PageName) -> bytes:
    """The page of a change set as a whole HTML document, everything it needs inside."""
    import jinja2
    from markupsafe import Markup

    changes = both.changes
    here = files("neat_delta.views.page")
    environment = jinja2.Environment(
        autoescape=True, trim_blocks=True, lstrip_blocks=True, undefined=jinja2.StrictUndefined
    )
    template = environment.from_string(here.joinpath("page.html").read_text(encoding="utf-8"))
    data = page_data(both, settings, name)
    script = "\n".join(here.joinpath(part).read_text(encoding="utf-8") for part in SCRIPTS)
    style = here.joinpath("page.css").read_text(encoding="utf-8")
    maker = f" by {changes.head.makers}" if changes.head.made_by else ""
    text = template.render(
        name=name.file,
        head=changes.head,
        made=f"{local_time(changes.head.made)}{maker}",
        approval=name.approval,
        tiles=_tiles(changes),
        rows=_rows(changes),
        sums=_sums(changes, data),
        figures=_figures(both, settings),
        findings=_findings(changes, data),
        states=[state for state in STATE_NAMES.values() if state in {item.state for item in data["items"]}],
        has_groups=bool(data["groups"]),
        has_money=bool(data["money"]),
        orders=_orders(),
        keys=KEYS.items(),
        next=name.next_command,
        css=Markup(style),
        js=Markup(script),
        style_hash=_hash_source(style),
        script_hash=_hash_source(script),
        image_source=image_source(settings.page.image),
        data=packed_data(data | {"items": [list(item) for item in data["items"]]}),
        rest=item_rest(both, [item.key for item in data["items"]], settings.page.image),
        nothing=NOTHING,
        count=count,
    )
    return text.encode()


def _hash_source(text: str) -> str:
    """What lets a browser use the page's own script or style and no other (Content Security Policy Level 3)."""
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def _figures(both: BeforeAfter, settings: Settings) -> list[tuple[str, str]]:
    """The charts by what they say, each as an address; none where nothing can draw them."""
    return [(said, _address(svg)) for said, svg in figures(both, settings, "svg").items()] if can_draw() else []


def _address(svg: bytes) -> str:
    """A drawing as an address that holds it (RFC 2397)."""
    return "data:image/svg+xml;base64," + base64.b64encode(svg).decode()


def _orders() -> list[tuple[str, str]]:
    """The orders of the list, each forwards and backwards."""
    return [
        (sign + value, text + way) for value, text in ORDERS.items() for sign, way in (("", ""), ("-", ", reversed"))
    ]


def _tiles(changes: ChangeSet) -> list[tuple[str, str]]:
    """The figures at the top: how much of what."""
    tiles = [(count(len(changes.keys_with_action(CHANGE, RECODE))), "items change")]
    tiles.append((count(len(changes.cells_with_action(CHANGE, RECODE))), "cells change"))
    for do, what in ((ADD, "new items"), (REMOVE, "items to delete"), (RECODE, "items get a new SKU")):
        if len(changes.keys_with_action(do)):
            tiles.append((count(len(changes.keys_with_action(do))), what))
    levels = changes.findings["level"]
    tiles.append((count(int((levels == "error").sum())), "errors, not sent"))
    tiles.append((count(int((levels == "warning").sum())), "warnings"))
    return tiles


def _rows(changes: ChangeSet) -> str:
    """The states of the rows, which add up to those read."""
    counts = changes.counts
    rows = [
        f"{state.replace('_', ' ')} {count(counts[state])}"
        for state in (*STATES, EXCLUDED, LEFT_OUT_ROW)
        if state in counts
    ]
    return " · ".join(rows) + f" = {pluralize(changes.head.edited.rows, 'row')} read"


def _findings(changes: ChangeSet, data: dict[str, Any]) -> list[dict[str, Any]]:
    """What the section of problems tells, errors first: level, check, how many, the first sentences."""
    problems = changes.findings.filter(changes.findings["level"].is_in(["error", "warning"]))
    names = dict(changes.items.select("key", "name").iter_rows())
    touched = {item.key for item in data["items"] if item.cells or item.whole}
    parts = problems.partition_by(["level", "code"], as_dict=True, maintain_order=True)
    listed = []
    for (level, check), findings in sorted(parts.items(), key=lambda part: part[0][0] != "error"):
        some = [
            row | {"code": format_key(row["key"]), "name": names.get(row["key"]) or ""}
            for row in findings.head(MOST_SENTENCES).iter_rows(named=True)
        ]
        decidable = bool(touched.intersection(findings["key"].drop_nulls()))
        more = count(len(findings) - len(some)) if len(findings) > len(some) else ""
        listed.append(
            {"level": level, "check": check, "number": count(len(findings)), "some": some, "more": more}
            | {"decidable": decidable}
        )
    return listed


def _sums(changes: ChangeSet, data: dict[str, Any]) -> list[tuple[str, str, list[dict[str, Any]]]]:
    """The tables beside the problems: fields and categories with how many changes they have."""
    place = {name: at for at, (name, _) in enumerate(data["fields"])}
    fields = [
        row | {"name": row["field"], "number": row["items"], "place": place[row["field"]]}
        for row in totals_by_field(changes).to_dicts()
    ]
    number: dict[int, int] = {}
    for item in data["items"]:
        changed = 1 if item.whole and not item.new_key else len(item.cells)
        number[item.group] = number.get(item.group, 0) + changed
    groups = [
        {"name": name, "number": number[at], "place": at} for at, name in enumerate(data["groups"]) if number.get(at)
    ]
    return [("By field", "field", fields), ("By category", "category", groups)]

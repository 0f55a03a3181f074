"""What the page's list is drawn from, worked out here; how it is drawn is in the scripts beside."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

import polars as pl

from neat_delta.analysis.grouping import field_of
from neat_delta.analysis.margins import price_moves
from neat_delta.analysis.metrics import sort_by_impact
from neat_delta.analysis.text_diff import CAME, SAME, pieces
from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.findings import computed_from
from neat_delta.changeset.problems import COMPUTED
from neat_delta.changeset.schemas import ADD, CHANGE, NONE, RECODE, REMOVE
from neat_delta.changeset.serialization import dump_changes
from neat_delta.changeset.subset import dependent_cells
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.tables.field_types import type_named
from neat_delta.views.formatting import NOTHING, amount, difference, per_cent

if TYPE_CHECKING:
    from collections.abc import Iterable

    from neat_delta.analysis.before_after import BeforeAfter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables.settings import Settings

STATE_NAMES = {CHANGE: "changed", ADD: "new", REMOVE: "to delete", RECODE: "new SKU", NONE: "not sent"}
LEVELS = ("", "note", "warning", "error")


@dataclass(frozen=True)
class PageName:
    """What a page is called by, and what its decisions are for.

    Attributes:
        file: the change set's file.
        changes: the checksum of the whole change set, to which decisions are bound.
        decisions: the name of the file in which decisions are saved.
        next_command: what takes these decisions.
        approval: who approved the change set, and when.
    """

    file: str
    changes: str
    decisions: str = "decisions.json"
    next_command: str = ""
    approval: str = ""


class PageItem(NamedTuple):
    """An item of the list, in the order in which the page's script takes it apart.

    ``cells`` are lists of place of the field, was, now, way, amount, share, and whether it follows a new SKU; ``about``
    what is said of the item: level, place of the check, place of the field (-1: the whole item), sentence. An item with
    ``whole`` is accepted or rejected as one.
    """

    key: str
    new_key: str | None
    name: str | None
    state: str
    group: int
    move: float
    level: int
    cells: list[list[Any]]
    about: list[tuple[int, int, int, str]]
    whole: bool


def page_data(both: BeforeAfter, settings: Settings, name: PageName) -> dict[str, Any]:
    """What the page's lists are drawn from; short, for there may be tens of thousands of items.

    ``items`` are ``PageItem``s. A text in which something stayed is a list of pieces: plain ones as texts, changed ones
    in lists of their own.
    """
    changes = both.changes
    group_of, groups = _groups(both, settings)
    fields = list(changes.head.fields)
    place = {field: at for at, field in enumerate(fields)}
    cells, moves = _cells(changes, place)
    checks = changes.findings["code"].unique(maintain_order=True).to_list()
    about = _about(changes, place, {check: at for at, check in enumerate(checks)})
    order = [*cells, *(key for key in changes.items["key"] if key not in cells)]
    rows_by_key = {row["key"]: row for row in changes.items.iter_rows(named=True)}
    items = []
    for key in order:
        item, said = rows_by_key[key], about.get(key, [])
        level = max((one[0] for one in said), default=0)
        if item["action"] == NONE and level < LEVELS.index("warning"):
            continue
        whole = item["action"] in (ADD, REMOVE, RECODE)
        group, move, state = group_of.get(key, -1), moves.get(key, 0.0), STATE_NAMES[item["action"]]
        items.append(
            PageItem(key, item["new_key"], item["name"], state, group, move, level, cells.get(key, []), said, whole)
        )
    checksum = sha256_hex(dump_changes(changes))
    return {
        "changes": name.changes,
        "part": checksum,
        "whole": checksum == name.changes,
        "file": name.decisions,
        "fields": [[field, _mark(changes, field)] for field in fields],
        "groups": groups,
        "checks": checks,
        "levels": LEVELS,
        "items": items,
        "money": _money(both, settings),
    }


def _mark(changes: ChangeSet, field: str) -> str | None:
    """The decimal separator of a field with numbers."""
    info = changes.head.fields[field]
    return (info.decimal_separator or ".") if type_named(info.type).numeric else None


def _cells(changes: ChangeSet, place: dict[str, int]) -> tuple[dict[str, list[list[Any]]], dict[str, float]]:
    """The cells of each item, those that move most first; and by how much each item moves at most."""
    cells: dict[str, list[list[Any]]] = {}
    moves: dict[str, float] = {}
    follow = set(dependent_cells(changes).iter_rows())
    for cell in sort_by_impact(changes).iter_rows(named=True):
        info = changes.head.fields[cell["field"]]
        way, size, share = difference(cell, info.decimal_separator)
        was, now = _sides(cell["was"], cell["now"], info.type, info.separator)
        follows = int((cell["key"], cell["field"]) in follow)
        cells.setdefault(cell["key"], []).append([place[cell["field"]], was, now, way[:1], size, share, follows])
        moves[cell["key"]] = max(moves.get(cell["key"], 0.0), round(cell["effect"] or 0.0, 4))
    whole = changes.cells.join(changes.keys_with_action(ADD, REMOVE), on="key", how="semi")
    for key, field, was, now in whole.select("key", "field", "was", "now").iter_rows():
        cells.setdefault(key, []).append([place[field], was, now, "", "", "", 0])
    return cells, moves


def _about(
    changes: ChangeSet, place: dict[str, int], check_at: dict[str, int]
) -> dict[str, list[tuple[int, int, int, str]]]:
    """What is said of each item: level, place of the check, place of the field (-1: the whole item), sentence."""
    about: dict[str, list[tuple[int, int, int, str]]] = {}
    inputs = computed_from(changes.findings)
    for key, code, level, field, message in (
        changes.findings.drop_nulls("key").select("key", "code", "level", "field", "message").iter_rows()
    ):
        source = f" from {inputs[key, field]}" if code == COMPUTED and inputs[key, field] else ""
        said = (LEVELS.index(level), check_at[code], place.get(field, -1), message + source)
        about.setdefault(key, []).append(said)
    return about


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
    """The money view: key, price and cost and margin per cent was and now, and the price that keeps it."""
    try:
        moves = price_moves(both, settings)
    except InvalidOption:
        return []
    separator = both.live.format.decimal_separator or "."

    def told(move: dict[str, Any]) -> Iterable[str]:
        yield move["key"]
        for side in ("price_was", "price", "cost_was", "cost", "margin_was", "margin"):
            yield amount(move[side], separator)
        yield per_cent(move["share_was"], separator)
        yield per_cent(move["share"], separator)
        yield amount(move["keep_amount"], separator)
        yield amount(move["keep_share"], separator)

    return [list(told(move)) for move in moves.iter_rows(named=True)]

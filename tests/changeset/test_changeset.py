"""The change set keeps its promises whatever is done to it, and what can be saved can be read."""

import ast
from pathlib import Path

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import neat_delta
from neat_delta.base.frame_schema import BrokenFrame
from neat_delta.changeset.apply_findings import apply_findings
from neat_delta.changeset.changeset import CELLS, ITEMS, build, normalize
from neat_delta.changeset.findings import findings_frame, no_findings
from neat_delta.changeset.head import FieldInfo, FileRef, Head
from neat_delta.changeset.invert import invert
from neat_delta.changeset.serialization import dump_changes, parse_changes
from neat_delta.changeset.subset import subset

FIELDS = {"sku": FieldInfo("SKU", "code"), "price": FieldInfo("Price", "price"), "name": FieldInfo("Name", "text")}
KEYS = list("ABCDEF")


@st.composite
def change_sets(draw):
    """Any change set: items of every action, each in a row of its own, in none, or known by a finding only."""
    items, cells = [], []
    for at, key in enumerate(draw(st.lists(st.sampled_from(KEYS), unique=True))):
        action = draw(st.sampled_from(["change", "add", "remove", "recode", "none"]))
        state = (
            None if action == "remove" else draw(st.sampled_from([None, "changed", "new", "unchanged", "duplicate"]))
        )
        items.append((key, action, state, None if state is None else at + 2, None, f"{key}2"))
        cells += [(key, name, "1", "2") for name in FIELDS if draw(st.booleans())]
    ref = FileRef("f.csv", 9, "0")
    head = Head(("sku",), ref, ref, FIELDS, {"unchanged": 4, "duplicate": 1, "missing": 2})
    frames = (pl.DataFrame(rows, schema=kind, orient="row") for rows, kind in ((items, ITEMS), (cells, CELLS)))
    return build(head, *frames, no_findings())


@st.composite
def edits(draw):
    """What other rooms do to a change set: findings of every effect, parts of it, its inverse."""
    key, name = draw(st.sampled_from(KEYS)), draw(st.sampled_from([None, *FIELDS]))
    effect = draw(st.sampled_from(["block", "repair", "none"]))
    finding = findings_frame("any", "warning", effect, key=key, field=name)
    return draw(
        st.sampled_from(
            [
                lambda changes: apply_findings(changes, finding.join(changes.items, on="key", how="semi")),
                lambda changes: subset(changes, changes.cells.filter(field="price").select("key", "field")),
                invert,
            ]
        )
    )


@given(change_sets(), st.lists(edits(), max_size=4))
def test_whatever_is_done_to_it_a_change_set_keeps_its_promises_and_is_read_back_as_it_was(changes, done):
    rows = sum(changes.counts.values())
    for edit in done:
        changes = edit(changes)

        again = normalize(changes)
        assert again.items.equals(changes.items)
        assert again.cells.equals(changes.cells)
        assert parse_changes(dump_changes(changes), Path("c.jsonl")).equivalent_to(changes)
        assert sum(changes.counts.values()) == rows


def one(action, state, *, cells=True):
    items = pl.DataFrame([("A", action, state, 2, None, "B")], schema=ITEMS, orient="row")
    ref = FileRef("f.csv", 1, "0")
    rows = [("A", "price", "1", "2")] if cells else []
    head = Head(("sku",), ref, ref, FIELDS, {})
    return build(head, items, pl.DataFrame(rows, schema=CELLS, orient="row"), no_findings())


@pytest.mark.parametrize(
    ("action", "state", "effect", "then"),
    [
        ("change", "changed", "block", ("none", "rejected", None)),
        ("change", "changed", "repair", ("none", "unchanged", None)),
        ("change", "changed", "none", ("change", "changed", None)),
        ("recode", "changed", "block", ("recode", "changed", "B")),
        ("add", "new", "block", ("none", "rejected", None)),
    ],
)
def test_the_state_of_a_row_follows_from_what_becomes_of_its_item(action, state, effect, then):
    changes = apply_findings(one(action, state), findings_frame("any", "error", effect, key="A", field="price"))

    assert changes.items.select("action", "row_state", "new_key").row(0) == then
    assert changes.counts[then[1]] == 1


def test_a_code_change_that_is_held_back_asks_for_nothing_any_more():
    changes = apply_findings(one("recode", "changed"), findings_frame("any", "error", key="A"))

    assert changes.items.select("action", "row_state", "new_key").row(0) == ("none", "rejected", None)
    assert changes.cells.is_empty()


def test_an_item_without_cells_is_not_changed():
    assert one("change", "changed", cells=False).items["action"].to_list() == ["none"]


def test_what_nobody_could_read_again_is_not_made():
    changes = one("change", "changed")

    with pytest.raises(BrokenFrame, match=r"two (items share a|rows have the same) key"):
        build(changes.head, pl.concat([changes.items, changes.items]), changes.cells, no_findings())
    with pytest.raises(BrokenFrame, match="a cell has no item"):
        build(changes.head, changes.items.clear(), changes.cells, no_findings())


def test_nobody_else_makes_a_change_set_or_alters_one_by_hand():
    room = Path(neat_delta.__file__).parent
    made = []
    for path in room.rglob("*.py"):
        if path.is_relative_to(room / "changeset"):
            continue
        for call in (node for node in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(node, ast.Call)):
            name = getattr(call.func, "id", "")
            parts = {word.arg for word in call.keywords} & {"items", "cells", "findings", "head"}
            whose = ast.unparse(call.args[0]) if call.args else ""
            if name == "ChangeSet" or (name == "replace" and parts and whose.endswith("changes")):
                made.append(f"{path.relative_to(room)}:{call.lineno}")
    assert made == []


def some_changes(**actions):
    """Items with rows of their own, each with a price and a name that change, come or go."""
    items = [
        (key, action, None, None if action == "remove" else at, None, None)
        for at, (key, action) in enumerate(actions.items(), start=2)
    ]
    now = {"remove": None}
    cells = [(key, name, "1", now.get(action, "2")) for key, action in actions.items() for name in ("price", "name")]
    ref = FileRef("f.csv", 9, "0")
    frames = (pl.DataFrame(rows, schema=kind, orient="row") for rows, kind in ((items, ITEMS), (cells, CELLS)))
    return build(Head(("sku",), ref, ref, FIELDS, {}), *frames, no_findings())


@pytest.mark.parametrize("action", ["add", "remove"])
def test_an_item_comes_or_goes_whole_or_not_at_all(action):
    """A problem with one cell of it is enough."""
    blocked = apply_findings(some_changes(A=action, B=action), findings_frame("any", "error", key="A", field="price"))

    assert blocked.items.select("key", "action").rows() == [("A", "none"), ("B", action)]
    assert set(blocked.cells["key"]) == {"B"}


def test_a_repaired_row_is_unchanged_and_a_blocked_one_is_rejected():
    changes = some_changes(A="change", B="change", C="change")
    whole = [findings_frame("any", "warning", "repair", key="A", field=name) for name in ("price", "name")]
    blocked = [findings_frame("any", "error", key="B", field=name) for name in ("price", "name")]
    part = findings_frame("any", "warning", "repair", key="C", field="price")
    after = apply_findings(changes, pl.concat([*whole, *blocked, part]))

    counted = {state: number for state, number in after.counts.items() if number}
    assert counted == {"changed": 1, "unchanged": 1, "rejected": 1}
    assert after.cells.select("key", "field").rows() == [("C", "name")]

import gzip
import json

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import write_table
from neat_delta.base.errors import InvalidInput, WriteError
from neat_delta.changeset.changeset import CELLS, ITEMS, build
from neat_delta.changeset.findings import FINDINGS
from neat_delta.changeset.head import FieldInfo, FileRef, Head
from neat_delta.changeset.invert import invert
from neat_delta.changeset.serialization import dump_changes, load_changes, parse_changes, save_changes
from neat_delta.diff.compare import compare
from neat_delta.reading import read_pair

LIVE = [
    ["sku", "loc", "name", "price"],
    ["A", "1", 'say "hi"\n', "1.00"],
    ["A", "2", "", "2.00"],
    ["B", "1", "b", "3.00"],
]
EDITED = [
    ["sku", "loc", "name", "price"],
    ["A", "1", "né\\ \x1b", "x"],
    ["A", "2", "new", "2.50"],
    ["C", "1", "c", "1"],
]


@pytest.fixture
def changes(tmp_path):
    from neat_delta.diff.compare import CompareOptions

    a, b = write_table(tmp_path / "live.csv", LIVE), write_table(tmp_path / "edited.csv", EDITED)
    return compare(*read_pair(a, b), CompareOptions(key=["sku", "loc"])).changes


@pytest.mark.parametrize("name", ["c.changes.jsonl", "c.changes.jsonl.gz"])
def test_a_kept_change_set_is_read_back_as_it_was(tmp_path, changes, name):
    save_changes(changes, tmp_path / name)

    back = load_changes(tmp_path / name)

    assert (tmp_path / name).read_bytes().startswith(b"\x1f\x8b") == name.endswith(".gz")
    assert back.counts == changes.counts
    assert back.items.equals(changes.items)
    assert back.cells.equals(changes.cells)
    assert back.findings.sort("line").equals(changes.findings.sort("line"))


def test_the_file_form(tmp_path, changes):
    save_changes(changes, tmp_path / "c.jsonl")

    head, *items = map(json.loads, (tmp_path / "c.jsonl").read_text("utf-8").splitlines())
    assert head["key"] == ["sku", "loc"]
    assert head["fields"]["price"] == {
        "column": "price",
        "type": "price",
        "decimal_separator": ".",
        "decimals_shown": 2,
    }
    assert items[0]["key"] == ["A", "1"]
    assert items[0]["cells"] == {"name": {"was": 'say "hi"\n', "now": "né\\ \x1b"}}
    assert {finding["code"] for finding in items[0]["findings"]} == {"unreadable cell"}
    assert items[1]["cells"] == {"name": {"was": None, "now": "new"}, "price": {"was": "2.00", "now": "2.50"}}
    assert (items[2]["key"], items[2]["action"]) == (["C", "1"], "none")


def test_undoing_twice_is_the_change_set_again(changes):
    assert invert(invert(changes)).cells.equals(changes.cells)
    assert not invert(changes).cells.equals(changes.cells)


def test_a_file_that_is_no_change_set_is_never_overwritten(tmp_path, changes):
    stranger = tmp_path / "notes.txt"
    stranger.write_text("mine")

    with pytest.raises(WriteError, match="not to a change set"):
        save_changes(changes, stranger, replace=True)
    assert stranger.read_text() == "mine"


def test_an_earlier_change_set_is_replaced_only_when_told(tmp_path, changes):
    save_changes(changes, tmp_path / "c.jsonl")
    earlier = (tmp_path / "c.jsonl").read_bytes()

    with pytest.raises(WriteError, match="the file already exists"):
        save_changes(invert(changes), tmp_path / "c.jsonl")
    assert (tmp_path / "c.jsonl").read_bytes() == earlier

    save_changes(invert(changes), tmp_path / "c.jsonl", replace=True)
    assert load_changes(tmp_path / "c.jsonl").cells.equals(invert(changes).cells)


def damage(data: bytes):
    lines = data.splitlines(keepends=True)
    later = data.replace(b'"neat_delta":2', b'"neat_delta":9', 1)
    yield "a later format", later, "format 9"
    yield "cut off within a line", data[:-20], "line 4: this line is not an item"
    yield "cut off between lines", b"".join(lines[:2]), "counts 2 changed rows"
    yield "an item twice", data + lines[1], "twice"
    yield "another kind of work", data.replace(b'"action":"none"', b'"action":"swap"', 1), "unknown action"
    yield "not to a change set", b"sku,name\n1,a\n", "not a change set"
    yield "half a gzip file", gzip.compress(data)[:-9], "cut off"


def test_a_damaged_file_is_refused_with_the_reason(tmp_path, changes):
    save_changes(changes, tmp_path / "c.jsonl")
    for what, data, reason in damage((tmp_path / "c.jsonl").read_bytes()):
        (tmp_path / "damaged").write_bytes(data)
        with pytest.raises(InvalidInput, match=reason):
            load_changes(tmp_path / "damaged")
            pytest.fail(what)


VALUES = st.none() | st.sampled_from(["", "1.20", 'say "hi"', "\\u001f", "é\n", "\x01", "}]}"])
FIELDS = {
    **{key: FieldInfo(key, "code") for key in "xy"},
    "price": FieldInfo("Price", "price"),
    'a "b"': FieldInfo('A "b"', "text"),
}


@st.composite
def change_sets(draw):
    """Change sets of odd texts: items with and without cells and findings, findings without an item."""
    depth = draw(st.integers(1, 2))
    codes = draw(st.lists(st.text('ab"\\{é', min_size=1, max_size=3), unique=True, max_size=5))
    keys = ["\x1f".join([code] * depth) for code in codes]
    state = st.sampled_from([None, "changed", "unchanged", "new", "rejected", "left_out", "duplicate"])
    items = [
        (key, draw(st.sampled_from(["change", "add", "remove", "none"])), draw(state), at, draw(VALUES), None)
        for at, key in enumerate(keys, start=2)
    ]
    cells = [(key, name, draw(VALUES), draw(VALUES)) for key in keys for name in FIELDS if draw(st.booleans())]
    whose = draw(st.lists(st.tuples(st.sampled_from([*keys, None]), st.sampled_from(["block", "none"])), max_size=5))
    findings = [("code", "warning", effect, key, "price", 7, draw(VALUES), draw(VALUES), None) for key, effect in whose]
    stamp = FileRef("f.csv", 1, "0")
    head = Head(tuple("xy"[:depth]), stamp, stamp, FIELDS, {"unchanged": 3, "missing": 1})
    frames = ((items, ITEMS), (cells, CELLS), (findings, FINDINGS))
    return build(head, *(pl.DataFrame(rows, schema=schema, orient="row") for rows, schema in frames))


@given(change_sets(), st.randoms())
def test_a_change_set_of_any_texts_is_read_back_as_it_was(tmp_path_factory, changes, dice):
    mixed = changes.cells.with_row_index("at").sample(fraction=1, shuffle=True, seed=dice.randrange(99))
    data = dump_changes(build(changes.head, changes.items, mixed.drop("at"), changes.findings))

    back = parse_changes(data, tmp_path_factory.getbasetemp() / "c.jsonl")

    assert back.counts == changes.counts
    assert back.items.equals(changes.items)
    assert back.cells.equals(changes.cells)
    by_item = [
        found.sort("key", nulls_last=True, maintain_order=True).rows() for found in (back.findings, changes.findings)
    ]
    assert by_item[0] == by_item[1]

"""A change set edited by hand: what says no change is refused with its line, and another way of writing is not."""

import json

import pytest

from helpers import write_table
from neat_delta.base.errors import InvalidInput
from neat_delta.changeset.serialization import dump_changes, parse_changes
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair

LIVE = [["sku", "loc", "name", "price"], ["A", "1", "a", "1.00"], ["A", "2", "b", "2.00"], ["B", "1", "c", "3.00"]]
EDITED = [LIVE[0], ["A", "1", "x", "y"], ["A", "2", "new", "2.50"], ["C", "1", "c", "1"]]
HEAD, FIRST, SECOND = 1, 2, 3


@pytest.fixture
def lines(tmp_path):
    a, b = write_table(tmp_path / "live.csv", LIVE), write_table(tmp_path / "edited.csv", EDITED)
    changes = compare(*read_pair(a, b), CompareOptions(key=["sku", "loc"])).changes
    return [json.loads(line) for line in dump_changes(changes).splitlines()]


def with_member(lines, number, name, value):
    """The lines with another value of a member, named by the way to it."""
    *way, last = name.split("/")
    place = lines[number - 1]
    for step in way:
        place = place[step]
    place[last] = value
    return lines


def written(lines):
    return "\n".join(map(json.dumps, lines)).encode() + b"\n"


def test_what_a_program_that_knows_json_writes_in_another_way_is_the_same(tmp_path, lines):
    # (With spaces, and with é as \u00e9.)
    back = parse_changes(written(with_member(lines, FIRST, "cells/name/now", "é")), tmp_path / "c.jsonl")

    assert back.cells.rows() == [
        ("A\x1f1", "name", "a", "é"),
        ("A\x1f2", "name", "b", "new"),
        ("A\x1f2", "price", "2.00", "2.50"),
    ]
    assert back.counts["changed"] == 2


@pytest.mark.parametrize(
    ("number", "name", "value", "reason"),
    [
        (HEAD, "key", [], "no key"),
        (HEAD, "key", ["sku", "sku"], "no key"),
        (HEAD, "key", ["sku", "shelf"], "the key is none of its fields"),
        (HEAD, "made", 3, "the head of the change set is damaged"),
        (HEAD, "fields/*", {"column": "x", "type": "text"}, "is no name of a field"),
        (HEAD, "fields/price/type", "cash", "'cash' is no type"),
        (HEAD, "fields/price/decimal_separator", ";", "decimal_separator"),
        (HEAD, "fields/price/separator", "", "separator"),
        (HEAD, "live/rows", -1, "how live.csv was read"),
        (HEAD, "live/delimiter", "#", "how live.csv was read"),
        (HEAD, "edited/header_line", -1, "header_line"),
        (HEAD, "edited/encoding", "latin-99", "encoding"),
        (HEAD, "counts/changed", -1, "counts"),
        (FIRST, "action", "swap", "unknown action"),
        (FIRST, "key", ["A"], "a key has 2 texts"),
        (FIRST, "key", ["A\x1f", "1"], "a key has 2 texts"),
        (FIRST, "key", None, "only findings have no key"),
        (FIRST, "new_key", ["X", "1"], "new_key goes with the action recode"),
        (FIRST, "row_state", "odd", "row_state 'odd'"),
        (FIRST, "cells/colour", {"was": None, "now": "x"}, "the head has no field 'colour'"),
        (FIRST, "cells/name/now", 3, "this line is not an item of a change set"),
        (FIRST, "line", 0, "line"),
        (SECOND, "key", ["A", "1"], "this item is in the change set twice"),
    ],
)
def test_what_says_no_change_is_refused_with_its_line(tmp_path, lines, number, name, value, reason):
    data = written(with_member(lines, number, name, value))

    with pytest.raises(InvalidInput, match=reason) as refused:
        parse_changes(data, tmp_path / "c.jsonl")
    assert refused.value.line == number


@pytest.mark.parametrize(
    ("new_keys", "reason"),
    [
        ([["X", "1"], ["X", "1"]], "two items get this new key"),
        ([["X", "1"], ["A", "2"]], "the item has this key already"),
    ],
)
def test_new_keys_that_cannot_be_are_refused(tmp_path, lines, new_keys, reason):
    for number, new_key in zip((FIRST, SECOND), new_keys, strict=True):
        lines[number - 1] |= {"action": "recode", "new_key": new_key}

    with pytest.raises(InvalidInput, match=reason) as refused:
        parse_changes(written(lines), tmp_path / "c.jsonl")
    assert refused.value.line == SECOND


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        (b'"cells":{', b'"cells":{"name":{"was":"a","now":"z"},', "has a field twice"),
        (b'"now":"x"', b'"now":"\xff"', "not UTF-8 text"),
    ],
)
def test_a_line_that_no_program_writes_is_refused(tmp_path, lines, old, new, reason):
    data = "\n".join(json.dumps(line, separators=(",", ":")) for line in lines).encode() + b"\n"

    with pytest.raises(InvalidInput, match=reason) as refused:
        parse_changes(data.replace(old, new, 1), tmp_path / "c.jsonl")
    assert refused.value.line == FIRST

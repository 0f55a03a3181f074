"""What is decided in a page becomes just the change set that was meant, or nothing."""

import json
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import write_table
from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.changeset.serialization import dump_changes
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.reading import read_pair
from neat_delta.reconcile.page_decisions import read_page_decisions
from neat_delta.reconcile.review import subset_with_review

SCHEMA = json.loads((Path(__file__).parents[2] / "docs/schemas/decisions.schema.json").read_text())
LIVE = [["sku", "name", "price"], *([f"K-{at}", f"Hive {at}", "1.00"] for at in range(4))]
EDITED = [["sku", "name", "price"], *([f"K-{at}", f"Hive no. {at}", "2.00"] for at in range(3)), ["N", "New", "3.00"]]
UNITS = [*((f"K-{at}", field) for at in range(3) for field in ("name", "price")), ("N", None), ("K-3", None)]


@pytest.fixture(scope="module")
def changes(tmp_path_factory):
    folder = tmp_path_factory.mktemp("decided")
    live, edited = write_table(folder / "live.csv", LIVE), write_table(folder / "edited.csv", EDITED)
    return compare(*read_pair(live, edited), CompareOptions(add_new=True, delete_at_most=1)).changes


def file_of(folder, changes, decisions, other=None):
    """A file of decisions as the page writes it."""
    rows = [{"item": [key], "field": field, "decision": mark} | more for key, field, mark, more in decisions]
    head = {"neat_delta": 2, "kind": "decisions", "changes": sha256_hex(dump_changes(changes))} | (other or {})
    path = folder / "x.decisions.json"
    path.write_text(json.dumps(head | {"decisions": rows}))
    jsonschema.validate(json.loads(path.read_text()), SCHEMA)
    return path


def units_in(changes):
    """What a change set still changes, in the units in which a person decides."""
    whole = changes.items.filter(changes.items["action"].is_in(["add", "remove"]))["key"].to_list()
    cells = changes.cells.filter(~changes.cells["key"].is_in(whole)).select("key", "field").rows()
    return {*((key, None) for key in whole), *cells}


MARK = st.sampled_from(["accept", "reject", None])


@given(marks=st.lists(MARK, min_size=len(UNITS), max_size=len(UNITS)), unmarked=st.booleans())
def test_what_is_accepted_is_kept_and_nothing_else(changes, tmp_path_factory, marks, unmarked):
    decided = [(*unit, mark, {}) for unit, mark in zip(UNITS, marks, strict=True) if mark]
    path = file_of(tmp_path_factory.getbasetemp(), changes, decided)

    review = read_page_decisions(path, changes, unmarked=unmarked)
    less = subset_with_review(changes, review.keep, review, "decisions")

    wanted = ("accept", None) if unmarked else ("accept",)
    assert units_in(less) == {unit for unit, mark in zip(UNITS, marks, strict=True) if mark in wanted}


def test_comments_stay_with_what_they_are_about(changes, tmp_path):
    path = file_of(
        tmp_path,
        changes,
        [
            ("K-0", "price", "accept", {"comment": "agreed by phone"}),
            ("K-1", "price", "reject", {"comment": "too high"}),
            ("K-2", "price", None, {"comment": "ask Anna"}),
        ],
    )
    review = read_page_decisions(path, changes)
    less = subset_with_review(changes, review.keep, review, "decisions")

    said = {row["key"]: row["message"] for row in less.findings.filter(field="price").to_dicts()}
    assert said["K-0"] == "accepted: agreed by phone"
    assert said["K-1"] == "rejected: too high"
    assert said["K-2"] == "rejected: ask Anna"


@pytest.mark.parametrize(
    ("decisions", "other", "error", "says"),
    [
        ([], {"changes": "0" * 64}, InvalidOption, "another change set"),
        ([("K-9", "price", "accept", {})], {}, InvalidInput, "not in the change set"),
        ([("K-0", "stock", "accept", {})], {}, InvalidInput, "not in the change set"),
        ([("K-0", "price", "accept", {}), ("K-0", "price", "reject", {})], {}, InvalidInput, "conflicting"),
    ],
)
def test_decisions_that_cannot_be_meant_are_refused(changes, tmp_path, decisions, other, error, says):
    with pytest.raises(error, match=says):
        read_page_decisions(file_of(tmp_path, changes, decisions, other), changes)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "[]",
        "{}",
        "\x00\xff",
        '{"neat_delta":2,"kind":"receipt","changes":"x","decisions":[]}',
        '{"neat_delta":3,"kind":"decisions","changes":"x","decisions":[]}',
        '{"neat_delta":2,"kind":"decisions","changes":"x","decisions":[{"item":["A"],"decision":"maybe"}]}',
    ],
)
def test_what_is_no_file_of_decisions_is_named(changes, tmp_path, text):
    path = tmp_path / "d.json"
    path.write_text(text)
    with pytest.raises(InvalidInput, match=r"decisions"):
        read_page_decisions(path, changes)

"""Code changes, alone and with what follows them."""

import tempfile
from pathlib import Path

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helpers import examples, neat_delta, read_rows, update_files, write_table
from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.invert import invert
from neat_delta.changeset.serialization import dump_changes, load_changes
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.diff.recode import code_pairs, recode
from neat_delta.diff.rekey_plan import schedule
from neat_delta.matching.context import Context
from neat_delta.matching.key import Key
from neat_delta.reading import read_pair, read_table
from neat_delta.tables.settings import FieldSettings, Settings
from neat_delta.update.write import write_update

KEY = Key(("sku",), explicit=True)
LIVE = [
    ["sku", "name", "related", "picture"],
    *([f"C-{at}", f"Item {at}", f"C-{at % 3}|C-9", f"c-{at}_front.jpg"] for at in range(10)),
]


def run(folder, pairs, live=LIVE, **told):
    ours = read_table(write_table(folder / "live.csv", live))
    codes = read_table(write_table(folder / "codes.csv", [["old", "new"], *map(list, pairs)]))
    return recode(codes, Context(ours, Settings(), KEY), code_pairs(codes, KEY), CompareOptions(), **told)


def renamed(table, files):
    """A shop that changes codes row by row and never has two items of one code; nothing of ours is used."""
    header, *rows = table
    items = {row[0]: row for row in rows}
    for path in files:
        columns, *changes = read_rows(path)
        for change in changes:
            if "codes" in path.name:
                old, new = change
                assert new not in items
                items[new] = [new, *items.pop(old)[1:]]
                continue
            for column, cell in zip(columns, change, strict=True):
                items[change[0]][header.index(column)] = cell
    return [header, *sorted(items.values())]


def test_fields_that_name_an_item_follow_it_and_everything_comes_back(tmp_path):
    seen = run(tmp_path, [("C-1", "D-1"), ("C-9", "D-9")], images=True)
    write_update(seen.changes, seen.live, tmp_path / "up")

    got = renamed(LIVE, update_files(tmp_path / "up"))

    to = {"C-1": "D-1", "C-9": "D-9"}
    assert [row[0] for row in got[1:]] == sorted(to.get(row[0], row[0]) for row in LIVE[1:])
    assert ["D-1", "Item 1", "D-1|D-9", "D-1_front.jpg"] in got
    assert ["C-4", "Item 4", "D-1|D-9", "c-4_front.jpg"] in got
    assert renamed(got, update_files(tmp_path / "up/undo")) == LIVE
    assert load_changes_of(tmp_path, seen).items.rows() == seen.changes.items.rows()
    assert seen.changes.counts["changed"] == len(to)


def load_changes_of(folder, seen):
    (folder / "kept").write_bytes(dump_changes(seen.changes))
    return load_changes(folder / "kept")


@pytest.mark.parametrize(
    ("pairs", "checks", "kept"),
    [
        ([("X", "Y")], {"unknown SKU"}, {}),
        ([("C-1", "C-2")], {"SKU in use"}, {}),
        ([("C-1", "C-2"), ("C-2", "C-3"), ("C-3", "C-4")], {"SKU in use"}, {}),
        ([("C-1", "D"), ("C-2", "D")], {"SKU merged"}, {}),
        ([("C-1", "D"), ("C-1", "E")], {"SKU split"}, {}),
        ([("C-1", "C-1"), ("C-2", "D")], {"same SKU"}, {"C-2": "D"}),
        ([("C-1", ""), ("C-2", " D")], {"invalid SKU"}, {}),
        ([("C-1", "C-2"), ("C-2", "C-1")], set(), {"C-1": "C-2", "C-2": "C-1"}),
        ([("C-1", "D"), ("C-1", "D")], {"duplicate row"}, {"C-1": "D"}),
    ],
)
def test_what_cannot_be_is_found_before_anything_is_written(tmp_path, pairs, checks, kept):
    seen = run(tmp_path, pairs)

    assert set(seen.changes.findings["code"]) == checks
    assert seen.changes.new_keys() == kept


def test_every_row_of_a_list_of_codes_is_accounted_for(tmp_path):
    seen = run(tmp_path, [["C-1", "N-1"], ["C-2", "N-2", "more"], ["C-1", "N-1"], ["C-3", "C-3"], ["C-0"], ["X", "Y"]])

    counts = seen.changes.counts
    assert {state: rows for state, rows in counts.items() if rows} == {
        "changed": 1, "unchanged": 1, "duplicate": 1, "unreadable": 2, "rejected": 1,
    }  # fmt: skip
    assert seen.changes.findings.filter(code="unreadable row")["line"].to_list() == [3, 6]


codes = [f"K{at}" for at in range(12)]


@settings(max_examples=examples(30))
@given(st.lists(st.sampled_from(codes), unique=True), st.data())
def test_at_no_moment_do_two_items_share_a_code(moved, data):
    """For any change of codes into each other's places or to free ones: chains, swaps, rings."""
    free = [f"N{at}" for at in range(len(moved))]
    targets = data.draw(st.permutations(moved + free))[: len(moved)]
    to = {old: new for old, new in zip(moved, targets, strict=True) if old != new}
    at = {code: code for code in codes}  # where each item, known by its first code, is now
    for stage in schedule(to, codes):
        in_use = set(at.values())
        assert not set(stage.values()) & in_use
        assert set(stage) <= in_use
        at = {item: stage.get(code, code) for item, code in at.items()}
    assert at == {code: to.get(code, code) for code in codes}


@settings(max_examples=examples(15), deadline=None)
@given(st.permutations(range(10)))
def test_any_exchange_of_codes_is_proved_and_undone(order):
    pairs = [(f"C-{at}", f"C-{to}") for at, to in enumerate(order)]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        seen = run(folder, pairs)
        if write_update(seen.changes, seen.live, folder / "up") is None:
            assert list(order) == sorted(order)
            return
        got = renamed(LIVE, update_files(folder / "up"))
        back = renamed(got, update_files(folder / "up/undo"))
        twice = invert(invert(seen.changes))

    names = {row[1]: row[0] for row in got[1:]}
    assert names == {f"Item {at}": f"C-{to}" for at, to in enumerate(order)}
    assert back == LIVE
    assert (twice.items.rows(), twice.cells.rows()) == (seen.changes.items.rows(), seen.changes.cells.rows())


def test_columns_of_a_list_of_codes_are_known_by_name_or_told(tmp_path):
    table = [["new sku", "remark", "sku"], ["D", "x", "C-1"]]
    listed = read_table(write_table(tmp_path / "c.csv", table))

    assert code_pairs(listed, KEY).row(0) == ("C-1", "D", 2)
    assert code_pairs(listed, KEY, old="remark").row(0) == ("x", "D", 2)
    many = read_table(write_table(tmp_path / "many.csv", [["sku", "item id", "name"], ["C-1", "D", "x"]]))
    with pytest.raises(InvalidOption, match="cannot tell which columns hold the old and the new SKUs"):
        code_pairs(many, KEY)
    with pytest.raises(InvalidOption, match="there is no column 'none'"):
        code_pairs(listed, KEY, old="none")


IDS = [["sku", "id", "name", "price"], *([f"C-{at}", f"7{at}", f"Item {at}", f"{at}.00"] for at in range(6))]


def sheet(folder, edit, **told):
    rows = [list(row) for row in IDS]
    edit(rows)
    ours, edited = read_pair(write_table(folder / "live.csv", IDS), write_table(folder / "edited.csv", rows))
    return compare(ours, edited, CompareOptions(**told))


def other_code(rows):
    rows[2][0], rows[2][3] = "D-1", "1.50"


def test_a_code_changed_in_a_sheet_is_known_by_the_second_identity(tmp_path):
    seen = sheet(tmp_path, other_code, settings=Settings(identity="id"))
    write_update(seen.changes, seen.live, tmp_path / "up")

    assert seen.changes.new_keys() == {"C-1": "D-1"}
    assert (seen.changes.counts["changed"], seen.changes.counts["new"]) == (1, 0)
    got = renamed(IDS, update_files(tmp_path / "up"))
    assert ["D-1", "71", "Item 1", "1.50"] in got
    assert renamed(got, update_files(tmp_path / "up/undo")) == IDS


def test_without_a_second_identity_a_code_change_is_suggested_and_accepted_by_a_list(tmp_path):
    suggested = sheet(tmp_path, other_code)
    accepted = pl.DataFrame({"old": ["C-1", "C-2"], "new": ["D-1", "D-2"]})

    assert suggested.changes.new_keys() == {}
    assert suggested.changes.findings.filter(code="likely SKU change")["value"].to_list() == ["D-1"]
    assert sheet(tmp_path, other_code, accepted_rekeys=accepted).changes.new_keys() == {"C-1": "D-1"}


def test_a_code_that_lost_its_zeros_is_no_code_change(tmp_path):
    live = [IDS[0], ["0071", "71", "Item", "1.00"], *IDS[3:]]
    ours = write_table(tmp_path / "live.csv", live)
    edited = write_table(tmp_path / "edited.csv", [live[0], ["71", *live[1][1:]], *live[2:]])
    seen = compare(*read_pair(ours, edited), CompareOptions(settings=Settings(identity="id")))

    assert seen.changes.new_keys() == {}
    assert seen.changes.findings["code"].to_list() == ["repaired SKU"]


def code_alone(rows):
    rows[2][0] = "D-1"


@pytest.mark.parametrize("edit", [other_code, code_alone])
def test_the_rows_of_a_sheet_with_code_changes_add_up(tmp_path, edit):
    seen = sheet(tmp_path, edit, settings=Settings(identity="id"))

    assert sum(seen.changes.counts.values()) == seen.changes.head.edited.rows
    assert [row for state in ("changed", "unchanged") for row in seen.rows_in(state)["key"]] == ["D-1", "C-0", *_rest()]


def _rest():
    return [row[0] for row in IDS[3:]]


def test_a_list_of_skus_is_followed_whatever_it_is_called_and_typed(tmp_path):
    """The maker's own number is no link, though it is that of the item."""
    live = [
        ["sku", "name", "Zubehör", "maker no"],
        *([f"C-{at}", f"Item {at}", f"C-{(at + 1) % 10}|C-{(at + 2) % 10}", f"C-{at}"] for at in range(10)),
    ]
    for settled in (Settings(), Settings(fields={"zubehör": FieldSettings(type="code", separator="|")})):
        ours = read_table(write_table(tmp_path / "live.csv", live))
        codes = read_table(write_table(tmp_path / "codes.csv", [["old", "new"], ["C-3", "X-3"]]))
        seen = recode(codes, Context(ours, settled, KEY), code_pairs(codes, KEY), CompareOptions(settings=settled))
        assert set(seen.changes.cells.select("key", "field", "now").rows()) == {
            ("C-1", "zubehör", "C-2|X-3"),
            ("C-2", "zubehör", "X-3|C-4"),
        }


LINKED = [["sku", "item_id", "related"], ["A", "1", ""], ["B", "2", "A"], ["C", "3", "A|B"], ["D", "4", "B"]]
LINKS = Settings(identity="item_id", fields={"related": FieldSettings(type="item link", separator="|")})


@pytest.mark.parametrize(
    ("sheet", "links"),
    [
        ([["X", "1", ""], *LINKED[2:]], {"B": "X", "C": "X|B"}),
        ([["X", "1", ""], LINKED[2]], {"B": "X", "C": "X|B"}),
        ([["B", "1", ""], ["A", "2", "A"], *LINKED[3:]], {"B": "B", "D": "A"}),
        ([["X", "1", ""], ["B", "2", "A"], ["C", "3", "A|B|D"], ["D", "4", "A"]], {"B": "X", "C": "X|B|D", "D": "X"}),
        ([["B", "1", ""], ["A", "2", "A"], ["C", "3", "D"], ["D", "4", "A"]], {"B": "B", "C": "D", "D": "A"}),
        ([["X", "1", ""], ["B", "2", "A"]], {"B": "X", "C": None, "D": None}),
    ],
    ids=["one", "in items beside the sheet", "exchanged", "typed, of an item that is gone", "typed", "deleted"],
)
def test_links_follow_the_new_skus_of_an_edited_file(tmp_path, sheet, links):
    deleted = {code for code, link in links.items() if link is None}
    a, b = write_table(tmp_path / "live.csv", LINKED), write_table(tmp_path / "edited.csv", [LINKED[0], *sheet])
    options = CompareOptions(settings=LINKS, delete_at_most=2 if deleted else None)

    changes = compare(*read_pair(a, b), options).changes

    sent = changes.cells.filter(field="related").join(changes.keys_with_action("remove"), on="key", how="anti")
    assert dict(sent.select("key", "now").iter_rows()) == {code: link for code, link in links.items() if link}
    assert set(changes.keys_with_action("remove")["key"]) == deleted


def test_links_that_another_person_typed_or_the_shop_got_since_follow_too(tmp_path):
    def saved(name, rows):
        write_table(tmp_path / f"{name}.csv", [LINKED[0], *rows])
        done = neat_delta("compare", "live.csv", f"{name}.csv", "-o", f"{name}.changes.jsonl", cwd=tmp_path)
        assert done.returncode == 0, done.stdout

    (tmp_path / "catalogue.toml").write_text(
        'identity = "item_id"\n[fields.related]\ntype = "item link"\nseparator = "|"\n'
    )
    write_table(tmp_path / "live.csv", LINKED)
    saved("one", [["X", "1", ""], *LINKED[2:]])
    saved("two", [*LINKED[1:4], ["D", "4", "A"]])
    write_table(tmp_path / "fresh.csv", [*LINKED[:3], ["C", "3", "A|B|D"], ["D", "4", "A|B"], ["E", "5", "A"]])

    neat_delta("combine", "one.changes.jsonl", "two.changes.jsonl", "-o", "both.changes.jsonl", cwd=tmp_path)
    words = ("refresh", "one.changes.jsonl", "fresh.csv", "-o", "now.changes.jsonl")
    neat_delta(*words, cwd=tmp_path, NEAT_DELTA_USER="Cleo")

    both, now = (load_changes(tmp_path / f"{name}.changes.jsonl") for name in ("both", "now"))
    assert dict(both.cells.select("key", "now").iter_rows()) == {"B": "X", "C": "X|B", "D": "X"}
    assert dict(now.cells.select("key", "now").iter_rows()) == {"B": "X", "C": "X|B|D", "D": "X|B", "E": "X"}
    assert not now.needs_attention
    assert now.head.made_by[-1] == "Cleo"  # who may not approve it therefore


def test_a_new_sku_of_an_edited_file_goes_through_the_same_gate_as_one_of_a_list(tmp_path):
    short = Settings(identity="item_id", fields=LINKS.fields | {"sku": FieldSettings(length=1)})
    a = write_table(tmp_path / "live.csv", LINKED)
    b = write_table(tmp_path / "edited.csv", [LINKED[0], ["A9", "1", ""], *LINKED[2:]])

    changes = compare(*read_pair(a, b), CompareOptions(settings=short)).changes

    assert (changes.new_keys(), len(changes.cells)) == ({}, 0)
    assert changes.findings.select("code", "key", "field").rows() == [("SKU too long", "A", "sku")]


def test_of_a_key_of_several_fields_one_may_stay_blank_and_only_links_are_counted_as_such(tmp_path):
    live = [["sku", "size", "item_id", "name"], ["A", "", "1", "Hive"], ["B", "S", "2", "Veil"], ["C", "", "3", "Jar"]]
    (tmp_path / "catalogue.toml").write_text('key = ["sku", "size"]\nidentity = "item_id"\n')
    write_table(tmp_path / "live.csv", live)
    write_table(tmp_path / "edited.csv", [live[0], ["X", "", "1", "Hive"], live[2], ["C", "", "3", "Jar, new"]])

    done = neat_delta("compare", "live.csv", "edited.csv", "--write", "up", cwd=tmp_path)

    assert (done.returncode, "1 item with a new SKU\n" in done.stdout) == (0, True), done.stdout

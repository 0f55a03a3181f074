"""Two people edit at once: their change sets become one, whatever the order."""

from functools import reduce

import openpyxl
import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from helpers import examples, import_into, neat_delta, read_rows, update_files, write_table
from neat_delta.base.errors import InvalidOption
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair
from neat_delta.reconcile.combine import combine

HEAD = ["sku", "name", "price", "stock"]
LIVE = [HEAD, *([f"A{at}", f"Item {at}", f"{at}.50", str(at)] for at in range(6))]
values = {
    "name": st.sampled_from(["Hive", "Veil", "Jar"]),
    "price": st.sampled_from(["1.25", "7.75"]),
    "stock": st.sampled_from(["70", "80"]),
}
edited_cells = st.dictionaries(
    st.tuples(st.sampled_from([row[0] for row in LIVE[1:]]), st.sampled_from(HEAD[1:])), st.integers(0, 1), max_size=6
)
OPTIONS = {"name": ["Hive", "Veil"], "price": ["1.25", "7.75"], "stock": ["70", "80"]}
folders = settings(max_examples=examples(12), suppress_health_check=[HealthCheck.function_scoped_fixture])


def made(folder, cells, name, **options):
    table = [[cells.get((row[0], column), cell) for column, cell in zip(HEAD, row, strict=True)] for row in LIVE]
    return of_table(folder, table, name, **options)


def of_table(folder, table, name, **options):
    live, edited = read_pair(write_table(folder / "live.csv", LIVE), write_table(folder / f"{name}.csv", table))
    return compare(live, edited, CompareOptions(**options)).changes


def said(edits):
    return {(key, field): OPTIONS[field][choice] for (key, field), choice in edits.items()}


@given(edited_cells, edited_cells, edited_cells)
@folders
def test_the_order_does_not_matter_and_a_set_with_itself_is_itself(tmp_path, one, two, three):
    # What the three of them have in common has one value, so that nothing conflicts.
    every = three | two | one
    a, b, c = (
        made(tmp_path, said({place: every[place] for place in edits}), name)
        for edits, name in ((one, "a"), (two, "b"), (three, "c"))
    )

    def together(*sets):
        return combine(sets, [f"set {at}" for at in range(len(sets))]).changes

    assert together(a, a).equivalent_to(a)
    assert together(a, b).equivalent_to(together(b, a))
    assert together(together(a, b), c).equivalent_to(together(a, together(b, c)))
    assert {(key, field): now for key, field, _, now in together(a, b, c).cells.rows()} == said(every)


@given(edited_cells, edited_cells)
@folders
def test_what_both_say_differently_is_held_and_all_else_is_there(tmp_path, one, two):
    result = combine([made(tmp_path, said(one), "a"), made(tmp_path, said(two), "b")], ["a", "b"])

    conflicts = {place for place in one.keys() & two.keys() if one[place] != two[place]}
    assert {(key, field): now for key, field, _, now in result.changes.cells.rows()} == {
        place: value for place, value in said(one | two).items() if place not in conflicts
    }
    assert set(result.conflicts.select("key", "field").rows()) == conflicts
    assert set(result.changes.findings.filter(code="conflict").select("key", "field").rows()) == conflicts
    assert result.shared == len({place for place in one.keys() & two.keys() if one[place] == two[place]})
    rows = result.changes.counts
    assert sum(rows.get(state, 0) for state in ("changed", "unchanged", "rejected")) == result.changes.head.edited.rows


def test_deletions_additions_and_new_skus_conflict_as_wholes(tmp_path):
    without = of_table(tmp_path, [*LIVE[:2], *LIVE[3:], ["N", "New", "1.00", "1"]], "a", delete_at_most=3, add_new=True)
    changed = of_table(
        tmp_path, [*LIVE[:2], ["A1", "Other", "9.75", "1"], *LIVE[3:], ["N", "New", "2.00", "1"]], "b", add_new=True
    )

    result = combine([without, changed], ["a", "b"])
    decided = combine([without, changed], ["a", "b"], lambda found: found.with_columns(chosen=pl.lit("a")))

    assert result.changes.is_empty
    assert result.conflicts.select("key", "field", "a", "b").rows() == [
        ("A1", None, "deletes it", "changes it"),
        ("N", "price", "1.00", "2.00"),
    ]
    assert dict(decided.changes.items.select("key", "action").rows()) == {"A1": "remove", "N": "add"}
    assert ("N", "price", None, "1.00") in decided.changes.cells.rows()


def test_change_sets_of_two_exports_are_not_combined(tmp_path):
    one = made(tmp_path, {("A1", "name"): "Hive"}, "a")
    other = tmp_path / "other"
    other.mkdir()
    live, edited = read_pair(
        write_table(other / "live.csv", LIVE[:4]),
        write_table(other / "b.csv", [*LIVE[:3], ["A2", "Hive", "2.50", "2"]]),
    )

    with pytest.raises(InvalidOption, match="made from another export"):
        combine([one, compare(live, edited).changes], ["a", "b"])


def test_two_colleagues_edits_arrive_whatever_the_order_and_are_decided_in_a_workbook(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    tables = {
        "anna": {("A1", "price"): "9.75", ("A2", "name"): "Hive"},
        "bo": {("A3", "stock"): "4", ("A2", "name"): "Veil"},
    }
    for name, cells in tables.items():
        made(tmp_path, cells, name)
        neat_delta("compare", "live.csv", f"{name}.csv", "-o", f"{name}.changes.jsonl", cwd=tmp_path)

    held = neat_delta(
        "combine",
        "anna.changes.jsonl",
        "bo.changes.jsonl",
        "-o",
        "both.changes.jsonl",
        "--conflicts",
        "k.xlsx",
        cwd=tmp_path,
    )
    book = openpyxl.load_workbook(tmp_path / "k.xlsx")
    header = [cell.value for cell in book.active[1]]
    book.active.cell(2, header.index("decision") + 1).value = "bo"
    book.save(tmp_path / "k.xlsx")
    done = neat_delta(
        "combine",
        "anna.changes.jsonl",
        "bo.changes.jsonl",
        "-o",
        "both.changes.jsonl",
        "--overwrite",
        "--decisions",
        "k.xlsx",
        cwd=tmp_path,
    )
    neat_delta("write", "both.changes.jsonl", "-o", "up", cwd=tmp_path)
    other = neat_delta(
        "compare", "live.csv", "bo.csv", "anna.csv", "--prefer", "bo.csv", "--write", "up2", cwd=tmp_path
    )

    assert (held.returncode, done.returncode, other.returncode) == (1, 0, 0), held.stdout + other.stdout
    assert header == ["sku", "name", "field", "was", "anna", "bo", "decision"]
    wanted = [list(row) for row in LIVE]
    wanted[2][2], wanted[3][1], wanted[4][3] = "9.75", "Veil", "4"
    for folder in ("up", "up2"):
        assert import_into(read_rows(tmp_path / "live.csv"), update_files(tmp_path / folder)) == wanted
    assert reduce(lambda text, name: text and name in held.stdout, ("anna", "bo", "Hive", "Veil"), True)


@pytest.mark.parametrize(("typed", "code"), [("1O.50", "unreadable cell"), ("15.00", "decimal slip")])
def test_an_error_of_one_beside_a_change_of_another_is_a_conflict(tmp_path, typed, code):
    tables = {"live": LIVE, "anna": [list(row) for row in LIVE], "bo": [list(row) for row in LIVE]}
    tables["anna"][2][2], tables["bo"][2][2], tables["bo"][3][2] = typed, "1.75", "2.75"
    for name, table in tables.items():
        write_table(tmp_path / f"{name}.csv", table)
    for name in ("anna", "bo"):
        neat_delta("compare", "live.csv", f"{name}.csv", "--type", "price=price", "-o", f"{name}.jsonl", cwd=tmp_path)

    for words, other in (
        (["compare", "live.csv", "anna.csv", "bo.csv", "--type", "price=price"], "bo.csv"),
        (["combine", "anna.jsonl", "bo.jsonl"], "bo"),
    ):
        held = neat_delta(*words, "-o", f"{words[0]}.jsonl", cwd=tmp_path)
        chosen = neat_delta(*words, "-o", f"{words[0]}-bo.jsonl", "--prefer", other, cwd=tmp_path)
        assert held.returncode == 1
        assert "conflict" in held.stdout
        assert code in held.stdout
        assert "1 item will change" in held.stdout
        assert "2 items will change" in chosen.stdout, chosen.stdout

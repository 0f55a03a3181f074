"""Fields that are called as columns are inside the program, and change sets as columns of a list of conflicts."""

import json

import openpyxl
import pytest

from helpers import import_into, neat_delta, read_rows, update_files, write_table

NAMES = [
    "key",
    "field",
    "was",
    "now",
    "value",
    "variable",
    "row",
    "line",
    "at",
    "index",
    "len",
    "sum",
    "item",
    "action",
]
LIVE = [["sku", *NAMES]] + [[f"K{at}", *(f"{name} {at}" for name in NAMES)] for at in range(9)]


@pytest.fixture
def work(tmp_path):
    edited = [[*row] for row in LIVE[:-1]] + [["NEW", *(f"new {name}" for name in NAMES)]]
    for at, row in enumerate(edited[1:-1]):
        row[1 + at] = row[7 + at % 7] = "other"
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", edited)
    write_table(tmp_path / "fresh.csv", [*LIVE[:4], ["K3", *("moved" for _ in NAMES)], *LIVE[5:]])
    return tmp_path


def test_any_name_of_a_field_goes_the_whole_way(work):
    made = ("--add-new", "--delete-missing", "9", "--out", "c.jsonl", "--problems", "p.xlsx", "--write", "up")
    commands = [
        ("compare", "live.csv", "edited.csv", *made),
        ("preview", "c.jsonl", "--page", "p.html", "--review", "r.xlsx", "--by", "item"),
        ("refresh", "c.jsonl", "fresh.csv", "--out", "f.jsonl", "--conflicts", "conflicts.xlsx"),
        ("verify", "c.jsonl", "fresh.csv"),
        ("undo", "c.jsonl", "--out", "back"),
        ("sheet", "live.csv", "--out", "s.xlsx"),
        ("compare", "fresh.csv", "s.xlsx"),
        ("adjust", "live.csv", "--set", "value = key", "--out", "a.jsonl"),
        ("check", "c.jsonl"),
    ]
    for command in commands:
        done = neat_delta(*command, cwd=work)
        assert done.returncode in (0, 1), done.stderr

    assert import_into(LIVE, update_files(work / "up")) == read_rows(work / "edited.csv")


@pytest.mark.parametrize("names", [("key", "field"), ("was", "sku"), ("name", "decision"), ("source", "line")])
def test_change_sets_of_any_name_are_combined_and_their_conflicts_decided(tmp_path, names):
    table = [["sku", "name"], ["A", "a"], ["B", "b"]]
    write_table(tmp_path / "live.csv", table)
    for name in names:
        write_table(tmp_path / "edited.csv", [table[0], ["A", f"by {name}"], table[2]])
        neat_delta("compare", "live.csv", "edited.csv", "--out", f"{name}.jsonl", cwd=tmp_path)
    both = [f"{name}.jsonl" for name in names]

    held = neat_delta("combine", *both, "--out", "held.jsonl", "--conflicts", "c.xlsx", cwd=tmp_path)
    book = openpyxl.load_workbook(tmp_path / "c.xlsx")
    sheet = book.worksheets[0]
    header = [cell.value for cell in sheet[1]]
    sheet.cell(2, len(header)).value = header[-2]
    book.save(tmp_path / "c.xlsx")
    done = neat_delta("combine", *both, "--out", "all.jsonl", "--decisions", "c.xlsx", cwd=tmp_path)

    assert (held.returncode, done.returncode) == (1, 0), held.stderr + done.stderr
    item = json.loads((tmp_path / "all.jsonl").read_text().splitlines()[1])
    assert item["cells"]["name"]["now"] == f"by {names[1]}"

import hashlib
import json

import pytest

from helpers import import_into, neat_delta, read_rows, update_files, write_table

LIVE = [["sku", "näme", "price", "cost"], *([f"0{at}", f"=Item {at}", f"{at}.00", "5.00"] for at in range(10, 20))]


@pytest.fixture
def shop(tmp_path):
    edited = [list(row) for row in LIVE]
    edited[1][2], edited[2][2], edited[3][2] = "10.50", "110.00", "on request"
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", edited)
    return tmp_path


def test_findings_go_round_as_a_workbook_and_come_back_mended(shop):
    first = neat_delta("compare", "live.csv", "edited.csv", "--problems", "f.xlsx", "--write", "up", cwd=shop)

    again = neat_delta("compare", "live.csv", "f.xlsx", "--worksheet", "error", "--json", cwd=shop)

    assert first.returncode == 1
    got = import_into(LIVE, update_files(shop / "up"))
    assert [row[2] for row in got[1:4]] == ["10.50", "11.00", "12.00"]
    told = json.loads(again.stdout)["result"]
    assert (told["edited"]["rows"], told["problems"]["error"]) == (2, 2)


def test_strict_writes_nothing_as_long_as_anything_is_held_back(shop):
    neat_delta("compare", "live.csv", "edited.csv", "--out", "c.jsonl", cwd=shop)
    for args in (("compare", "live.csv", "edited.csv", "--write", "up"), ("write", "c.jsonl", "-o", "up")):
        refused = neat_delta(*args, "--strict", cwd=shop)

        assert refused.returncode in (2, 3)
        assert "no update was written (--strict)" in refused.stderr
        assert not (shop / "up").exists()


def test_a_kept_change_set_is_tried_again_by_what_is_settled_since(shop):
    neat_delta("compare", "live.csv", "edited.csv", "--ignore", "decimal slip", "--out", "c.jsonl", cwd=shop)
    (shop / "catalogue.toml").write_text('[checks]\nconditions = [{must = "price < 100", message = "too dear"}]\n')

    checked = neat_delta("check", "c.jsonl", "--problems", "f.xlsx", "--json", cwd=shop)
    written = neat_delta("write", "c.jsonl", "-o", "up", cwd=shop)

    told = json.loads(checked.stdout)["result"]
    assert (checked.returncode, written.returncode) == (1, 1)
    assert {one["code"] for one in told["findings"] if one["level"] == "error"} == {
        "validation rule",
        "unreadable cell",
    }
    assert told["overrides"] == {"ignore": ["decimal slip"]}
    assert [row[2] for row in import_into(LIVE, update_files(shop / "up"))[1:3]] == ["10.50", "11.00"]
    assert (shop / "f.xlsx").exists()


def test_the_update_keeps_the_change_set_just_as_it_was_written_unless_something_is_held_back_since(shop):
    write_table(shop / "sound.csv", [LIVE[0], *([*row[:2], f"{row[2][:-2]}50", *row[3:]] for row in LIVE[1:])])
    neat_delta("compare", "live.csv", "sound.csv", "--out", "c.jsonl", cwd=shop)
    kept = (shop / "c.jsonl").read_bytes()
    neat_delta("write", "c.jsonl", "-o", "up", cwd=shop)
    told = json.loads((shop / "up/receipt.json").read_text())["changes"]

    assert (shop / "up" / told["file"]).read_bytes() == kept
    assert told["sha256"] == hashlib.sha256(kept).hexdigest()

    (shop / "catalogue.toml").write_text('[checks]\nconditions = [{must = "price <> 15.50", message = "too dear"}]\n')
    neat_delta("write", "c.jsonl", "-o", "up", "--overwrite", cwd=shop)

    less = (shop / "up/update.changes.jsonl").read_bytes()
    assert json.loads(less.splitlines()[0])["counts"]["changed"] < json.loads(kept.splitlines()[0])["counts"]["changed"]


def test_what_a_run_lets_through_is_let_through_by_write(shop):
    neat_delta("compare", "live.csv", "edited.csv", "--ignore", "decimal slip", "--out", "c.jsonl", cwd=shop)
    neat_delta("write", "c.jsonl", "-o", "up", cwd=shop)

    assert import_into(LIVE, update_files(shop / "up"))[2][2] == "110.00"


def test_text_that_would_run_as_a_formula_is_tamed_for_people_and_never_for_the_shop(shop):
    neat_delta("sheet", "live.csv", "-o", "work.csv", cwd=shop)
    table = read_rows(shop / "work.csv")
    untouched = neat_delta("compare", "live.csv", "work.csv", "--json", cwd=shop)
    table[1][1] = "'=Other"
    write_table(shop / "work.csv", table)
    neat_delta("compare", "live.csv", "work.csv", "--write", "up", "--as-typed", "näme", cwd=shop)

    assert table[2][1] == "'=Item 11"
    assert json.loads(untouched.stdout)["result"]["cells"] == 0
    assert import_into(LIVE, update_files(shop / "up"))[1][1] == "=Other"


def test_undo_writes_the_way_back_of_a_kept_change_set(shop):
    write_table(shop / "codes.csv", [["old", "new"], ["010", "011"], ["011", "010"]])
    for made in (("compare", "live.csv", "edited.csv"), ("recode", "live.csv", "codes.csv")):
        neat_delta(*made, "--out", "c.jsonl", cwd=shop)
        neat_delta("write", "c.jsonl", "-o", "up", "--overwrite", cwd=shop)

        undone = neat_delta("undo", "c.jsonl", "-o", "back", "--overwrite", cwd=shop)

        assert undone.returncode == 0
        for mine, edited in (("back", "up/undo"), ("back/undo", "up")):
            assert [path.read_bytes() for path in update_files(shop / mine)] == [
                path.read_bytes() for path in update_files(shop / edited)
            ]

"""What an edited file was made from: believed where somebody knows it, else only said."""

import json
import os

import pytest

import neat_delta as nd
from helpers import neat_delta, read_rows, write_table

LIKE = "older values"


@pytest.fixture
def shop(tmp_path):
    """An export of the morning, and one of the evening, with sold stock and one new price."""
    rows = [["sku", "name", "price", "stock"], *([f"00{at}", f"Item {at}", f"{at}.50", "5"] for at in range(10, 40))]
    write_table(tmp_path / "morning.csv", rows)
    rows[1][2] = "12.00"
    for row in rows[2:10]:
        row[3] = "3"
    write_table(tmp_path / "evening.csv", rows)
    neat_delta("compare", "morning.csv", "morning.csv", cwd=tmp_path)  # it is kept
    return tmp_path


def renamed(shop, source, name, **form):
    rows = read_rows(shop / source)
    rows[15][1] = "Renamed"
    write_table(shop / name, rows, **form)


def compared(shop, *words):
    done = neat_delta("compare", *words, "--json", cwd=shop)
    said = json.loads(done.stdout)
    return done.returncode, said["result"]["cells"], [one["code"] for one in said["problems"]]


def test_a_csv_made_by_sheet_is_known_by_its_place_however_it_was_saved(shop, monkeypatch):
    monkeypatch.chdir(shop)
    neat_delta("sheet", "morning.csv", "-o", "work.csv", cwd=shop)
    renamed(shop, "work.csv", "work.csv", delimiter=";")

    assert compared(shop, "evening.csv", "work.csv") == (0, 1, [])
    assert nd.compare(shop / "evening.csv", shop / "work.csv").cells.rows() == [("0024", "name", "Item 24", "Renamed")]
    assert compared(shop, "morning.csv", "work.csv") == (0, 1, [])


def test_a_file_that_only_looks_like_an_older_export_is_sent_as_it_is_and_said_until_somebody_answers(shop):
    renamed(shop, "morning.csv", "mine.csv")

    assert compared(shop, "evening.csv", "mine.csv") == (1, 10, [LIKE])
    assert compared(shop, "evening.csv", "mine.csv", "--base", "none") == (0, 10, [])
    assert compared(shop, "evening.csv", "mine.csv", "--base", "kept") == (0, 1, [])
    assert compared(shop, "evening.csv", "mine.csv", "--base", "morning.csv") == (0, 1, [])
    told = " ".join(neat_delta("compare", "evening.csv", "mine.csv", cwd=shop).stdout.split())
    assert "mine.csv looks like an edited copy of morning.csv" in told
    assert "10 items will change · maybe older values of the shop" in told
    quiet = neat_delta("compare", "evening.csv", "mine.csv", "--quiet", cwd=shop)
    assert "it has the older values in 9 of 9 cells" in quiet.stderr


@pytest.mark.parametrize("source", ["morning.csv", "copy.csv"])
def test_an_older_export_given_to_restore_it_is_sent(shop, source):
    renamed(shop, "morning.csv", "copy.csv")
    code, cells, problems = compared(shop, "evening.csv", source)
    assert (code, cells >= 9, problems) == (1, True, [LIKE])


def test_a_few_cells_typed_back_are_no_sign_unless_the_file_is_older_than_the_export(shop):
    rows = read_rows(shop / "evening.csv")
    rows[1][2] = "10.50"
    write_table(shop / "price.csv", [row[:3] for row in rows])
    assert compared(shop, "evening.csv", "price.csv") == (0, 1, [])

    an_hour_ago = (shop / "evening.csv").stat().st_mtime - 3600
    os.utime(shop / "price.csv", (an_hour_ago, an_hour_ago))
    assert compared(shop, "evening.csv", "price.csv") == (1, 1, [LIKE])


def test_a_comparison_in_the_wrong_order_does_not_swallow_the_edits_of_the_right_one(shop):
    renamed(shop, "evening.csv", "mine.csv")
    neat_delta("compare", "mine.csv", "evening.csv", cwd=shop)
    assert compared(shop, "evening.csv", "mine.csv")[:2] == (0, 1)


def test_what_was_refused_is_not_kept(tmp_path):
    write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1"], ["B", "2"]])
    write_table(tmp_path / "other.csv", [["sku", "price"], ["X", "1"], ["Y", "2"]])
    neat_delta("compare", "other.csv", "live.csv", "--type", "prize=price", cwd=tmp_path)
    neat_delta("compare", "other.csv", "live.csv", cwd=tmp_path)
    assert not list(tmp_path.glob("exports/*.zst"))


def test_a_damaged_kept_export_is_replaced_when_the_export_is_read_whole(shop):
    [kept] = (shop / "exports").glob("*.zst")
    whole = kept.read_bytes()
    kept.write_bytes(whole[:-9])
    neat_delta("compare", "morning.csv", "morning.csv", cwd=shop)
    assert [path.read_bytes()[-40:] for path in (shop / "exports").glob("*.zst")] == [whole[-40:]]


def test_a_sheet_whose_export_is_not_kept_any_more_is_said(shop):
    neat_delta("sheet", "morning.csv", "-o", "work.csv", cwd=shop)
    for kept in (shop / "exports").glob("*.zst"):
        kept.unlink()
    renamed(shop, "work.csv", "work.csv")
    assert compared(shop, "evening.csv", "work.csv") == (1, 10, ["export not kept"])


@pytest.mark.parametrize("edited", ["work.csv", "work.xlsx"])
def test_a_run_knows_the_base_that_compare_knows(shop, edited):
    neat_delta("sheet", "morning.csv", "-o", edited, cwd=shop)
    if edited == "work.csv":
        renamed(shop, edited, edited)
    (shop / "inbox").mkdir()
    (shop / "night.toml").write_text(f'live = "evening.csv"\nedited = "{edited}"\nto = "inbox"\nhistory = "h.db"\n')

    done = neat_delta("run", "night.toml", cwd=shop)

    assert done.returncode == 0, done.stdout + done.stderr
    sent = {path.name: path.read_text() for path in (shop / "inbox").glob("*.csv")}
    assert sent == ({"01-changes.csv": "sku,name\n0024,Renamed\n"} if edited == "work.csv" else {})


@pytest.mark.parametrize(("base", "code", "rows"), [("", 1, 0), ('base = "none"', 0, 10), ('base = "kept"', 0, 1)])
def test_a_run_sends_no_older_values_unless_somebody_has_answered(shop, base, code, rows):
    renamed(shop, "morning.csv", "mine.csv")
    (shop / "inbox").mkdir()
    (shop / "night.toml").write_text(
        f'live = "evening.csv"\nedited = "mine.csv"\nto = "inbox"\nhistory = "h.db"\n{base}\n'
    )
    done = neat_delta("run", "night.toml", cwd=shop)
    assert done.returncode == code, done.stdout + done.stderr
    assert sum(len(path.read_text().splitlines()) - 1 for path in (shop / "inbox").glob("*.csv")) == rows


@pytest.mark.parametrize("files", [("mine.csv",), ("mine.csv", "second.csv")])
def test_a_column_of_ones_own_hides_no_older_values_and_every_door_asks_before_it_proposes_to_write(shop, files):
    renamed(shop, "morning.csv", "mine.csv")
    rows = read_rows(shop / "mine.csv")
    for name in files:
        write_table(shop / name, [[*row, "note" if at == 0 else "ask Bo"] for at, row in enumerate(rows)])

    done = neat_delta("compare", "evening.csv", *files, "--json", "-o", "c.changes.jsonl", cwd=shop)
    told = json.loads(done.stdout)
    assert (done.returncode, [one["code"] for one in told["problems"]]) == (1, [LIKE] * len(files))
    assert [words.partition("--base ")[2] for words in told["next"]] == ["kept", "none"]
    shown = neat_delta("compare", "evening.csv", *files, cwd=shop).stdout
    assert "--base kept" in shown
    assert "--write" not in shown.partition("result")[2]
    for command in (
        ("compare", "evening.csv", *files),
        ("check", "c.changes.jsonl"),
        ("write", "c.changes.jsonl", "-o", "up"),
    ):
        quiet = neat_delta(*command, "--quiet", cwd=shop)
        assert (quiet.returncode, quiet.stdout) == (1, "")
        assert "it has the older values in 9 of 9 cells" in quiet.stderr
    kept = neat_delta("compare", "evening.csv", *files, "--base", "kept", "--json", cwd=shop)
    assert (kept.returncode, json.loads(kept.stdout)["problems"]) == (0, [])

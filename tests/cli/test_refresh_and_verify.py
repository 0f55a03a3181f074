import json
import os
import shutil
import time
from datetime import datetime

import pytest

from helpers import import_into, neat_delta, read_rows, update_files, write_table

LIVE = [["sku", "näme", "price", "stock"], *([f"0{at}", f"Hive {at}", f"{at}.00", str(at)] for at in range(10, 20))]


@pytest.fixture
def shop(tmp_path):
    """A kept change set, and an export in which the shop has moved on."""
    edited, fresh = [list(row) for row in LIVE], [list(row) for row in LIVE]
    for at in (1, 2, 3):
        edited[at][2] = edited[at][2].replace(".00", ".90")
    edited[4][3] = "24"
    fresh[1][2], fresh[2][2], fresh[4][3] = "10.90", "11.50", "5"
    for name, table in (("live.csv", LIVE), ("edited.csv", edited), ("fresh.csv", fresh)):
        write_table(tmp_path / name, table)
    neat_delta("compare", "live.csv", "edited.csv", "--out", "c.jsonl", cwd=tmp_path)
    return tmp_path


def test_a_change_set_is_brought_up_to_date_and_written_for_the_newer_export(shop):
    (shop / "catalogue.toml").write_text('[refresh]\ndifference = ["stock"]\n')

    held = neat_delta("refresh", "c.jsonl", "fresh.csv", "--out", "f.jsonl", "--conflicts", "clashes.xlsx", cwd=shop)
    ours = neat_delta(
        "refresh",
        "c.jsonl",
        "fresh.csv",
        "--out",
        "f.jsonl",
        "--on-conflict",
        "price=ours",
        "--json",
        "--overwrite",
        cwd=shop,
    )
    neat_delta("write", "f.jsonl", "-o", "up", cwd=shop)

    assert (held.returncode, ours.returncode) == (1, 0)
    assert "1 cell changed on both sides: 1 not sent" in held.stdout
    told = json.loads(ours.stdout)["result"]
    assert (told["applied"], told["as_difference"], told["untouched"]) == (1, 1, 1)
    got = import_into(read_rows(shop / "fresh.csv"), update_files(shop / "up"))
    assert [row[2:] for row in got[1:5]] == [["10.90", "10"], ["11.90", "11"], ["12.90", "12"], ["13.00", "16"]]
    assert (shop / "clashes.xlsx").exists()


def test_what_is_left_is_kept_and_the_code_says_whether_anything_is(shop):
    left = neat_delta("verify", "c.jsonl", "fresh.csv", "--out", "left.jsonl", cwd=shop)
    done = neat_delta("verify", "c.jsonl", "edited.csv", cwd=shop)
    neat_delta("write", "left.jsonl", "-o", "up", "--live", "fresh.csv", cwd=shop)

    assert (left.returncode, done.returncode) == (1, 0)
    assert "applied     1 of 4 changes" in left.stdout
    assert "All changes are live in the shop" in done.stdout
    assert [read_rows(path) for path in update_files(shop / "up")] == [[["sku", "price"], ["012", "12.90"]]]


def test_only_what_has_landed_and_not_moved_is_put_back(shop):
    done = neat_delta("undo", "c.jsonl", "-o", "back", "--fresh", "fresh.csv", cwd=shop)

    assert done.returncode == 1
    assert [read_rows(path) for path in update_files(shop / "back")] == [[["sku", "price"], ["010", "10.00"]]]


def test_an_old_export_is_refused_unless_its_time_is_told(shop):
    (shop / "catalogue.toml").write_text("[refresh]\nhours = 24\n")

    old = neat_delta("write", "c.jsonl", "-o", "up", "--as-of", "2020-01-01", cwd=shop)
    young = neat_delta("write", "c.jsonl", "-o", "up", cwd=shop)

    assert (old.returncode, young.returncode) == (3, 0)
    assert "the limit is 24" in old.stderr


def test_an_update_for_an_old_export_does_not_leave_unless_its_time_is_told(shop):
    long_ago = time.time() - 48 * 3600
    os.utime(shop / "live.csv", (long_ago, long_ago))
    neat_delta("write", "c.jsonl", "-o", "up", cwd=shop)
    (shop / "catalogue.toml").write_text("[refresh]\nhours = 24\n")
    (shop / "inbox").mkdir()

    old = neat_delta("send", "up", "--to", "inbox", cwd=shop)
    young = neat_delta("send", "up", "--to", "inbox", "--as-of", f"{datetime.now():%Y-%m-%d}", cwd=shop)

    assert (old.returncode, young.returncode) == (3, 0)
    assert "live.csv: this export is 48 hours old" in old.stderr


def test_what_was_sent_is_undone_by_its_history_entry_though_all_files_are_gone(shop):
    (shop / "inbox").mkdir()
    neat_delta("write", "c.jsonl", "-o", "up", cwd=shop)
    neat_delta("send", "up", "--to", "inbox", cwd=shop)
    shutil.rmtree(shop / "up")
    (shop / "c.jsonl").unlink()

    unsure = neat_delta("undo", "1", "-o", "back", cwd=shop)
    done = neat_delta("undo", "1", "-o", "back", "--fresh", "fresh.csv", cwd=shop)
    settled = neat_delta("verify", "1", "fresh.csv", cwd=shop)

    assert (unsure.returncode, done.returncode, settled.returncode) == (2, 1, 1)
    assert "a new export is needed" in unsure.stderr
    assert [read_rows(path) for path in update_files(shop / "back")] == [[["sku", "price"], ["010", "10.00"]]]
    assert "applied     1 of 4 changes" in settled.stdout


@pytest.mark.parametrize(
    ("call", "reason"),
    [
        (["refresh", "c.jsonl", "fresh.csv", "--out", "fresh.csv"], "this is an input file"),
        (["refresh", "c.jsonl", "fresh.csv", "--out", "c.jsonl"], "this is an input file"),
        (["refresh", "c.jsonl", "fresh.csv", "--out", "x.jsonl", "--on-conflict", "mine"], "hold, ours, shop"),
        (
            ["refresh", "c.jsonl", "fresh.csv", "--out", "x.jsonl", "--on-conflict", "colour=ours"],
            "no change of this field in this change set",
        ),
        (["verify", "c.jsonl", "nowhere.csv"], "nowhere.csv"),
        (["verify", "fresh.csv", "fresh.csv"], "not a change set"),
        (["send", ".", "--to", "."], "no update in this folder"),
        (["send", "up", "--to", "gopher://x"], "gopher is not supported"),
        (["history", "7"], "no entry #7"),
        (["shop", "export", "nowhere", "-o", "x.csv"], "this folder is not a practice shop"),
    ],
)
def test_what_cannot_be_done_says_why_and_leaves_nothing(shop, call, reason):
    done = neat_delta(*call, cwd=shop)

    assert done.returncode in (2, 3)
    assert reason in done.stderr
    assert not (shop / "x.jsonl").exists()


@pytest.mark.parametrize(
    "words",
    [
        ["preview", "up"],
        ["check", "up"],
        ["pick", "up", "--only", "price", "-o", "p.jsonl"],
        ["refresh", "up", "fresh.csv", "-o", "f.jsonl"],
        ["verify", "up", "fresh.csv"],
        ["undo", "up", "-o", "back"],
        ["combine", "up", "c.jsonl", "-o", "both.jsonl"],
        ["write", "up", "-o", "again"],
    ],
    ids=lambda words: words[0],
)
def test_the_folder_of_an_update_stands_for_its_change_set(shop, words):
    neat_delta("write", "c.jsonl", "-o", "up", cwd=shop)
    (shop / "empty").mkdir()
    refused = neat_delta(*["empty" if word == "up" else word for word in words], cwd=shop)
    assert refused.returncode == 3 and "empty: this is a folder, not a file" in refused.stderr

    file = neat_delta(*["c.jsonl" if word == "up" else word for word in words], "--json", cwd=shop)
    for made in ("p.jsonl", "f.jsonl", "both.jsonl"):
        (shop / made).unlink(missing_ok=True)
    for made in ("back", "again"):
        shutil.rmtree(shop / made, ignore_errors=True)
    folder = neat_delta(*words, "--json", cwd=shop)
    assert folder.returncode == file.returncode in (0, 1)
    assert json.loads(folder.stdout)["problems"] == json.loads(file.stdout)["problems"]

import json
import re
import shutil
from importlib.resources import files

import pytest

from helpers import neat_delta, read_rows, update_files, write_table

LIVE = [["Code", "Titel", "Preis", "tax_class"], ["A", "ä", "1.00", "full"], ["B", "b", "2.00", "half"]]
SETTINGS = """\
key = ["sku"]
[fields.sku]
column = "Code"
[fields.name]
column = "Titel"
blank = "clear"
[fields.price]
column = "Preis"
aliases = ["Dealer price"]
[fields.tax_class]
locked = true
"""

EMPTIED = ("--ignore", "price emptied")


@pytest.fixture
def shop(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    (tmp_path / "catalogue.toml").write_text(SETTINGS, "utf-8")
    return tmp_path


def test_a_draft_of_the_demo_shop_is_taken_by_every_command(tmp_path):
    for name in ("live.csv", "edited.csv"):
        shutil.copyfile(str(files("neat_delta.demo_shop") / name), tmp_path / name)
    plain = neat_delta("compare", "live.csv", "edited.csv", cwd=tmp_path).stdout

    made = neat_delta("setup", "live.csv", cwd=tmp_path)
    text = (tmp_path / "catalogue.toml").read_text("utf-8")
    by_settings = neat_delta("compare", "live.csv", "edited.csv", cwd=tmp_path).stdout

    assert made.returncode == 0
    assert '[fields.price]\n# 540 different values: 0.45 to 494.05\ncolumn = "price"\ntype = "price"\n' in text
    assert text.count("locked = true #") == 4
    assert 'type = "choice"\nallowed = ["amber", "green", "grey", "natural", "white", "yellow"]' in text
    assert 'type = "date"\ndate = "YYYY-MM-DD"' in text
    assert 'type = "item link"\nseparator = "|"' in text
    assert text.count("separator = ") == 2
    hint = "to allow new values: --allow-new-values colour"
    assert hint in " ".join(by_settings.split())
    assert hint not in plain
    assert (
        "changed 60 · unchanged 569 · new 2 · duplicate 3 · unreadable 1 ·\n              rejected 5   = 640"
        in by_settings
    )


def test_what_the_draft_offers_to_settle_is_understood(tmp_path):
    write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1,00"], ["B", "2,00"]], delimiter=";")
    neat_delta("setup", "live.csv", cwd=tmp_path)
    path = tmp_path / "catalogue.toml"
    before, key, after = path.read_text("utf-8").partition("key = ")
    path.write_text(before + key + re.sub(r"(?m)^# (\[|\w+ = )", r"\1", after), "utf-8")
    write_table(tmp_path / "edited.csv", [["sku", "price"], ["A", "1.10"], ["B", ""]])

    done = neat_delta("compare", "live.csv", "edited.csv", "--blanks", "clear", "--write", "up", *EMPTIED, cwd=tmp_path)

    assert done.returncode == 0, done.stderr
    assert [file.read_text() for file in update_files(tmp_path / "up")] == ["sku;price\nA;1,10\nB;(none)\n"]


def test_look_tells_how_columns_match_the_fields(shop):
    write_table(shop / "file.csv", [["Code", "Dealer price", "Pack"], ["A", "1.00", "5"]])

    seen = neat_delta("inspect", "file.csv", cwd=shop)
    told = json.loads(neat_delta("inspect", "file.csv", "--json", cwd=shop).stdout)["result"]

    assert "catalogue.toml has 2 of 3 columns" in seen.stdout
    assert "not in catalogue.toml: Pack" in seen.stdout
    assert any(line.split()[:4] == ["Dealer", "price", "price", "price"] for line in seen.stdout.splitlines())
    assert told["catalogue"] == {"file": "catalogue.toml", "unknown": ["pack"], "missing": ["name", "tax_class"]}


def test_a_newer_export_adds_fields_and_keeps_every_line(tmp_path):
    write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1.00"]])
    neat_delta("setup", "live.csv", cwd=tmp_path)
    path = tmp_path / "catalogue.toml"
    mine = path.read_text("utf-8").replace('type = "price"', 'type = "text"  # my own remark')
    path.write_text(mine, "utf-8")
    write_table(tmp_path / "newer.csv", [["sku", "price", "stock"], ["A", "1.00", "3"]])

    asked = neat_delta("setup", "newer.csv", cwd=tmp_path)
    untouched = path.read_text("utf-8")
    added = neat_delta("setup", "newer.csv", "--yes", cwd=tmp_path)

    assert (asked.returncode, added.returncode) == (1, 0)
    assert "1 field can be added; nothing was written (--yes adds them): stock" in " ".join(asked.stdout.split())
    assert untouched == mine
    assert path.read_text("utf-8").startswith(mine.rstrip("\n"))
    assert "[fields.stock]" in path.read_text("utf-8")


def test_columns_match_by_their_settled_names_and_the_update_has_the_shops(shop):
    write_table(shop / "edited.csv", [["Dealer price", "Code"], ["1.50", "A"]])

    kept = neat_delta("compare", "live.csv", "edited.csv", "--out", "c.jsonl", cwd=shop)
    (shop / "catalogue.toml").unlink()  # the change set knows its columns by itself
    done = neat_delta("write", "c.jsonl", "-o", "up", cwd=shop)

    assert (kept.returncode, done.returncode) == (0, 0), done.stderr
    assert read_rows(shop / "up/01-changes.csv") == [["Code", "Preis"], ["A", "1.50"]]


def test_two_columns_for_one_field_are_an_error(shop):
    write_table(shop / "edited.csv", [["Code", "Preis", "Dealer price"], ["A", "1", "2"]])

    done = neat_delta("compare", "live.csv", "edited.csv", cwd=shop)

    assert done.returncode in (2, 3)
    assert "two columns are mapped to the field price: 'Preis' and 'Dealer price'" in done.stderr


def test_a_locked_field_changes_only_when_unlocked_by_name(shop):
    write_table(shop / "edited.csv", [["Code", "tax_class"], ["A", "none"]])

    shut = neat_delta("compare", "live.csv", "edited.csv", "--write", "shut", cwd=shop)
    opened = neat_delta("compare", "live.csv", "edited.csv", "--unlock", "Tax class", "--write", "open", cwd=shop)
    wrong = neat_delta("compare", "live.csv", "edited.csv", "--unlock", "nope", cwd=shop)

    assert (shut.returncode, opened.returncode, wrong.returncode) == (1, 0, 2)
    assert "locked field (catalogue.toml)" in shut.stdout
    assert "to allow it: --unlock tax_class" in shut.stdout
    assert not (shop / "shut").exists()
    assert read_rows(shop / "open/01-changes.csv") == [["Code", "tax_class"], ["A", "none"]]


BLANKS = [((), ["Titel"]), (("--blanks", "leave"), []), (("--blanks", "clear", *EMPTIED), ["Titel", "Preis"])]


@pytest.mark.parametrize(("options", "cleared"), BLANKS)
def test_what_a_blank_means_is_settled_by_field_and_told_for_one_run(shop, options, cleared):
    write_table(shop / "edited.csv", [["Code", "Titel", "Preis"], ["A", "", ""]])

    neat_delta("compare", "live.csv", "edited.csv", *options, "--write", "up", cwd=shop)

    written = read_rows(shop / "up/01-changes.csv")[0][1:] if cleared else []
    assert written == cleared
    assert (shop / "up").exists() == bool(cleared)


CODED = """\
[fields.state]
labels = { "A" = "on sale", "B" = "on request", "X" = "gone" }
[fields.tags]
separator = "|"
[fields.pictures]
separator = ";"
ordered = true
"""
ITEMS = [
    ["sku", "state", "tags", "pictures"],
    *([f"S{at}", "ABX"[at % 3], "new|gift", "1.jpg;2.jpg"] for at in range(12)),
]


@pytest.fixture
def coded(tmp_path):
    write_table(tmp_path / "live.csv", ITEMS)
    (tmp_path / "catalogue.toml").write_text(CODED, "utf-8")
    return tmp_path


def changes(folder, **cells):
    """What an edited first item (given by its cells) gives: written cells, and the exit code."""
    edited = [list(row) for row in ITEMS[:2]]
    for column, cell in cells.items():
        edited[1][ITEMS[0].index(column)] = cell
    write_table(folder / "edited.csv", edited)
    done = neat_delta("compare", "live.csv", "edited.csv", "--write", "up", cwd=folder)
    written = {}
    for path in (folder / "up").glob("*.csv"):
        header, row = read_rows(path)
        written |= dict(zip(header[1:], row[1:], strict=True))
    return written, done


def test_labels_stand_in_the_sheet_and_codes_go_to_the_shop(coded):
    neat_delta("sheet", "live.csv", "-o", "work.csv", cwd=coded)
    sheet = read_rows(coded / "work.csv")
    same = neat_delta("compare", "live.csv", "work.csv", cwd=coded)

    assert [row[1] for row in sheet[1:4]] == ["on sale", "on request", "gone"]
    assert "changed 0 · unchanged 12" in same.stdout
    assert changes(coded, state=" On Request ")[0] == {"state": "B"}


@pytest.mark.parametrize("state", ["sold", "C"])
def test_a_value_without_label_is_refused(coded, state):
    written, done = changes(coded, state=state)

    assert (written, done.returncode) == ({}, 1)
    assert "choose from: on sale, on request, gone" in " ".join(done.stdout.split())


@pytest.mark.parametrize(
    ("cells", "written"),
    [
        ({"tags": "gift | new"}, {}),
        ({"tags": "gift|new|new|"}, {}),
        ({"tags": "gift|spring"}, {"tags": "gift|spring"}),
        ({"pictures": "1.jpg; 2.jpg"}, {}),
        ({"pictures": "2.jpg;1.jpg"}, {"pictures": "2.jpg;1.jpg"}),
    ],
)
def test_order_counts_for_pictures_and_not_for_tags(coded, cells, written):
    assert changes(coded, **cells)[0] == written

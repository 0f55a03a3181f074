"""Ways in which a wrong value once left for a shop without a word, each with its files and its command."""

import json
import shutil

import openpyxl
import pytest

from helpers import neat_delta, read_rows, refused, update_files, write_table


def compared(work, *options):
    done = neat_delta("compare", "live.csv", "edited.csv", "--json", *options, cwd=work)
    return done, json.loads(done.stdout)["result"] if done.stdout else {}


def tables(work, live, edited):
    write_table(work / "live.csv", live)
    write_table(work / "edited.csv", edited)


def test_a_code_change_whose_row_is_held_back_leaves_a_change_set_that_can_be_read(tmp_path):
    live = [["sku", "item_id", "name", "price"], *([f"A{at}", str(at), f"Veil {at}", "3.00"] for at in range(9))]
    edited = [[*row] for row in live]
    edited[1][0], edited[1][3] = "N0", "-4.00"
    tables(tmp_path, live, edited)
    (tmp_path / "catalogue.toml").write_text('identity = "item_id"\n[fields.sku]\nlocked = true\n')

    compared(tmp_path, "--out", "c.jsonl")
    written = neat_delta("write", "c.jsonl", "-o", "up", cwd=tmp_path)
    undone = neat_delta("undo", "c.jsonl", "-o", "back", cwd=tmp_path)

    assert (written.returncode, undone.returncode) in ((1, 0), (0, 0)), written.stderr + undone.stderr


def test_a_lock_on_what_follows_a_code_change_leaves_an_update_that_can_be_undone(tmp_path):
    live = [["sku", "name", "related"], ["A1", "Ant", ""], ["B1", "Bee", "A1"], ["C1", "Cat", "B1"]]
    write_table(tmp_path / "live.csv", live)
    write_table(tmp_path / "codes.csv", [["old", "new"], ["A1", "A9"]])
    (tmp_path / "catalogue.toml").write_text("[fields.related]\nlocked = true\n")

    recoded = neat_delta("recode", "live.csv", "codes.csv", "--out", "c.jsonl", cwd=tmp_path)
    written = neat_delta("write", "c.jsonl", "-o", "up", cwd=tmp_path)
    read = neat_delta("preview", "up/update.changes.jsonl", "--live", "live.csv", cwd=tmp_path)

    assert (recoded.returncode, written.returncode, read.returncode) == (1, 1, 1), read.stderr + written.stderr


def test_check_refuses_another_export(tmp_path):
    tables(tmp_path, [["sku", "price"], ["A", "1.00"]], [["sku", "price"], ["A", "1.10"]])
    compared(tmp_path, "--out", "c.jsonl")
    write_table(tmp_path / "other.csv", [["sku", "price"], ["A", "1.05"]])

    done = neat_delta("check", "c.jsonl", "--live", "other.csv", cwd=tmp_path)

    assert done.returncode in (2, 3)
    assert "this change set was made from another export (" in done.stderr


@pytest.mark.parametrize(
    "command", ["compare live.csv edited.csv", "sheet live.csv -o s.csv", "adjust live.csv --set price=1"]
)
def test_an_empty_condition_is_none(tmp_path, command):
    tables(tmp_path, [["sku", "price"], ["A", "1.00"]], [["sku", "price"], ["A", "1.10"]])

    done = neat_delta(*command.split(), "--where", "", cwd=tmp_path)

    assert done.returncode == 2
    assert "the expression is empty" in done.stderr


@pytest.mark.parametrize(
    ("name", "was", "now"), [("gtin", "9520000000004", "9520000000004.0"), ("bin", "402", "402,0")]
)
def test_a_code_does_not_become_a_number(tmp_path, name, was, now):
    gtins = ["9520000000004", "9520000000011", "9520000000028"] if name == "gtin" else ["402", "7A", "B-2"]
    live = [["sku", name], *([f"K{at}", code] for at, code in enumerate(gtins))]
    edited = [[*row] for row in live]
    edited[1][1], edited[2][1] = now, "9520000000035.0" if name == "gtin" else gtins[1]
    tables(tmp_path, live, edited)
    (tmp_path / "catalogue.toml").write_text('[fields.bin]\ntype = "code"\n')

    _, told = compared(tmp_path)

    assert told["cells"] == 0


def test_a_year_of_which_a_program_kept_two_digits_is_the_live_one(tmp_path):
    live = [["sku", "day"], ["A", "1899-12-31"], ["B", "1956-01-03"], ["C", "2026-06-30"]]
    tables(tmp_path, live, [live[0], ["A", "31.12.99"], ["B", "03.01.56"], ["C", "01.07.26"]])

    compared(tmp_path, "--write", "up")

    assert read_rows(tmp_path / "up/01-changes.csv")[1:] == [["C", "2026-07-01"]]


def test_a_year_that_two_digits_would_change_is_written_in_full(tmp_path):
    live = [["sku", "day"], ["A", "24.12.25"], ["B", "31.01.26"], ["C", "30.06.26"]]
    tables(tmp_path, live, [live[0], ["A", "1899-12-31"], *live[2:]])

    compared(tmp_path, "--write", "up")

    assert read_rows(tmp_path / "up/01-changes.csv")[1] == ["A", "1899-12-31"]


def test_an_object_that_names_a_value_twice_is_no_row(tmp_path):
    (tmp_path / "live.jsonl").write_text('{"sku": "A", "price": "1.00"}\n{"sku": "B", "price": "2.00"}\n')
    (tmp_path / "edited.jsonl").write_text(
        '{"sku": "A", "price": "1.10", "price": "9.10"}\n{"sku": "B", "price": "2.10"}\n'
    )

    done = neat_delta("compare", "live.jsonl", "edited.jsonl", "--status", "unreadable", cwd=tmp_path)

    assert done.returncode == 1
    assert "the object has price twice" in " ".join(done.stdout.split())


def test_every_picture_in_a_cell_follows_a_code_change(tmp_path):
    live = [
        ["sku", "picture"],
        ["KT-1", "kt-1.jpg|KT-1-side.jpg|kt-10.jpg"],
        ["KT-2", "kt-2.jpg"],
        ["KT-3", "kt-3.png"],
    ]
    write_table(tmp_path / "live.csv", live)
    write_table(tmp_path / "codes.csv", [["old", "new"], ["KT-1", "QX-7"]])
    (tmp_path / "catalogue.toml").write_text('[fields.picture]\ntype = "image"\nseparator = "|"\n')

    neat_delta("recode", "live.csv", "codes.csv", "--rename-images", "--write", "up", cwd=tmp_path)

    assert ["QX-7", "QX-7.jpg|QX-7-side.jpg|kt-10.jpg"] in read_rows(tmp_path / "up/02-changes.csv")


def test_a_barcode_whose_other_owner_keeps_it_is_held_back_too(tmp_path):
    gtins = ["9520000000004", "9520000000011", "9520000000028", "9520000000035"]
    live = [["sku", "gtin", "name"], *([f"K{at}", code, f"n{at}"] for at, code in enumerate(gtins))]
    edited = [[*row] for row in live]
    edited[1][1], edited[2][1] = gtins[1], "9520000000012"  # K0 takes K1's, whose own new one has a wrong check digit
    tables(tmp_path, live, edited)

    _, told = compared(tmp_path, "--write", "up")

    assert told["cells"] == 0
    assert told["problems"]["error"] == 2


def test_a_parent_that_keeps_variants_stays_and_goes_after_them(tmp_path):
    live = [
        ["sku", "name", "parent"],
        ["P1", "Hive", ""],
        ["V1", "Hive S", "P1"],
        ["V2", "Hive M", "P1"],
        ["X1", "Jar", ""],
    ]
    tables(tmp_path, live, [live[0], live[2], live[4]])
    options = ("--delete-missing", "9")

    held, _ = compared(tmp_path, *options, "--write", "up")
    tables(tmp_path, live, [live[0], live[4]])
    compared(tmp_path, *options, "--write", "up2")

    assert held.returncode == 1
    assert [row[0] for row in read_rows(update_files(tmp_path / "up")[0])] == ["sku", "V2"]
    assert [row[0] for row in read_rows(update_files(tmp_path / "up2")[0])][-1] == "P1"


LIVE = [["sku", "name", "price"], *([f"K{at}", f"Jar {at}", f"{at}.50"] for at in range(1, 9))]


def test_a_sheet_in_the_place_of_the_export_is_refused(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    neat_delta("sheet", "live.csv", "-o", "s.xlsx", cwd=tmp_path)

    done = neat_delta("compare", "s.xlsx", "live.csv", cwd=tmp_path)

    assert done.returncode == 2
    assert "the live export must come first. Run: neat-delta compare live.csv s.xlsx" in done.stderr


def test_a_short_sheet_and_the_export_that_changed_places_are_refused(tmp_path):
    tables(tmp_path, [row[::2] for row in LIVE[:4]], LIVE)

    done = neat_delta("compare", "live.csv", "edited.csv", cwd=tmp_path)
    meant = neat_delta("compare", "live.csv", "edited.csv", "--add-new", cwd=tmp_path)

    assert done.returncode == 2
    assert "fewer columns; the two files seem to be swapped" in done.stderr
    assert meant.returncode in (0, 1)


def test_files_with_nothing_but_the_key_in_common_are_refused_with_both_lists_of_columns(tmp_path):
    tables(tmp_path, LIVE, [["sku", "place", "units"], ["K1", "barn", "4"], ["K1", "harbour", "2"]])

    done = neat_delta("compare", "live.csv", "edited.csv", cwd=tmp_path)

    assert done.returncode == 2
    assert "columns of live.csv: sku, name, price; of this file: place, units" in done.stderr


@pytest.mark.parametrize("pair", [("K1", "N1"), ("K3", "New")])
def test_a_list_of_codes_without_a_header_keeps_its_first_pair(tmp_path, pair):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "codes.csv", [pair, ["K2", "N2"]])
    write_table(tmp_path / "edited.csv", [LIVE[0], [pair[1], *LIVE[int(pair[0][1])][1:]]])

    recoded = neat_delta("recode", "live.csv", "codes.csv", "--out", "c.jsonl", cwd=tmp_path)
    compared(tmp_path, "--sku-changes", "codes.csv", "--out", "d.jsonl")

    assert recoded.returncode == 0, recoded.stderr
    for name in ("c.jsonl", "d.jsonl"):
        items = [json.loads(line) for line in (tmp_path / name).read_text().splitlines()[1:]]
        assert pair in [(item["key"][0], item["new_key"][0]) for item in items if item["action"] == "recode"]


@pytest.mark.parametrize("first", ["notes", "items"])
def test_the_worksheet_with_the_columns_of_the_export_is_taken(tmp_path, first):
    book = openpyxl.Workbook()
    book.active.title = first
    book.create_sheet("items" if first == "notes" else "notes")
    for row in (["what to do", "who"], *([f"call {at}", "Anna"] for at in range(30))):
        book["notes"].append(row)
    for row in LIVE:
        book["items"].append(row)
    book["items"]["C2"] = "1.75"
    book.save(tmp_path / "s.xlsx")
    write_table(tmp_path / "live.csv", LIVE)

    told = json.loads(neat_delta("compare", "live.csv", "s.xlsx", "--json", cwd=tmp_path).stdout)["result"]

    assert (told["cells"], told["counts"]["missing"]) == (1, 0)


REMEDIES = [
    ("", [1, "bin", "417"], ["--as-typed", "bin"], {("K1", "bin", "417")}),
    ("", [2, "price", "0.50"], ["--ignore", "below cost", "--ignore", "decimal slip"], {("K2", "price", "0.50")}),
    ("[fields.colour]\nlocked = true\n", [3, "colour", "ash"], ["--unlock", "colour"], {("K3", "colour", "ash")}),
    (
        '[fields.colour]\ntype = "choice"\nallowed = ["oak", "ash"]\n',
        [4, "colour", "elm"],
        ["--allow-new-values", "colour"],
        {("K4", "colour", "elm")},
    ),
    ("", [5, "stock", "9000000"], ["--ignore", "implausible stock"], {("K5", "stock", "9000000")}),
]


@pytest.mark.parametrize(("settled", "edit", "hint", "more"), REMEDIES, ids=[one[2][0] for one in REMEDIES])
def test_each_remedy_lets_just_the_cell_through_that_it_is_about(tmp_path, settled, edit, hint, more):
    head = ["sku", "name", "price", "cost", "bin", "colour", "stock"]
    live = [head, *([f"K{at}", f"Jar {at}", f"{at}.50", "1.10", f"00{416 + at}", "oak", "7"] for at in range(1, 30))]
    edited = [[*row] for row in live]
    edited[9][2], edited[10][1] = "9.90", "Pot"
    edited[edit[0]][head.index(edit[1])] = edit[2]
    tables(tmp_path, live, edited)
    (tmp_path / "catalogue.toml").write_text('[fields.bin]\ntype = "code"\n' + settled)

    def cells(*options):
        _, told = compared(tmp_path, "--out", "c.jsonl", "--overwrite", *options)
        rows = [json.loads(line) for line in (tmp_path / "c.jsonl").read_text().splitlines()[1:]]
        found = {
            (row["key"][0], name, cell["now"])
            for row in rows
            if row["key"]
            for name, cell in row.get("cells", {}).items()
        }
        return found, told["problems"]["error"]

    held, _ = cells()
    let, stops = cells(*hint)

    assert more.isdisjoint(held)
    assert let == held | more
    assert stops == 0


QUIETLY = [
    "inspect live.csv",
    "compare live.csv edited.csv",
    "compare live.csv live.csv",
    "compare live.csv edited.csv --strict",
    "compare live.csv edited.csv --strict --write up",
    "check c.jsonl",
    "preview c.jsonl",
    "verify c.jsonl live.csv",
    "adjust live.csv --set price=price*1.01",
    "write c.jsonl -o up",
    "undo c.jsonl -o back",
    "setup live.csv -o s.toml",
]


def test_quiet_ends_with_the_same_exit_code(tmp_path):
    tables(tmp_path, LIVE, [LIVE[0], ["K1", "Jar 1", "on request"], *LIVE[2:]])
    neat_delta("compare", "live.csv", "edited.csv", "--out", "c.jsonl", cwd=tmp_path)
    for command in QUIETLY:
        codes = []
        for manner in ([], ["--quiet"], ["--json"]):
            codes.append(neat_delta(*command.split(), *manner, cwd=tmp_path).returncode)
            (tmp_path / "s.toml").unlink(missing_ok=True)
            for folder in ("up", "back"):
                shutil.rmtree(tmp_path / folder, ignore_errors=True)
        assert len(set(codes)) == 1, (command, codes)


@pytest.mark.parametrize(
    "command",
    ["check c.jsonl", "preview c.jsonl", "pick c.jsonl --only price -o p.jsonl", "write c.jsonl -o up2",
     "undo c.jsonl -o back", "combine c.jsonl c.jsonl -o both.jsonl", "preview c.jsonl --page p.html"],
)  # fmt: skip
def test_no_command_works_on_another_export_than_the_one_the_changes_were_made_from(work, command):
    write_table(work / "other.csv", [["sku", "price", "cost", "category"], ["A", "9.00", "0.50", "x"]])

    assert "made from another export" in refused(work, f"{command} --live other.csv")

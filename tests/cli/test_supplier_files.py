import json

import openpyxl
import pytest

from helpers import import_into, neat_delta, page_data, read_rows, update_files, write_table

LIVE = [["sku", "name", "price"], *([f"00{at}", f"Item {at}", f"{at}.50"] for at in range(10, 20))]
LIST = [["Our no.", "Net, each"], *([f"00{at}", f"{at},00"] for at in range(10, 16)), ["Summe", ""]]
TOLD = ("--map", "Our no.=sku", "--set", "price = file.net_each * 1.6")


@pytest.fixture
def shop(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "file.csv", LIST, delimiter=";")
    return tmp_path


def test_a_list_told_once_is_known_next_month(shop):
    (shop / "catalogue.toml").write_text("# mine\n[fields.name]\nlocked = true\n")
    first = neat_delta("compare", "live.csv", "file.csv", *TOLD, "--save-profile", "monthly", "--json", cwd=shop)
    write_table(
        shop / "file.csv", [["Our no.", "Net, each", "Pack"], *([*row, "5"] for row in LIST[1:7])], delimiter=";"
    )

    again = neat_delta("compare", "live.csv", "file.csv", "--profile", "monthly", "--write", "up", cwd=shop)

    assert (first.returncode, again.returncode) == (0, 0)
    assert (shop / "catalogue.toml").read_text().startswith("# mine\n[fields.name]\nlocked = true\n")
    assert "new columns since last time: Pack" in again.stdout
    told = json.loads(first.stdout)["result"]
    assert told["counts"]["changed"] == 6
    assert told["columns"] == [
        {"column": "Our no.", "field": "sku", "first": "0010", "ours": "0010"},
        {"column": "Net, each", "field": None, "first": "10,00", "ours": None},
    ]
    got = import_into(read_rows(shop / "live.csv"), update_files(shop / "up"))
    assert [row[2] for row in got[1:7]] == [f"{at * 1.6:.2f}" for at in range(10, 16)]
    assert got[7:] == LIVE[7:]


def test_the_matching_is_shown_first_with_a_value_of_each_column(shop):
    lines = neat_delta("compare", "live.csv", "file.csv", *TOLD, cwd=shop).stdout.splitlines()

    assert [line.split() for line in lines if line.split()[:1] in (["Our"], ["Net,"])] == [
        ["Our", "no.", "sku", "0010", "0010"], ["Net,", "each", "–", "not", "used", "10,00", "–"],
    ]  # fmt: skip


def test_columns_are_mapped_by_what_they_hold_where_that_is_accepted(tmp_path):
    live = [["sku", "ean", "brand", "price"]]
    live += [[f"KT-{n}", f"95210000{n:05}", "Kelp" if n % 2 else "Moss", f"{n}.50"] for n in range(10, 40)]
    theirs = [["Nr", "Strichcode", "Marke", "VK"]]
    theirs += [[f"x{at}", row[1], row[2], f"{float(row[3]) * 1.1:.2f}"] for at, row in enumerate(live[1:])]
    write_table(tmp_path / "live.csv", live)
    write_table(tmp_path / "list.csv", theirs)
    (tmp_path / "catalogue.toml").write_text("")

    done = neat_delta(
        "compare", "live.csv", "list.csv", "--map-by-values", "--save-profile", "kelp", "--json", cwd=tmp_path
    )

    told = json.loads(done.stdout)["result"]
    assert [(one["column"], one["field"]) for one in told["columns"]] == [
        ("Nr", None), ("Strichcode", "ean"), ("Marke", "brand"), ("VK", "price"),
    ]  # fmt: skip
    assert told["counts"]["changed"] == 30
    again = neat_delta("compare", "live.csv", "list.csv", "--profile", "kelp", "--json", cwd=tmp_path)
    assert json.loads(again.stdout)["result"]["counts"] == told["counts"]


def test_a_list_of_which_no_code_is_known_is_likely_the_wrong_file(shop):
    write_table(shop / "other.csv", [["sku", "price"], *([f"X{at}", "1.00"] for at in range(9))])

    seen = neat_delta("compare", "live.csv", "other.csv", cwd=shop)

    assert "none of these SKUs exist in the shop. Wrong file?" in " ".join(seen.stdout.split())


def test_new_and_gone_items_go_where_they_are_asked_for_and_come_back(shop):
    write_table(shop / "edited.csv", [LIVE[0], *LIVE[2:], ["N1", "New", "3.00"]])
    (shop / "some.txt").write_text("sku\n0010\n0012\nN1\nN2\n")
    args = ("compare", "live.csv", "edited.csv", "--add-new", "--delete-missing", "1")

    done = neat_delta(*args, "--items", "some.txt", "--write", "up", cwd=shop)

    assert done.returncode == 0
    assert [path.name for path in update_files(shop / "up")] == ["01-new-items.csv", "02-removals.csv"]
    assert "excluded 8" in done.stdout
    assert "this SKU was selected, but is not in the shop" in done.stdout
    got = import_into(LIVE, update_files(shop / "up"))
    assert got == [LIVE[0], *LIVE[2:], ["N1", "New", "3.00"]]
    assert sorted(import_into(got, update_files(shop / "up/undo"))) == sorted(LIVE)


def test_no_item_is_removed_while_a_row_may_be_any_item(shop):
    write_table(shop / "edited.csv", [LIVE[0], *LIVE[2:], ["", "Item 10", "10.50"]])
    args = ("compare", "live.csv", "edited.csv", "--delete-missing", "5")

    done = neat_delta(*args, "--write", "up", cwd=shop)

    assert done.returncode == 1
    assert "so nothing was deleted" in " ".join(done.stdout.split())
    assert not (shop / "up").exists()


def test_answers_from_a_file_are_kept_with_the_list(shop):
    write_table(shop / "answers.csv", [["field", "theirs", "ours"], ["name", "Dings", "Item 11"]])
    write_table(shop / "other.csv", [["sku", "name"], ["0010", "Dings"]])
    told = ("--map-file", "answers.csv", "--map-value", "name", "Bums=Item 12", "--map-code", "X=0011")

    seen = neat_delta("compare", "live.csv", "other.csv", *told, "--save-profile", "other", "--json", cwd=shop)
    write_table(shop / "other.csv", [["sku", "name"], ["X", "Bums"]])
    again = neat_delta("compare", "live.csv", "other.csv", "--profile", "other", cwd=shop)

    assert json.loads(seen.stdout)["result"]["counts"]["changed"] == 1
    assert ["0011", "Item", "11", "name", "Item", "11", "Item", "12"] in map(str.split, again.stdout.splitlines())


def test_adjust_writes_a_proved_update(shop):
    done = neat_delta(
        "adjust", "live.csv", "--set", "price = price * 1.05", "--where", "price > 15", "--ending", ".95",
        "--write", "up", cwd=shop,
    )  # fmt: skip

    assert done.returncode == 0
    assert "selected    5 of 10 items, where price > 15" in done.stdout
    got = import_into(LIVE, update_files(shop / "up"))
    assert [row[2] for row in got[6:]] == ["15.95", "16.95", "17.95", "18.95", "20.95"]
    assert import_into(got, update_files(shop / "up/undo")) == LIVE


@pytest.mark.parametrize(
    ("args", "reason"),
    [
        (["adjust", "live.csv"], "Missing option '--set'"),
        (["adjust", "live.csv", "--set", "price = price *"], "formula 'price = price *'"),
        (["adjust", "live.csv", "--set", "price = 1", "--ending", "x"], "'x' is not an amount"),
        (["adjust", "live.csv", "--set", "price = 1", "--ending", ".9", "--multiple-of", "5"], "not both"),
        (["adjust", "live.csv", "--set", "price = 1", "--where", "cost > 1"], "there is no field cost"),
        (["compare", "live.csv", "file.csv", "--profile", "weekly"], "there is no supplier profile with this name"),
        (["compare", "live.csv", "file.csv", "--map", "sku"], "'sku' is not COLUMN=FIELD"),
        (
            ["compare", "live.csv", "file.csv", *TOLD, "--delete-missing", "3"],
            "4 items would be deleted, more than the limit of 3",
        ),
        (["compare", "live.csv", "file.csv", *TOLD, "--map-file", "file.csv"], "this row has a blank cell"),
        (["compare", "live.csv", "file.csv", *TOLD, "--map-value", "size", "a=b"], "there is no such field"),
        (["compare", "live.csv", "file.csv", *TOLD, "--map-value", "name", "a"], "'a' is not FIELD THEIRS=OURS"),
    ],
)
def test_a_wrong_call_ends_with_two_and_says_why(shop, args, reason):
    failed = neat_delta(*args, cwd=shop)

    assert failed.returncode in (2, 3)
    assert reason in " ".join(failed.stderr.split())
    assert "Traceback" not in failed.stderr


def test_raw_values_stand_beside_computed_ones_in_preview_page_and_workbook(shop):
    neat_delta("compare", "live.csv", "file.csv", *TOLD, "--out", "c.jsonl", cwd=shop)
    shown = neat_delta("preview", "c.jsonl", "--page", "p.html", "--review", "r.xlsx", cwd=shop)
    rows = list(openpyxl.load_workbook(shop / "r.xlsx").active.iter_rows(values_only=True))

    assert "from net_each 10" in shown.stdout
    assert "price = file.net_each * 1.6 from net_each 10" in page_data(shop / "p.html")
    assert rows[1][rows[0].index("calculated from")].startswith("net_each 1")

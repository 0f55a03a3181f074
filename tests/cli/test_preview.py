import json
import shutil
import subprocess

import openpyxl
import pytest

from helpers import neat_delta, read_rows, widest, write_table

MAKERS = ["Thrumhive", "Combwick"]
LIVE = [
    ["sku", "näme", "maker", "category", "price", "cost", "stock_main", "tags"],
    *(
        [
            f"0{at}",
            f"Hive {at}",
            ["Thrumhive", "Combwick"][at % 2],
            f"Hives/{at % 3}",
            f"{at}.00",
            "5.00",
            str(at),
            "a|b",
        ]
        for at in range(10, 40)
    ),
]


@pytest.fixture(scope="module")
def shop(tmp_path_factory):
    folder = tmp_path_factory.mktemp("shop")
    edited = [list(row) for row in LIVE]
    for row in edited[1:]:
        row[4] = row[4].replace(".00", ".50")
    edited[3][1] = "Hive of larch, with a floor, a flat roof and everything else that it takes to keep bees in it"
    edited[4][5], edited[5][6], edited[6][7] = "6.00", "99", "b|c"
    edited[7][4] = "on request"
    write_table(folder / "live.csv", LIVE)
    write_table(folder / "edited.csv", edited)
    (folder / "catalogue.toml").write_text('[fields.tags]\nseparator = "|"\n')
    neat_delta("compare", "live.csv", "edited.csv", "--out", "c.changes.jsonl", cwd=folder)
    return folder


def flat(text):
    """What is said, wherever its lines are folded."""
    return " ".join(text.split())


def preview(shop, *options, **environment):
    return neat_delta("preview", "c.changes.jsonl", *options, cwd=shop, **environment)


@pytest.mark.parametrize("width", [40, 60, 80, 200])
@pytest.mark.parametrize(
    "options", [["--all"], ["--money", "--stock", "--by", "category"], ["--item", "012", "--item", "015"]]
)
def test_every_view_fits_the_screen(shop, width, options):
    done = preview(shop, *options, COLUMNS=str(width))

    assert done.returncode == 1
    assert widest(done.stdout) <= width


def test_totals_add_up_and_changes_read_as_was_and_now(shop):
    said = flat(preview(shop, "--all").stdout)

    assert "changed 29 · unchanged 0 · new 0 · duplicate 0 · unreadable 0 · rejected 1 = 30 rows read" in said
    assert "33 cells of 29 items" in said
    assert "− a   + c" in preview(shop, "--item", "015").stdout
    assert "Hive (12 → of larch, with a floor" in said


def test_the_views_of_money_stock_and_groups(shop):
    money = preview(shop, "--money", "--limit", "1").stdout
    stock = preview(shop, "--stock").stdout
    groups = preview(shop, "--by", "maker").stdout

    assert "margin % rises on 28 and falls on 1" in money
    assert "… and 28 more items: --all shows every one, --limit N so many" in money
    assert "▲ 85" in stock
    assert "▲ 425.00" in stock
    assert [line.split()[:3] for line in groups.splitlines() if line.startswith(("  Thrum", "  Comb", "  all"))] == [
        ["Combwick", "15", "17"], ["Thrumhive", "14", "16"], ["all", "29", "33"],
    ]  # fmt: skip


def test_json_has_what_the_views_show(shop):
    told = json.loads(preview(shop, "--only", "price", "--where", "maker = 'Combwick'", "--money", "--json").stdout)[
        "result"
    ]

    assert {cell["field"] for cell in told["cells"]} == {"price"}
    assert len(told["cells"]) == len(told["items"]["change"]) == len(told["money"]) == 15
    assert told["money"][0]["share"].startswith("0.5")


def test_records_are_touched_by_a_new_cost_and_go_into_a_table(shop):
    write_table(
        shop / "quotes.csv", [["SKU", "Qty", "Price"], ["013", "10", "12.00"], ["014", "1", "12.00"], ["x", "1", "1"]]
    )

    done = preview(shop, "--quotes", "quotes.csv", "--quotes-csv", "lost.csv")

    assert "1 quote of 3 in quotes.csv affected by cost changes; margin lost in all: 10.00" in flat(done.stdout)
    assert read_rows(shop / "lost.csv", charset="utf-8-sig")[1][:3] == ["2", "013", "10"]


def test_everything_is_written_where_it_was_asked_for(shop):
    done = preview(shop, "--page", "p.html", "--review", "b.xlsx", "--charts", "plots")

    assert {path.name for path in (shop / "plots").iterdir()} == {
        f"{name}.{form}" for name in ("price-changes", "margins", "changes", "stock-value") for form in ("png", "svg")
    }
    assert (shop / "p.html").read_text().startswith("<!doctype html>")
    assert "neat-delta pick c.changes.jsonl --review b.xlsx --out c-accepted.changes.jsonl" in " ".join(
        done.stdout.replace("\\\n", "").split()
    )


def test_charts_go_into_no_file(shop):
    (shop / "taken").write_text("a file")
    done = preview(shop, "--page", "new.html", "--charts", "taken", "--overwrite")

    assert (done.returncode, "taken: this is a file, not a folder" in done.stderr) == (3, True)
    assert not (shop / "new.html").exists()


def test_where_nothing_changes_there_is_nothing_to_show_and_nothing_fails(shop):
    write_table(shop / "same.csv", LIVE)
    neat_delta("compare", "live.csv", "same.csv", "--out", "none.changes.jsonl", cwd=shop)

    every = ("--money", "--stock", "--by", "category", "--page", "n.html", "--review", "n.xlsx", "--charts", "none")
    done = neat_delta("preview", "none.changes.jsonl", *every, cwd=shop)

    assert done.returncode == 0, done.stderr
    assert "nothing to draw: no price, stock or category changes" in done.stdout
    assert "0 cells of 0 items" in done.stdout


def test_a_part_is_picked_written_and_its_rest_told(shop):
    preview(shop, "--review", "b.xlsx", "--review-by", "item", "--only", "price")

    part = ("--review", "b.xlsx", "--unmarked", "accept", "--where", "price < 12")
    done = neat_delta("pick", "c.changes.jsonl", *part, "--out", "p.jsonl", cwd=shop)

    assert done.returncode == 1
    assert "rejected 31 cells and 0 whole items (review b.xlsx, where price < 12)" in flat(done.stdout)
    written = neat_delta("write", "p.jsonl", "-o", "up", cwd=shop)
    assert "2 cells of 2 items" in flat(written.stdout)


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program (soffice) is installed here")
@pytest.mark.parametrize("form", ["xlsx", "ods"])
def test_a_review_is_read_as_a_spreadsheet_program_saves_it(shop, tmp_path, form):
    preview(shop, "--review", "b.xlsx")
    marked = openpyxl.load_workbook(shop / "b.xlsx")
    for row in marked["review"].iter_rows(min_row=2, max_row=6):
        row[0].value = "take"
    marked.save(tmp_path / "marked.xlsx")
    command = ["soffice", "--headless", f"-env:UserInstallation=file://{tmp_path}/profile", "--convert-to", form]
    saved = tmp_path / "saved"
    subprocess.run(
        [*command, "--outdir", saved, tmp_path / "marked.xlsx"], check=True, capture_output=True, timeout=600
    )

    done = neat_delta(
        "pick",
        "c.changes.jsonl",
        "--review",
        saved / f"marked.{form}",
        "--out",
        tmp_path / "p.jsonl",
        "--json",
        cwd=shop,
    )

    assert json.loads(done.stdout)["result"]["cells"] == 5


@pytest.mark.parametrize(
    ("call", "reason"),
    [
        (["preview", "c.changes.jsonl", "--by", "planet"], "there is no field with this name"),
        (["preview", "c.changes.jsonl", "--item", "nobody"], "not in the change set"),
        (["preview", "c.changes.jsonl", "--only", "colour"], "no change of this field in this change set"),
        (
            ["preview", "c.changes.jsonl", "--money", "--live", "edited.csv"],
            "this change set was made from another export (",
        ),
        (
            ["preview", "c.changes.jsonl", "--quotes", "edited.csv", "--quotes-csv", "no/such/place.csv"],
            "no/such/place.csv",
        ),
        (["preview", "live.csv"], "this is not a change set"),
        (["pick", "c.changes.jsonl", "--out", "x.jsonl"], "nothing selected"),
        (["pick", "c.changes.jsonl", "--only", "price", "--out", "c.changes.jsonl"], "this is an input file"),
        (["pick", "c.changes.jsonl", "--review", "live.csv", "--out", "x.jsonl"], "live.csv"),
    ],
)
def test_what_cannot_be_shown_or_picked_says_why_and_leaves_nothing(shop, call, reason):
    done = neat_delta(*call, cwd=shop)

    assert done.returncode in (2, 3)
    assert reason in done.stderr
    assert done.stdout == ""
    assert not (shop / "x.jsonl").exists()


def test_a_text_has_half_of_the_line_however_long_keys_and_names_are(tmp_path):
    rows = [["sku", "name", "note"], ["KT-" + "1" * 40, "Jar " * 20, "of clear glass, for a pound of honey"]]
    write_table(tmp_path / "live.csv", [*rows, ["KT-2", "lid", ""]])
    write_table(tmp_path / "edited.csv", [rows[0], [*rows[1][:2], rows[1][2] + ", not for jam"], ["KT-2", "lid", ""]])
    shown = neat_delta("compare", "live.csv", "edited.csv", cwd=tmp_path, COLUMNS="80").stdout
    assert f"\n{' ' * 40}…a pound of honey(+ , not for jam)\n" in shown

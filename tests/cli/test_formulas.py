"""What a spreadsheet program would run as a formula is kept from it in every file that people open, and comes back."""

import csv
import io
import json

import openpyxl
import pytest

from helpers import neat_delta, read_rows, write_table
from neat_delta.tables.formula_text import escaped_text

CODES = ["=A1", "-1+cmd|' /C calc'!A0", "+B", "@C", " =D", "\t=E", "'=F", "''=G", "plain", "-5"]
TEXTS = ["=1+1", "-2+3", "@x", "\n=1", "'=q", "+1,5", "- oak", "＝1", "x=1", "-7.5"]
LIVE = [["sku", "=name", "price", "cost", "-maker"]] + [
    [code, text, "10.00", "4.00", text] for code, text in zip(CODES, TEXTS, strict=True)
]


@pytest.fixture
def shop(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    edited = [[*row] for row in LIVE]
    for row, text in zip(edited[1:], reversed(TEXTS), strict=True):
        row[1], row[2], row[3] = text, "11.00", "3.00"
    edited[1][2], edited[2][2] = "=1+x", "-1+y"
    unread = ["=HYPERLINK(1)", "a", "1.00", "1.00", "m", "too many"]
    write_table(tmp_path / "edited.csv", [*edited, ["=new", "=n", "=p", "4.00", "m"], unread])
    write_table(tmp_path / "quotes.csv", [["=quote", "sku", "price"], *([f"={code}", code, "9.00"] for code in CODES)])
    neat_delta(
        "compare",
        "live.csv",
        "edited.csv",
        "--out",
        "c.jsonl",
        "--problems",
        "found.xlsx",
        "--write",
        "up",
        cwd=tmp_path,
    )
    return tmp_path


def texts_of(path):
    """Every text cell of a file that people open; of our own sums only that they are not texts."""
    if path.suffix == ".csv":
        return [cell for row in csv.reader(io.StringIO(path.read_text("utf-8-sig"), newline="")) for cell in row]
    book = openpyxl.load_workbook(path)
    cells = [cell for sheet in book for row in sheet.iter_rows() for cell in row if cell.value is not None]
    return [cell.value for cell in cells if cell.data_type == "s"]


def insist_on_harmless(path):
    texts = texts_of(path)
    assert len(texts) > 3
    for text in texts:
        assert escaped_text(text) in (text, f"'{text}"), text
        assert escaped_text(text) == text or text.startswith("'"), (path.name, text)


@pytest.mark.parametrize("name", ["s.csv", "s.xlsx"])
def test_a_sheet_is_harmless_and_comes_back_unchanged(shop, name):
    choices = ", ".join(map(json.dumps, TEXTS))
    (shop / "catalogue.toml").write_text(f'key = "sku"\n[fields.maker]\nallowed = [{choices}]\n')
    neat_delta("sheet", "live.csv", "-o", name, cwd=shop)

    insist_on_harmless(shop / name)
    back = json.loads(neat_delta("compare", "live.csv", name, "--json", cwd=shop).stdout)["result"]
    assert (back["cells"], back["counts"]["unchanged"], back["counts"]["new"]) == (0, len(CODES), 0)


def test_findings_are_harmless_and_come_back_as_they_were(shop):
    insist_on_harmless(shop / "found.xlsx")
    edited = read_rows(shop / "edited.csv")
    for row in edited[1 : len(LIVE)]:
        row[2] = f"={row[2]}+x"  # so that every row is among the errors
    write_table(shop / "wrong.csv", edited)
    wrong = neat_delta("compare", "live.csv", "wrong.csv", "--problems", "wrong.xlsx", "--json", cwd=shop)

    back = neat_delta(
        "compare", "live.csv", "wrong.xlsx", "--worksheet", "error", "--status", "new", "--json", cwd=shop
    )
    first = json.loads(wrong.stdout)["result"]
    told = json.loads(back.stdout)["result"]
    first["problems"]["note"] -= 1  # the new row has a sheet of its own

    assert told["counts"] == first["counts"] | {"new": 0}
    assert (told["cells"], told["problems"]) == (first["cells"], first["problems"])


@pytest.mark.parametrize("by", ["cell", "item"])
def test_a_review_is_harmless_and_knows_its_items_again(shop, by):
    neat_delta("preview", "c.jsonl", "--review", "r.xlsx", "--review-by", by, cwd=shop)
    insist_on_harmless(shop / "r.xlsx")

    picked = neat_delta("pick", "c.jsonl", "--review", "r.xlsx", "--unmarked", "accept", "--out", "p.jsonl", cwd=shop)

    assert "rejected    0 cells" in picked.stdout, picked.stderr


def test_clashes_records_and_result_lists_are_harmless(shop):
    fresh = [[*row] for row in LIVE]
    for row in fresh[1:]:
        row[1:4] = ["=other", "12.00", "2.00"]
    write_table(shop / "fresh.csv", fresh)
    (shop / "inbox").mkdir()
    neat_delta("refresh", "c.jsonl", "fresh.csv", "--out", "f.jsonl", "--conflicts", "clashes.xlsx", cwd=shop)
    neat_delta("preview", "c.jsonl", "--quotes", "quotes.csv", "--quotes-csv", "q.csv", cwd=shop)
    neat_delta("send", "up", "--to", "inbox", "--import-report", "r.csv", cwd=shop)

    for name in ("clashes.xlsx", "q.csv"):
        insist_on_harmless(shop / name)


def test_result_lists_come_back_to_their_items(shop):
    rows = [["line", "code", "result", "reason"], *(["1", escaped_text(code), "failed", "=x"] for code in CODES)]
    write_table(shop / "r.csv", rows)

    picked = neat_delta("pick", "c.jsonl", "--failed", "r.csv", "--out", "p.jsonl", "--json", cwd=shop)

    changed = json.loads(neat_delta("preview", "c.jsonl", "--json", cwd=shop).stdout)["result"]["items"]["change"]
    assert json.loads(picked.stdout)["result"]["counts"]["changed"] == len(changed) > 5


def test_the_shop_gets_what_was_meant_without_any_apostrophe(shop):
    codes = {row[0] for path in (shop / "up").glob("0*.csv") for row in read_rows(path)[1:]}

    assert codes <= set(CODES)

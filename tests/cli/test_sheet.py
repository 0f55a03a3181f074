"""The sheet for editing, and its way through a real spreadsheet program and back."""

import io
import json
import shutil
import subprocess
import zipfile
from importlib.resources import files

import openpyxl
import pytest

from helpers import import_into, names_in, neat_delta, read_rows, update_files, write_table

FILES = files("neat_delta.demo_shop")


@pytest.fixture
def shop(tmp_path):
    shutil.copyfile(str(FILES / "live.csv"), tmp_path / "live.csv")
    return tmp_path


def counts(folder, sheet, live="live.csv"):
    done = neat_delta("compare", live, sheet, "--json", cwd=folder)
    assert done.returncode in (0, 1), done.stderr
    return json.loads(done.stdout)["result"]


@pytest.mark.parametrize("sheet", ["work.xlsx", "work.csv"])
def test_an_untouched_sheet_changes_nothing(shop, sheet):
    made = neat_delta("sheet", "live.csv", "-o", sheet, cwd=shop)
    told = counts(shop, sheet)

    assert made.returncode == 0
    assert (told["counts"]["unchanged"], told["cells"], told["problems"]["error"]) == (640, 0, 0)


def test_only_the_items_and_fields_asked_for_key_first(shop):
    (shop / "codes.txt").write_text("SKU\n000417\nQX-0042\n\nnope\n")
    options = ("--fields", "price,Name,active", "--items", "codes.txt", "--where", "price > 0 AND active = 1")

    made = neat_delta("sheet", "live.csv", "-o", "work.csv", *options, cwd=shop)

    assert made.returncode == 1
    assert "1 SKU not in the shop: nope" in made.stdout
    table = read_rows(shop / "work.csv")
    assert table[0] == ["sku", "price", "name", "active"]
    assert {row[0] for row in table[1:]} <= {"000417", "QX-0042"}


@pytest.mark.parametrize(
    ("where", "holds"),
    [
        ("price >= 100.05", lambda row: float(row["price"]) >= 100.05),
        (
            "maker = 'Pellimoor' AND stock_main = 0",
            lambda row: row["maker"] == "Pellimoor" and row["stock_main"] == "0",
        ),
        ("colour IS NULL", lambda row: row["colour"] == ""),
        ("added < '2020-01-01' OR active = 0", lambda row: row["added"] < "2020-01-01" or row["active"] == "0"),
        ("name LIKE '%veil%'", lambda row: "veil" in row["name"]),
    ],
)
def test_a_condition_chooses_exactly_the_items_for_which_it_holds(shop, where, holds):
    neat_delta("sheet", "live.csv", "-o", "work.csv", "--where", where, cwd=shop)

    header, *rows = read_rows(shop / "live.csv")
    wanted = [row[0] for row in rows if holds(dict(zip(header, row, strict=True)))]
    assert wanted
    assert [row[0] for row in read_rows(shop / "work.csv")[1:]] == wanted


@pytest.mark.parametrize(
    ("options", "reason"),
    [
        (("--where", "prize > 3"), "there is no field prize. Did you mean price?"),
        (("--where", "price >"), "Example: price > 10 AND maker = 'Thrumhive'"),
        (("--where", "price + 1"), "not a condition"),
        (("--where", "read_csv('live.csv')"), "there is no function read_csv"),
        (("--fields", "prize"), "there is no field with this name"),
        (("--items", "none.txt"), "file not found"),
        (("-o", "live.csv", "--overwrite"), "this is an input file"),
        (("-o", "work.pdf"), "a sheet is .xlsx"),
    ],
)
def test_a_wrong_wish_ends_with_two_and_writes_nothing(shop, options, reason):
    failed = neat_delta("sheet", "live.csv", "-o", "work.xlsx", *options, cwd=shop)

    assert failed.returncode in (2, 3)
    assert reason in failed.stderr
    assert names_in(shop) == {"live.csv"}


def test_the_workbook_guards_what_must_not_be_touched(shop):
    neat_delta("sheet", "live.csv", "-o", "work.xlsx", "--fields", "name,tax_class,colour", cwd=shop)
    opened = neat_delta(
        "sheet", "live.csv", "-o", "open.xlsx", "--fields", "tax_class", "--unlock", "tax_class", "--json", cwd=shop
    )

    with zipfile.ZipFile(shop / "work.xlsx") as parts:
        sheet = parts.read("xl/worksheets/sheet1.xml").decode()
        strings = parts.read("xl/sharedStrings.xml").decode()
    assert "<sheetProtection" in sheet
    assert 'state="frozen"' in sheet
    assert sheet.count("<dataValidation ") == 1
    assert "<t>000417</t>" in strings
    assert json.loads(opened.stdout)["result"]["locked"] == ["sku"]
    book = openpyxl.load_workbook(shop / "work.xlsx")
    (validation,) = book.worksheets[0].data_validations.dataValidation
    lists, _, cells = validation.formula1.strip("'=").replace("'", "").rpartition("!")
    offered = [cell.value for (cell,) in book[lists][cells.replace("$", "")]]
    header, *rows = read_rows(shop / "live.csv")
    assert offered == sorted({row[header.index("colour")] for row in rows} - {""})


def test_a_sheet_from_another_export_is_pointed_out(shop):
    neat_delta("sheet", "live.csv", "-o", "work.xlsx", cwd=shop)
    table = read_rows(shop / "live.csv")
    write_table(shop / "newer.csv", [*table[:5], *table[6:]])

    known = neat_delta("compare", "newer.csv", "work.xlsx", cwd=shop).stdout
    without = neat_delta("compare", "newer.csv", "work.xlsx", "--base", "none", cwd=shop).stdout
    assert counts(shop, "work.xlsx")["problems"]["warning"] == 0
    assert "carried by the sheet" in known
    assert "made from another export" not in known
    assert "work.xlsx was made from another export than newer.csv" in " ".join(without.split())


def saved_by_a_program(folder, sheet, form):
    """The sheet after a spreadsheet program has opened it and saved it in some form."""
    out = folder / "saved"
    command = ["soffice", "--headless", f"-env:UserInstallation=file://{folder}/profile", "--convert-to", form]
    subprocess.run([*command, "--outdir", out, folder / sheet], check=True, capture_output=True, timeout=600)
    return f"saved/{sheet.partition('.')[0]}.{form.partition(':')[0]}"


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program (soffice) is installed here")
@pytest.mark.parametrize("form", ["xlsx", "ods", "csv"])
def test_a_sheet_saved_untouched_by_a_spreadsheet_program_changes_nothing(shop, form):
    neat_delta("sheet", "live.csv", "-o", "work.xlsx", cwd=shop)

    told = counts(shop, saved_by_a_program(shop, "work.xlsx", form))

    assert (told["counts"]["unchanged"], told["cells"], told["problems"]) == (
        640,
        0,
        {"error": 0, "warning": 0, "note": 0},
    )


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program (soffice) is installed here")
def test_edits_in_a_workbook_come_through_and_nothing_else(shop):
    """Cells are changed in the workbook's own parts, then a spreadsheet program opens and saves it."""
    neat_delta("sheet", "live.csv", "-o", "work.xlsx", "--fields", "name,price", cwd=shop)
    stream = io.BytesIO()
    with zipfile.ZipFile(shop / "work.xlsx") as parts, zipfile.ZipFile(stream, "w") as edited:
        for name in parts.namelist():
            data = parts.read(name)
            if name == "xl/sharedStrings.xml":
                data = data.replace(b"<t>Pine hive body, 8 frames</t>", "<t>Pine hive, ½ price</t>".encode())
            edited.writestr(name, data)
    (shop / "work.xlsx").write_bytes(stream.getvalue())

    saved = saved_by_a_program(shop, "work.xlsx", "xlsx")
    done = neat_delta("compare", "live.csv", saved, "--write", "up", cwd=shop)

    assert done.returncode == 0
    live = read_rows(shop / "live.csv")
    got = import_into(live, update_files(shop / "up"))
    differing = [(old[3], new[3]) for old, new in zip(live, got, strict=True) if old != new]
    assert differing == [("Pine hive body, 8 frames", "Pine hive, ½ price")]


FRAGILE = [
    ["sku", "bin", "price", "note", "added"],
    *([f"QX-{at}", "00417", f"{at}.50", "1E5", "2026-03-04"] for at in range(1, 7)),
]


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program (soffice) is installed here")
def test_of_an_export_opened_as_it_is_the_edits_come_through_and_each_damaged_cell_is_named(tmp_path):
    edited = [list(row) for row in FRAGILE]
    edited[1][2], edited[2][3], edited[3][1] = "9.75", "new", "A-1"
    write_table(tmp_path / "live.csv", FRAGILE)
    write_table(tmp_path / "edited.csv", edited)

    saved = saved_by_a_program(tmp_path, "edited.csv", "csv")
    done = neat_delta("compare", "live.csv", saved, "--out", "c.jsonl", "--write", "up", cwd=tmp_path)

    assert (tmp_path / saved).read_text().splitlines()[4] == "QX-4,417,4.5,100000,2026-03-04"
    assert done.returncode == 0
    items = [json.loads(line) for line in (tmp_path / "c.jsonl").read_text().splitlines()[1:]]
    cells = {(item["key"][0], name): cell["now"] for item in items for name, cell in item.get("cells", {}).items()}
    assert cells == {("QX-1", "price"): "9.75", ("QX-2", "note"): "new", ("QX-3", "bin"): "A-1"}
    findings = [(item["key"][0], finding) for item in items for finding in item.get("findings", [])]
    named = {(code, finding["field"]) for code, finding in findings if finding["code"] == "repaired"}
    wanted = {(row[0], field) for row in FRAGILE[1:] for field in ("note",)} - set(cells)
    assert named == wanted
    assert "5 cells: leading zeros lost (417 for 00417) in bin" in " ".join(done.stdout.split())


HARD = [
    "=1+1", "{=A1}", "+5", "'quoted", "1E5", "TRUE", "#N/A", "_x0041_", "http://shop.example/x", " lead", "trail ",
    "\ttab", "a\nb", "a\r\nb", "a\rb", "a\x01b", "é\u202f½", "x" * 32_767,
]  # fmt: skip


def test_no_text_changes_on_its_way_through_a_workbook(tmp_path):
    rows = [[f"S{at:03}", "ä", text] for at, text in enumerate(HARD)]
    write_table(tmp_path / "live.csv", [["sku", "name", "note"], *rows])
    neat_delta("sheet", "live.csv", "-o", "work.xlsx", cwd=tmp_path)

    assert counts(tmp_path, "work.xlsx")["counts"]["unchanged"] == len(HARD)


@pytest.mark.parametrize("text", ["x" * 32_768, "🐝" * 16_384])
def test_a_text_that_no_workbook_holds_is_refused_rather_than_cut(tmp_path, text):
    write_table(tmp_path / "live.csv", [["sku", "name", "note"], ["A", "ä", ""], ["B", "b", text]])

    failed = neat_delta("sheet", "live.csv", "-o", "work.xlsx", cwd=tmp_path)
    without = neat_delta("sheet", "live.csv", "-o", "work.xlsx", "--fields", "name", cwd=tmp_path)

    assert (failed.returncode, without.returncode) == (3, 0)
    assert "value 'B': a cell of a workbook holds 32,767 characters; this text has 32,768" in failed.stderr

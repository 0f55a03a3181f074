"""Every form a table comes in gives the same cells; some of the files are made by a real spreadsheet program."""

import gzip
import io
import json
import shutil
import subprocess
import tracemalloc
import zipfile
from datetime import datetime

import polars as pl
import pytest
import xlsxwriter

from helpers import PROGRAM, neat_delta, write_table
from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.files import zstd
from neat_delta.reading import ReadOptions, archives, read_table
from neat_delta.reading.workbook import number_text

TABLE = [["sku", "name", "price", "stock"], ["000417", "Smoker, small", "12.5", "3"], ["QX-1", "Käfig", "8", "120"]]


def rows(catalogue):
    return [catalogue.names, *map(list, catalogue.cells(catalogue.names).rows())]


def workbook(*sheets, hidden=()) -> bytes:
    """A workbook of (name, rows) whose numbers are numbers."""
    data = io.BytesIO()
    book = xlsxwriter.Workbook(data)
    dates = book.add_format({"num_format": "dd.mm.yyyy"})
    for name, table in sheets:
        sheet = book.add_worksheet(name)
        for at, row in enumerate(table):
            for column, cell in enumerate(row):
                if isinstance(cell, datetime):
                    sheet.write_datetime(at, column, cell, dates)
                else:
                    sheet.write(at, column, cell)
        if name in hidden:
            sheet.hide()
        else:
            sheet.activate()
    book.close()
    return data.getvalue()


ITEMS = [["sku", "name", "price", "stock"], ["000417", "Smoker, small", 12.5, 3], ["QX-1", "Käfig", 8, 120]]


def delimited(delimiter=",", charset="utf-8"):
    return "\n".join(delimiter.join(f'"{c}"' for c in row) for row in TABLE).encode(charset)


def zipped(data: bytes) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("export/live.csv", data)
        archive.writestr("__MACOSX/._live.csv", b"x")
    return stream.getvalue()


def as_json_lines():
    objects = [dict(zip(TABLE[0], row, strict=True)) for row in TABLE[1:]]
    return "\n\n".join(json.dumps(o) for o in objects).replace('"12.5"', "12.5").replace('"120"', "120").encode()


def as_xml():
    items = "".join(
        "<item sku='{}'><name>{}</name><price>{}</price><stock>{}</stock></item>".format(*row) for row in TABLE[1:]
    )
    return f"<?xml version='1.0'?><shop><date>today</date><items>{items}</items></shop>".encode()


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("plain.csv", delimited()),
        ("packed.csv.gz", gzip.compress(delimited(";", "cp1252"), mtime=0)),
        ("packed.zip", zipped(delimited("\t"))),
        ("book.xlsx", workbook(("Items", ITEMS))),
        ("a workbook named.csv", workbook(("Items", ITEMS))),
        ("notes first.xlsx", workbook(("Notes", [["read me"]]), ("Items", ITEMS))),
        ("secret first.xlsx", workbook(("Old", [["a", "b"], ["c", "d"]]), ("Items", ITEMS), hidden=["Old"])),
        ("titles.csv", b"Price list;;;\n\n# made on Tuesday\n" + delimited(";")),
        ("titles.xlsx", workbook(("Items", [["Price list"], [], *ITEMS]))),
        ("lines.jsonl", as_json_lines()),
        ("items.xml", as_xml()),
        ("utf16.csv", b"\xff\xfe" + delimited(";", "utf-16-le")),
    ],
)
def test_every_form_gives_the_same_cells(tmp_path, name, data):
    (tmp_path / name).write_bytes(data)

    assert rows(read_table(tmp_path / name)) == TABLE


def test_numbers_dates_and_flags_of_a_workbook_come_as_people_see_them(tmp_path):
    table = [["sku", "gtin", "sum", "day", "on"], ["A", 4006381333931, 0.1 + 0.2, datetime(2026, 3, 4), True]]
    (tmp_path / "b.xlsx").write_bytes(workbook(("Items", table)))

    assert rows(read_table(tmp_path / "b.xlsx"))[1] == ["A", "4006381333931", "0.3", "2026-03-04", "TRUE"]


@pytest.mark.parametrize(
    ("value", "text"),
    [(4.0, "4"), (1e15, "1000000000000000"), (0.00001, "0.00001"), (-12.50, "-12.5"), (100.0, "100"), (0.0, "0")],
)
def test_a_number_is_never_a_power_of_ten(value, text):
    assert number_text(value) == text


def test_no_column_of_some_rows_is_nothing(tmp_path):
    (tmp_path / "b.xlsx").write_bytes(workbook(("Items", ITEMS)))

    assert read_table(tmp_path / "b.xlsx").cells([], pl.Series([1])).is_empty()


def test_rows_of_a_sheet_know_their_row_number(tmp_path):
    (tmp_path / "b.xlsx").write_bytes(workbook(("Items", [["Title"], ITEMS[0], ITEMS[1], [], ITEMS[2]])))

    assert read_table(tmp_path / "b.xlsx").rows.line.to_list() == [3, 5]


def test_empty_rows_between_a_title_and_the_table_do_not_make_the_title_a_header(tmp_path):
    rows = [["Title"], *[[]] * 9, ITEMS[0], [], ITEMS[1], []]
    (tmp_path / "b.xlsx").write_bytes(workbook(("Items", rows)))

    assert read_table(tmp_path / "b.xlsx").format.header_line == 11


def test_what_is_told_is_taken(tmp_path):
    path = tmp_path / "odd.csv"
    path.write_bytes("1;2\nskü,x;n\nA,1;b\n".encode("latin-1"))

    found = read_table(path, options=ReadOptions(";", "iso8859-1", header_line=2, decimal_separator=","))
    assert rows(found) == [["skü_x", "n"], ["A,1", "b"]]
    assert (found.format.decimal_separator, found.format.header_line, found.format.encoding) == (",", 2, "iso8859-1")

    nameless = read_table(path, options=ReadOptions(delimiter=";", header_line=0))
    assert (nameless.names, len(nameless)) == (["column_1", "column_2"], 3)

    (tmp_path / "b.xlsx").write_bytes(workbook(("One", [["a", "b"], ["1", "2"]]), ("Two", ITEMS)))
    assert rows(read_table(tmp_path / "b.xlsx", options=ReadOptions(worksheet="2"))) == TABLE
    with pytest.raises(InvalidInput, match="Worksheets: One, Two"):
        read_table(tmp_path / "b.xlsx", options=ReadOptions(worksheet="Three"))


@pytest.mark.parametrize("line", [2, 4, 900])
def test_a_header_that_is_told_to_stand_where_no_row_begins_is_refused(tmp_path, line):
    (tmp_path / "a.csv").write_text('sku,n\n\nA,"1\n2"\n')
    (tmp_path / "a.xlsx").write_bytes(workbook(("One", [["sku", "n"]])))

    for name in ("a.csv", "a.xlsx"):
        with pytest.raises(InvalidOption, match=f"no row starts on line {line}"):
            read_table(tmp_path / name, options=ReadOptions(header_line=line))


def test_json_numbers_keep_their_digits_and_bad_lines_are_named(tmp_path):
    path = tmp_path / "i.jsonl"
    path.write_text(
        '{"sku":"A","price":12.50,"tags":["a","b"]}\n{"sku":"B","x":{"y":1}}\nnot json\n{"sku":"C","on":true}\n'
    )

    found = read_table(path)

    assert rows(found) == [["sku", "price", "tags", "on"], ["A", "12.50", "a|b", ""], ["C", "", "", "true"]]
    assert found.unreadable_rows.select("line", "message").rows() == [
        (2, "a cell holds another object"),
        (3, "the line is not a JSON object"),
    ]


def bomb() -> bytes:
    return gzip.compress(b"sku,name\n" + b"0" * (257 << 20), compresslevel=1, mtime=0)


def two_tables() -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as archive:
        archive.writestr("a.pdf", b"x")
        archive.writestr("b.pdf", b"x")
    return stream.getvalue()


ENTITIES = b'<!DOCTYPE x [<!ENTITY a "aaaa">]><x><i>&a;</i><i>&a;</i></x>'


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (bomb(), "more than 256 MB"),
        (gzip.compress(delimited(), mtime=0)[:-9], "damaged or cut off"),
        (two_tables(), "holds no table"),
        (workbook(("Items", ITEMS))[:-100], "is damaged"),
        (workbook(("Items", [])), "the worksheet has no table"),
        (ENTITIES, "unsafe XML"),
        (b"<shop><item></shop>", "not well-formed XML"),
        (b"<shop/>", "no repeated element in this XML file, so there are no items"),
        (b'{"a"\n{"b"\n', "no JSON objects found"),
        (",".join(f"c{at}" for at in range(5000)).encode() + b"\n", "5000 columns; the limit is 2000"),
    ],
)
def test_files_that_are_damaged_or_mean_harm_are_refused(tmp_path, data, reason):
    (tmp_path / "file").write_bytes(data)

    with pytest.raises(InvalidInput, match=reason):
        read_table(tmp_path / "file")


def test_a_sheet_from_standard_input_is_compared(tmp_path):
    live = write_table(tmp_path / "live.csv", TABLE)
    with live.open("rb") as sheet:
        done = subprocess.run(
            [PROGRAM, "compare", live, "-", "--json"],
            stdin=sheet, capture_output=True, text=True, check=False,
        )  # fmt: skip
    assert json.loads(done.stdout)["result"]["counts"]["unchanged"] == 2


def test_options_tell_the_form_of_the_edited_sheet(tmp_path):
    write_table(tmp_path / "live.csv", TABLE)
    (tmp_path / "edited.txt").write_bytes("title\nsku|name\n000417|Rauchgerät\n".encode("cp1252"))
    options = ("--delimiter", "pipe", "--encoding", "windows-1252", "--header-line", "2", "--decimal", ",")

    done = neat_delta("compare", "live.csv", "edited.txt", *options, cwd=tmp_path)
    wrong = neat_delta("compare", "live.csv", "edited.txt", "--encoding", "klingon", cwd=tmp_path)

    assert "Windows-1252 · pipe · decimal comma · header on line 2" in done.stdout
    assert "Rauchgerät" in done.stdout
    assert wrong.returncode == 2
    assert "klingon: unknown encoding" in wrong.stderr


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program (soffice) is installed here")
@pytest.mark.parametrize("form", ["xlsx", "ods"])
def test_a_sheet_saved_by_a_spreadsheet_program_is_read_as_it_was(tmp_path, form):
    """Codes without zeros in front and text survive a plain trip; a lost zero shows as what it is."""
    write_table(tmp_path / "live.csv", TABLE)
    convert = ["soffice", "--headless", f"-env:UserInstallation=file://{tmp_path}/profile", "--convert-to", form]
    subprocess.run(
        [*convert, "--infilter=CSV:44,34,76,1", "--outdir", tmp_path, tmp_path / "live.csv"],
        check=True, capture_output=True, timeout=600,
    )  # fmt: skip

    found = rows(read_table(tmp_path / f"live.{form}"))

    assert found == [TABLE[0], ["417", *TABLE[1][1:]], TABLE[2]]


@pytest.mark.parametrize("form", ["xlsx", "ods"])
def test_zeros_that_a_number_format_shows_are_there(tmp_path, form):
    if form == "ods" and shutil.which("soffice") is None:
        pytest.skip("no spreadsheet program (soffice) is installed here")
    book = xlsxwriter.Workbook(tmp_path / "codes.xlsx")
    six = book.add_format({"num_format": "000000"})
    book.add_worksheet("first").write_row(1, 1, ["nothing", "of"])
    sheet = book.add_worksheet("codes")
    sheet.write_row(0, 0, ["sku", "stock"])
    for at, number in enumerate((417, 1200417), start=1):
        sheet.write_number(at, 0, number, six)
        sheet.write_number(at, 1, number)
    sheet.write_string(3, 0, "QX-1", six)
    sheet.write_string(4, 0, "33", six)
    sheet.write_row(5, 0, [88, 88], six)
    sheet.write_row(6, 0, [88, 88], six)
    book.close()
    if form == "ods":
        call = ["soffice", "--headless", f"-env:UserInstallation=file://{tmp_path}/profile", "--convert-to", "ods"]
        call += ["--outdir", tmp_path, tmp_path / "codes.xlsx"]
        subprocess.run(call, check=True, capture_output=True, timeout=600)

    found = read_table(tmp_path / f"codes.{form}", options=ReadOptions(worksheet="codes"))

    assert rows(found)[1:] == [
        ["000417", "417"],
        ["1200417", "1200417"],
        ["QX-1", ""],
        ["33", ""],
        *[["000088"] * 2] * 2,
    ]


def test_one_and_true_of_a_column_are_read_each_as_what_it_is(tmp_path):
    book = xlsxwriter.Workbook(tmp_path / "flags.xlsx")
    sheet = book.add_worksheet()
    sheet.write_row(0, 0, ["sku", "value"])
    for row, value in enumerate([1, True, 0, False, 1.0, "1"], start=1):
        sheet.write(row, 0, f"K{row}")
        sheet.write(row, 1, value)
    book.close()

    assert read_table(tmp_path / "flags.xlsx").cells(["value"])["value"].to_list() == [
        "1", "TRUE", "0", "FALSE", "1", "1",
    ]  # fmt: skip


@pytest.mark.parametrize("pack", [gzip.compress, zstd.compress], ids=["gzip", "zstd"])
def test_of_what_unpacks_to_too_much_no_more_is_unpacked_than_is_allowed(tmp_path, monkeypatch, pack):
    """A small file may stand for more than the memory holds; it is refused without making room for it."""
    path = tmp_path / "bomb.csv.gz"
    path.write_bytes(pack(b"sku,name\n" + b"A,x\n" * 4_000_000))
    monkeypatch.setattr(archives, "HARMLESS", 1 << 16)
    monkeypatch.setattr(archives, "MOST_TIMES", 1)

    tracemalloc.start()
    with pytest.raises(InvalidInput, match="archive too large when unpacked"):
        read_table(path)
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert most < 4 << 20

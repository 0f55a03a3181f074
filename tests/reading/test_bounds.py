"""Small files made to ask for all the memory there is, or for ever: refused at once, with their place."""

import io
import re
import zipfile

import pytest
import xlsxwriter

from neat_delta.base.errors import InvalidInput
from neat_delta.reading import read_table

SHEET = "xl/worksheets/sheet1.xml"
ROWS = [["sku", "name"], *[[f"K-{at}", f"Jar {at}"] for at in range(20)]]


def workbook(change, part=SHEET) -> bytes:
    """A workbook of which the XML of one part is another."""
    data, out = io.BytesIO(), io.BytesIO()
    book = xlsxwriter.Workbook(data)
    sheet = book.add_worksheet()
    for at, row in enumerate(ROWS):
        sheet.write_row(at, 0, row)
    book.close()
    with zipfile.ZipFile(data) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            text = old.read(name)
            new.writestr(name, change(text.decode()) if name == part else text)
    return out.getvalue()


def ods(rows: str) -> bytes:
    spaces = " ".join(f'xmlns:{n}="urn:oasis:names:tc:opendocument:xmlns:{n}:1.0"' for n in ("office", "table", "text"))
    content = (
        f"<office:document-content {spaces}><office:body><office:spreadsheet>"
        f'<table:table table:name="items">{rows}</table:table></office:spreadsheet></office:body>'
        "</office:document-content>"
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet", zipfile.ZIP_STORED)
        archive.writestr("content.xml", content)
        archive.writestr("META-INF/manifest.xml", "<manifest/>")
    return out.getvalue()


def cell(text, **repeated):
    attributes = "".join(f' table:number-{what}-repeated="{n}"' for what, n in repeated.items())
    return f'<table:table-cell office:value-type="string"{attributes}><text:p>{text}</text:p></table:table-cell>'


def row(*cells, times=1):
    return f'<table:table-row table:number-rows-repeated="{times}">{"".join(cells)}</table:table-row>'


def with_cell(place):
    number = re.sub("[A-Z]", "", place)
    return lambda text: text.replace("</sheetData>", f'<row r="{number}"><c r="{place}"><v>1</v></c></row></sheetData>')


FORMAT = '<row r="1048576"><c r="XFD1048576" s="0"/></row>'
BLANKS = '<table:table-cell table:number-columns-repeated="16384"/>'
NAMES = ["sku", "name", *(f"field {at}" for at in range(8))]
HEAD = row(cell("sku"), cell("name")) + row(cell("A"), cell("a"))
BOMBS = {
    "a cell in the last corner": (workbook(with_cell("XFD1048576")), "far outside its table.*1048576.*XFD"),
    "a cell in the last row of column Z": (workbook(with_cell("Z1048576")), "far outside its table"),
    "a cell in the last corner, in single quotes": (
        workbook(lambda xml: with_cell("XFD1048576")(xml).replace('r="XFD1048576"', "r = 'XFD1048576'")),
        "far outside its table",
    ),
    "a row repeated a billion times, in single quotes": (
        ods(HEAD + row(cell("B"), times=10**9).replace('"1000000000"', "'1000000000'")), "beyond row",
    ),
    "a cell beyond all rows": (workbook(with_cell("A9999999999")), "beyond row 1048576"),
    "a cell beyond all columns": (workbook(with_cell("ZZZZZZZZZZ1")), "beyond row 1048576 or column XFD"),
    "forty million texts": (
        workbook(lambda text: text.replace("</sst>", "<si/>" * 20_000_000 + "</sst>"), "xl/sharedStrings.xml"),
        "far more than its cells can have",
    ),
    "a row repeated a billion times": (ods(HEAD + row(cell("B"), cell("b"), times=10**9)), "beyond row"),
    "a cell repeated a billion times": (ods(HEAD + row(cell("B", columns=10**9))), "beyond row 1048576 or column XFD"),
    "a sheet without its end": (ods(HEAD + "<c "), "cannot read the workbook"),
    "entities in a sheet": (
        workbook(lambda text: text.replace("?>", '?><!DOCTYPE x [<!ENTITY a "b">]>', 1), "xl/workbook.xml"),
        "cannot read the workbook",
    ),
    "names without end in JSON Lines": (
        "\n".join(f'{{"sku": "{at}", "n{at}": 1}}' for at in range(3000)).encode(), "more than 2000 columns",
    ),
    "names without end in XML": (
        ("<a>" + "".join(f"<i><n{at}>x</n{at}></i>" for at in range(3000)) + "</a>").encode(), "3000 columns",
    ),
    "a line of 17 MB": (b"sku,name\nA," + b"x" * (17 << 20) + b"\n", "line 2: the line is longer than 16 MB"),
    "rows that are none": (b"sku,name\n" + b"A\n" * 100_002, "more than 100,000 rows cannot be read"),
    "half a character": (b'{"sku": "A", "name": "\\ud800"}\n', "no JSON objects found"),
}  # fmt: skip


def test_a_cell_of_nothing_but_line_ends_is_no_row(tmp_path):
    (tmp_path / "live.csv").write_bytes(b'sku,name\nA,b\nB,"' + b"\n" * 3_000_000 + b'"\nC,d\n')

    table = read_table(tmp_path / "live.csv")

    assert table.cells(["sku"])["sku"].to_list() == ["A", "C"]
    assert table.unreadable_rows["line"].to_list() == [3, 3_000_003]


@pytest.mark.parametrize("name", BOMBS)
def test_what_asks_for_more_than_any_table_is_refused(tmp_path, name):
    data, said = BOMBS[name]
    (tmp_path / "bomb").write_bytes(data)

    with pytest.raises(InvalidInput, match=said) as refused:
        read_table(tmp_path / "bomb")
    assert "bomb" in str(refused.value)


@pytest.mark.parametrize(
    "data",
    [
        # Cells without a value, which programs write for their formats, and blank rows and columns to the last one.
        workbook(lambda xml: xml.replace("</sheetData>", f"{FORMAT}</sheetData>")),
        ods(row(*map(cell, NAMES)) * 2 + row(BLANKS, times=1048000)),
        # What looks like cells in a comment is none, and its search ends with it.
        workbook(lambda text: text.replace("<sheetData>", "<!--" + "<c r=" * 200_000 + "--><sheetData>")),
        ods("<!--" + 'office:value="' * 100_000 + "-->" + HEAD),
    ],
    ids=["formats to the last cell", "blank rows", "cells in a comment", "values in a comment"],
)  # fmt: skip
def test_what_only_looks_large_is_read(tmp_path, data):
    (tmp_path / "sheet").write_bytes(data)

    assert read_table(tmp_path / "sheet").names[:2] == ["sku", "name"]


PARTS = {
    "[Content_Types].xml": '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default '
    'Extension="xml" ContentType="application/xml"/><Default Extension="rels" ContentType="application/vnd.openxml'
    'formats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/'
    'vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/></Types>',
    "_rels/.rels": '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship '
    'Id="r" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" '
    'Target="xl/workbook.xml"/></Relationships>',
    "xl/workbook.xml": '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://'
    'schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="s" sheetId="1" r:id="r"/>'
    "</sheets></workbook>",
    "xl/_rels/workbook.xml.rels": '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
    '<Relationship Id="r" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" '
    'Target="worksheets/sheet1.xml"/><Relationship Id="t" Type="http://schemas.openxmlformats.org/officeDocument/2006/'
    'relationships/sharedStrings" Target="sharedStrings.xml"/></Relationships>',
}
MAIN = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        ("<row/>" * 1_500_000, "beyond row 1048576"),
        (
            '<row r="1"><c r="A1" t="s"><v>0</v></c></row>' + '<row><c t="s"><v>0</v></c></row>' * 30_000,
            "would take 2,",
        ),
    ],
)
def test_a_small_workbook_that_would_take_all_memory_is_refused(tmp_path, rows, said):
    """Rows need not say where they are, and a long text may be in every cell."""
    with zipfile.ZipFile(tmp_path / "small.xlsx", "w", zipfile.ZIP_DEFLATED) as book:
        for name, text in PARTS.items():
            book.writestr(name, text)
        book.writestr("xl/sharedStrings.xml", f"<sst {MAIN}><si><t>{'x' * 90_000}</t></si></sst>")
        book.writestr("xl/worksheets/sheet1.xml", f"<worksheet {MAIN}><sheetData>{rows}</sheetData></worksheet>")
    with pytest.raises(InvalidInput, match=said):
        read_table(tmp_path / "small.xlsx")

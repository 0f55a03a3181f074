import pytest
import xlsxwriter

from helpers import neat_delta, write_table
from neat_delta.reading import ReadOptions, read_table

HEADER = ["sku", "name", "price", "stock"]
ITEMS = [["A", "Smoker", "12.50", "3"], ["B", "Veil", "13.00", "4"], ["C", "Glove", "8.75", "2"]]


def as_csv(path, rows):
    return write_table(path / "file.csv", rows)


def as_workbook(path, rows):
    book = xlsxwriter.Workbook(path / "file.xlsx")
    sheet = book.add_worksheet()
    for at, row in enumerate(rows):
        sheet.write_row(at, 0, row)
    book.close()
    return path / "file.xlsx"


@pytest.fixture(params=[as_csv, as_workbook])
def read(tmp_path, request):
    return lambda rows, **told: read_table(request.param(tmp_path, rows), options=ReadOptions(**told))


def codes(catalogue):
    return catalogue.cells(["sku"])["sku"].to_list()


@pytest.mark.parametrize(
    ("row", "message"),
    [
        (["Total", "", "34.25", "9"], "total row"),
        (["", "Subtotal:", "", "7"], "total row"),
        (["Zwischensumme Hauben", "", "", "7"], "total row"),
        (["SKU", "Name", "Price", "Stock"], ""),
        (HEADER, "repeated header"),
        (["TOTAL", "Sum of parts", "9.00", "2"], ""),
        (["Total-1", "", "", "2"], ""),
        (["Summer veil", "", "", "2"], ""),
        (["sku-9", "x", "1", "2"], ""),
    ],
)
def test_sums_and_repeated_headers_are_no_data_and_items_are(read, row, message):
    found = read([HEADER, *ITEMS[:2], row, ITEMS[2]])

    assert codes(found) == (["A", "B", "C"] if message else ["A", "B", row[0], "C"])
    assert found.non_data_rows.select("line", "message").rows() == ([(4, message)] if message else [])


def test_with_every_row_told_nothing_is_set_apart(read):
    assert len(read([HEADER, *ITEMS, ["Total", "", "", "9"]], keep_non_data=True)) == 4


@pytest.mark.parametrize(
    ("line", "apart"),
    [("3 items in all", True), ("# exported at noon", True), ("Page 1", True), ("D,Jar", False), ("000420", False)],
)
def test_a_line_below_the_table_is_a_footer_if_it_reads_like_one_and_else_a_row_cut_off(tmp_path, line, apart):
    path = write_table(tmp_path / "file.csv", [HEADER, *ITEMS])
    path.write_text(path.read_text() + "\n" + line + "\n")

    found = read_table(path)

    assert (len(found.non_data_rows), len(found.unreadable_rows)) == ((1, 0) if apart else (0, 1))
    assert len(found) == 3


def test_what_is_no_data_is_counted_and_listed_and_stands_in_nobodys_way(tmp_path):
    write_table(tmp_path / "live.csv", [HEADER, *ITEMS[:2], ["Subtotal", "", "", "7"], ITEMS[2]])
    write_table(tmp_path / "file.csv", [HEADER, *ITEMS, ["Total", "", "34.25", "9"]])

    done = neat_delta("compare", "live.csv", "file.csv", cwd=tmp_path)

    assert done.returncode == 0
    assert "= 3 rows read" in done.stdout
    assert "skipped     1 row of live.csv, total row: line 4" in done.stdout
    assert "skipped     1 row, total row: line 5" in done.stdout

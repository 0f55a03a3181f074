import random

import pytest

from helpers import write_table
from neat_delta.matching.key_detection import naming_fields
from neat_delta.matching.value_mapping import header_is_data, suggest_mappings
from neat_delta.reading import read_table
from neat_delta.tables.read_options import ReadOptions

MADE_UP = random.Random(7)
ITEMS = [
    [
        f"AB{1000 + at}",
        f"Chair {at}",
        f"{MADE_UP.randint(500, 9999) / 100:.2f}",
        f"{400000000000 + at * 7919:013d}",
        brand,
    ]
    for at, brand in enumerate(MADE_UP.choices(["Oakdale", "Pinehill", "Rowan"], k=60))
]
HEADER = ["sku", "name", "price", "barcode", "brand"]


@pytest.fixture
def live(tmp_path):
    return read_table(write_table(tmp_path / "shop.csv", [HEADER, *ITEMS]))


@pytest.fixture
def suggested(tmp_path, live):
    def run(header, rows):
        sheet = read_table(write_table(tmp_path / "file.csv", [header, *rows], delimiter=";"))
        return [
            (one.column, one.field, one.matching, one.values)
            for one in suggest_mappings(live, sheet, sheet.names, live.names)
        ]

    return run


def test_columns_are_found_by_their_values_and_by_their_headers(suggested):
    rows = [[row[3].lstrip("0"), row[4].upper(), f"{at},95", "x"] for at, row in enumerate(ITEMS[:50])]
    rows += [["9999999999999", "ROWAN", "1,00", "x"]]

    assert suggested(["Code 1", "Line", "Preis EUR", "Remark"], rows) == [
        ("Code 1", "barcode", 50, 51),
        ("Line", "brand", 3, 3),
        ("Preis EUR", "price", 0, 0),
    ]


def test_a_column_whose_numbers_move_with_the_prices_is_likely_the_price(suggested):
    rows = [
        [row[3], f"{float(row[2]) * (0.55 + at % 5 / 100):.2f}".replace(".", ","), str(at * 37 % 11)]
        for at, row in enumerate(ITEMS)
    ]

    assert suggested(["Code 1", "Col 2", "Col 3"], rows) == [("Code 1", "barcode", 60, 60), ("Col 2", "price", 0, 0)]


def test_numbers_and_few_chance_hits_suggest_nothing(suggested):
    assert suggested(["A", "B"], [[str(at), f"Rowan {at}"] for at in range(50)]) == []


def test_a_first_row_that_is_an_item_is_noticed(tmp_path, live):
    for rows, expected in ((ITEMS[:5], True), ([["Artikel", "Text", "Betrag", "EAN", "Marke"], *ITEMS[:5]], False)):
        assert header_is_data(live, read_table(write_table(tmp_path / "file.csv", rows))) is expected
    rows = [["12.50", "8", "417"], ["13.00", "9", "418"]]
    assert header_is_data(live, read_table(write_table(tmp_path / "file.csv", rows)))


def test_the_fields_that_name_an_item_are_a_barcode_else_two_together(tmp_path, live):
    pairs = [["brand", "price", "model"], *[[f"B{at % 5}", f"{at}.00", f"M{at // 5}"] for at in range(40)]]
    table = read_table(write_table(tmp_path / "pairs.csv", pairs))

    assert naming_fields(live, ["price", "name", "brand", "barcode"]) == ("barcode",)
    assert naming_fields(table, table.names) == ("brand", "model")
    assert naming_fields(table, ["brand", "price"]) == ()


def test_header_line_zero_given_for_one_file_holds_over_settings():
    assert ReadOptions(header_line=3).overridden_by(ReadOptions(header_line=0)).header_line == 0


def test_a_header_alone_suggests_no_field_whose_values_are_of_another_sort_and_no_place_by_chance(tmp_path):
    head = ["sku", "item_id", "name", "price", "qty_leeds", "qty_york"]
    shop = [
        [f"K-{at:03}", str(70000 + at), f"Jar {at} in oak", f"{at}.50", str(at * 3 % 40), str(at * 7 % 30)]
        for at in range(1, 41)
    ]
    live = read_table(write_table(tmp_path / "shop.csv", [head, *shop]))

    def suggested(stock):
        rows = [[row[0], f"{row[2]}, new", row[stock] if stock else "8", f"{at},90"] for at, row in enumerate(shop)]
        sheet = read_table(
            write_table(tmp_path / "file.csv", [["Ref", "Designation", "Stock", "Tarif"], *rows], delimiter=";")
        )
        return {
            one.column: (one.field, one.examples, one.ours)
            for one in suggest_mappings(live, sheet, sheet.names, live.names)
        }

    assert suggested(0).keys() == {"Ref", "Tarif"}
    assert suggested(5)["Stock"] == ("qty_york", ("7", "14"), ("7", "14"))
    assert suggested(5)["Tarif"] == ("price", ("0,90", "1,90"), ("1.50", "2.50"))

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_delta.tables.field_types import EditedColumn, FormatOverrides, field_types, infer_type, type_named
from neat_delta.tables.field_types.multi_value import MultiValue
from neat_delta.tables.field_types.number_parsing import (
    NumberFormat,
    format_numbers,
    infer_edited_number_format,
    infer_number_format,
    normalize_numbers,
    same_but_for_separator,
)


@pytest.mark.parametrize(
    ("field", "values", "kind"),
    [
        ("price", ["12.50", "8.00"], "price"),
        ("net", ["12.5", "8"], "price"),
        ("rate", ["12.50", "8.25"], "price"),
        ("price", ["1,234.50", "8.00"], "price"),
        ("price", ["12.50", "on request"], "text"),
        ("weight", ["0.35", "1.2"], "number"),
        ("version", ["1.1", "1.10"], "code"),
        ("stock", ["0", "1"], "quantity"),
        ("stock", ["3", "-1", "120"], "quantity"),
        ("active", ["0", "1"], "yes/no"),
        ("pack_of", ["1"], "quantity"),
        ("visible", ["Yes", "No"], "yes/no"),
        ("part", ["00417", "22"], "code"),
        ("part", ["10417", "10418"], "code"),
        ("barcode", ["9520000000004", "9520000000011"], "barcode"),
        ("isbn", ["0-00-000001-9", "000000006X", "978-0-00-000000-2"], "barcode"),
        ("barcode", ["9520000000004", "9520000000012"], "code"),
        ("added", ["2024-01-02"], "date"),
        ("added", ["13/02/2024", "01/02/2024"], "date"),
        ("added", ["03/02/2024", "01/02/2024"], "code"),
        ("name", ["Hive body", "Smoker"], "text"),
        ("colour", ["green", "blue"], "text"),
        ("note", [], "text"),
    ],
)
def test_a_live_column_shows_its_kind(field, values, kind):
    assert infer_type(pl.Series(values, dtype=pl.String), field).name == kind


@pytest.mark.parametrize(
    ("cell", "point", "comma", "unknown"),
    [
        ("12.50", "12.5", "12.5", "12.5"),
        ("12,50", "12.5", "12.5", "12.5"),
        ("1.234,50", "1234.5", "1234.5", "1234.5"),
        ("1,234.50", "1234.5", "1234.5", "1234.5"),
        ("1 234,5", "1234.5", "1234.5", "1234.5"),
        ("1'234.5", "1234.5", "1234.5", "1234.5"),
        ("1,234,567", "1234567", "1234567", "1234567"),
        ("0,350", "0.35", "0.35", "0.35"),
        ("1.234", "1.234", "1234", None),
        ("1,234", "1234", "1.234", None),
        ("+5", "5", "5", "5"),
        ("-0.0", "0", "0", "0"),
        (" 7 ", "7", "7", "7"),
        ("007", None, None, None),
        ("12.", None, None, None),
        ("1.2.3", None, None, None),
        ("9.52E+12", None, None, None),
        ("n/a", None, None, None),
    ],
)
def test_numbers_are_read_by_the_cell_and_else_by_the_column(cell, point, comma, unknown):
    read = [normalize_numbers(pl.Series([cell]), NumberFormat(mark)).item() for mark in (".", ",", None)]

    assert read == [point, comma, unknown]


def test_a_thousand_is_not_assumed_where_three_decimals_are_usual():
    assert normalize_numbers(pl.Series(["1,234"]), NumberFormat(".", three_decimals=True)).item() is None


@pytest.mark.parametrize("cell", ["9" * 27, "-" + "9" * 27 + ".5", "1" + ",000" * 9, "9" * 400])
def test_a_number_that_nobody_reckons_with_is_none(cell):
    assert normalize_numbers(pl.Series([cell, "7"]), NumberFormat(".")).to_list() == [None, "7"]
    assert normalize_numbers(pl.Series([cell.replace("9", "0"), "7"]), NumberFormat(","))[1] == "7"


@given(
    st.lists(st.decimals(-(10**26) + 1, 10**26 - 1, allow_nan=False, allow_infinity=False, places=2), min_size=1),
    st.sampled_from([(".", None), (".", ","), (",", None), (",", "."), (",", " "), (".", "'")]),
)
def test_what_is_written_in_a_form_reads_as_the_same_exact_number(numbers, form):
    mark, group = form
    plain = pl.Series([format(number, "f") for number in numbers])
    readings = normalize_numbers(plain, NumberFormat("."))

    written = format_numbers(readings, NumberFormat(mark, 2, group))

    assert [Decimal(r) for r in normalize_numbers(written, NumberFormat(mark))] == numbers
    assert all(text.partition(mark)[2].isdigit() and len(text.partition(mark)[2]) == 2 for text in written)


@given(
    st.lists(st.from_regex(r"-?(0|[1-9]\d{0,4})(\.\d{1,4})?", fullmatch=True), min_size=1),
    st.sampled_from([(".", "1,234,567.5"), (",", "1.234.567,5")]),
    st.booleans(),
)
def test_plain_numbers_read_the_same_whether_or_not_an_odd_one_stands_among_them(numbers, written, fine):
    mark, odd = written
    form = NumberFormat(mark, three_decimals=fine)
    numbers = [number.replace(".", mark) for number in numbers]
    alone = normalize_numbers(pl.Series(numbers, dtype=pl.String), form)
    among = normalize_numbers(pl.Series([*numbers, odd]), form)
    assert among.to_list() == [*alone, "1234567.5"]


def test_the_live_form_is_kept_decimals_mark_and_groups():
    form = infer_number_format(pl.Series(["1.234,50", "8,00", "17"]))

    assert form == NumberFormat(",", 2, ".", three_decimals=False, unpadded_integers=True)
    assert format_numbers(pl.Series(["9876.5", "3", "0.125"]), form).to_list() == ["9.876,50", "3", "0,125"]
    assert format_numbers(pl.Series(["3"]), infer_number_format(pl.Series(["1,00", "8,00"]))).to_list() == ["3,00"]


def test_flags_are_understood_in_any_token_and_written_in_the_live_one():
    flag = type_named("yes/no")
    form = flag.infer_format(pl.Series(["YES"]))
    readings = flag.normalize(pl.Series(["1", "no", "True", "maybe"]), form)

    assert readings.to_list() == ["1", "0", "1", None]
    assert flag.format(readings, readings, form).to_list() == ["YES", "NO", "YES", None]


@pytest.mark.parametrize(
    ("was", "cells", "readings"),
    [
        (["2026-03-04", "2026-05-01"], ["04.03.2026", "02.05.2026"], ["2026-03-04", "2026-05-02"]),
        (["2026-03-04", "2026-05-01"], ["04/03/2026", "02/05/2026"], ["2026-03-04", "2026-05-02"]),
        (["2026-03-04", "2026-05-01"], ["03/04/2026", "05/02/2026"], ["2026-03-04", "2026-05-02"]),
        (["2026-03-04"], ["01/02/2026"], [None]),
        (["2026-03-04"], ["2026-02-30"], [None]),
        (["2026-03-04"], ["04.03.26"], ["2026-03-04"]),
    ],
)
def test_dates_are_read_in_the_order_that_agrees_with_the_live_export(was, cells, readings):
    date = type_named("date")
    form = date.infer_edited_format(EditedColumn(pl.Series(cells), pl.Series(was), None), "%Y-%m-%d")

    assert date.normalize(pl.Series(cells), form).to_list() == readings


def test_barcodes_are_the_same_whatever_parts_their_digits():
    cells = pl.Series(["9520000000011", "952-0000-00001-1", "0-00-000006-X", "9.52E+12", "none"])

    assert type_named("barcode").normalize(cells, None).to_list() == [
        "9520000000011", "9520000000011", "000000006X", "9.52E+12", "none",
    ]  # fmt: skip


words = st.lists(st.text("abc ", min_size=1, max_size=3).filter(str.strip), min_size=1, max_size=5)


@given(words, st.randoms(), st.booleans())
def test_lists_are_the_same_by_their_values_and_by_order_only_where_it_counts(values, chance, ordered):
    kind = MultiValue(type_named("text"), "|", ordered)
    shuffled = chance.sample(values, len(values))
    cells = pl.Series(["|".join(values), " | ".join(shuffled) + "|"])

    first, second = kind.normalize(cells, None)

    plain = [value.strip() for value in values]
    moved = [value.strip() for value in shuffled]
    assert (first == second) == (plain == moved or not ordered)


@given(st.lists(st.text(), min_size=1))
def test_no_kind_stumbles_over_any_text(texts):
    """Whatever a cell holds, a kind reads it or says that it cannot; writing a reading never fails."""
    cells = pl.Series(texts, dtype=pl.String)
    for kind in field_types():
        kind.matches(cells, "field")
        form = kind.infer_format(cells)
        sheet_form = kind.infer_edited_format(EditedColumn(cells, cells, None), form)
        readings = kind.normalize(cells, sheet_form)
        written = kind.format(readings, cells, form)
        assert len(readings) == len(written) == len(cells)


@pytest.mark.parametrize(
    ("kind", "field", "live", "sheet", "same", "written"),
    [
        ("percent", "vat", ["19 %", "7 %"], ["0.19", "0.07", "0.2"], [True, True, False], ["19 %", "7 %", "20 %"]),
        ("percent", "vat", ["19%", "7%"], ["19", "7", "20.5%"], [True, True, False], ["19%", "7%", "20.5%"]),
        ("percent", "percent", ["0.19", "0.07"], ["19%", "7%", "0.2"], [True, True, False], ["0.19", "0.07", "0.20"]),
        ("category", "category", ["A/B", "A/C", "D"], ["A > B", "A >C", "E"], [True, True, False], ["A/B", "A/C", "E"]),
        ("category", "category", ["A > B", "A > C"], ["A>B", "A>B>C"], [True, False], ["A > B", "A > B > C"]),
        ("image", "image", ["a.jpg", "b.PNG"], ["a.jpg", "B.png"], [True, False], ["a.jpg", "B.png"]),
        ("item link", "related", ["A-1", "0042"], ["A-1", "42"], [True, False], ["A-1", "42"]),
    ],
)
def test_shares_paths_pictures_and_references(kind, field, live, sheet, same, written):
    values = pl.Series(live)
    known = infer_type(values, field)
    form = known.infer_format(values)
    was = pl.Series((live + live)[: len(sheet)])
    seen = known.infer_edited_format(EditedColumn(pl.Series(sheet), was, None), form)

    readings = known.normalize(pl.Series(sheet), seen)

    assert known.name == kind
    assert (readings == known.normalize(was, form)).to_list() == same
    assert known.format(readings, pl.Series(sheet), form).to_list() == written


@pytest.mark.parametrize(
    ("kind", "live", "cell"),
    [("percent", "19 %", "much"), ("category", "A/B", "A//B"), ("image", "a.jpg", "a.doc")],
)
def test_what_is_not_of_the_kind_is_refused(kind, live, cell):
    known = type_named(kind)

    assert known.normalize(pl.Series([cell]), known.infer_format(pl.Series([live]))).to_list() == [None]


def test_spaces_do_not_count_in_a_choice_and_letter_case_does():
    choice = type_named("choice")

    assert choice.normalize(pl.Series(["dark  oak ", "Dark oak"]), None).to_list() == ["dark oak", "Dark oak"]


def test_what_is_settled_of_a_form_goes_before_what_a_column_shows():
    day, flag, money = type_named("date"), type_named("yes/no"), type_named("price")
    unclear = pl.Series(["03/02/2024", "01/02/2024"])

    assert day.infer_format(unclear) is None
    assert day.normalize(unclear, day.infer_format(unclear, FormatOverrides(date="%d/%m/%Y"))).to_list() == [
        "2024-02-03",
        "2024-02-01",
    ]
    tokens = flag.infer_format(pl.Series(["J"]), FormatOverrides(yes="J", no="N"))
    assert flag.normalize(pl.Series(["j", "N", "yes"]), tokens).to_list() == ["1", "0", "1"]
    assert flag.format(pl.Series(["1", "0"]), pl.Series(["x", "x"]), tokens).to_list() == ["J", "N"]
    form = money.infer_format(pl.Series(["8", "9.5"]), FormatOverrides(decimals=2))
    assert money.format(pl.Series(["8"]), pl.Series(["8"]), form).to_list() == ["8.00"]


NUMBERS = st.from_regex(r"\A-?(0|[1-9]\d{0,4})([.,]\d{1,4})?\Z")


@given(st.lists(st.tuples(NUMBERS, NUMBERS, st.booleans()), min_size=1))
def test_numbers_told_to_be_the_same_without_being_read_are_read_alike(told):
    was = pl.Series([was for was, _, _ in told])
    now = pl.Series([was.replace(".", ",") if kept else other for was, other, kept in told])

    form = infer_number_format(was)
    same = same_but_for_separator(now, infer_edited_number_format(EditedColumn(now, was, None), form), was, form)

    if same is not None:
        readings = [normalize_numbers(cells, NumberFormat(mark)) for cells, mark in ((now, None), (was, "."))]
        assert not any(column.has_nulls() for column in readings)
        assert not (same & (readings[0] != readings[1])).any()


@pytest.mark.parametrize(
    ("typed", "value"),
    [
        *(
            ("$1,234.50", "1234.5"),
            ("1.234,50 €", "1234.5"),
            ("CHF 1'234.50", "1234.5"),
            ("₹ 3,89,787.99", "389787.99"),
        ),
        *(("1 234,50", "1234.5"), ("１２．５０", "12.5"), ("١٢٫٥٠", "12.5"), ("12.–", "12"), ("kr 20", "20")),
        *(("12.5 kg", None), ("12 or 13", None), ("€", None)),
    ],
)
def test_amounts_are_read_as_people_type_them(typed, value):
    money = type_named("price")
    live = money.infer_format(pl.Series(["12.50", "9.90"]))
    sheet = money.infer_edited_format(EditedColumn(pl.Series([typed]), pl.Series(["12.50"]), None), live)

    assert money.normalize(pl.Series([typed]), sheet).item() == value


@pytest.mark.parametrize(
    "typed",
    [
        *("8 October 2026", "October 8, 2026", "Do., 8. Oktober 2026", "8 octobre 2026", "8 de octubre de 2026"),
        *("8 ottobre 2026", "8 oktober 2026", "8 października 2026", "8. okt. 2026", "8. lokakuuta 2026"),
        *("8. října 2026", "8 Ekim 2026", "2026年10月8日"),
    ],
)
def test_dates_with_the_month_in_words_are_read(typed):
    assert type_named("date").normalize(pl.Series([typed]), "%Y-%m-%d").item() == "2026-10-08"


@pytest.mark.parametrize(
    "pair", ["ja nein", "Oui Non", "tak nie", "SÍ NO", "kyllä ei", "はい いいえ", "active inactive"]
)
def test_yes_and_no_are_known_in_other_languages(pair):
    yes, no = pair.split()
    values = pl.Series([yes, no])
    flag = infer_type(values, "aktiv")

    assert flag.name == "yes/no"
    form = flag.infer_format(values)
    assert flag.format(flag.normalize(pl.Series(["1", "0"]), form), pl.Series(["1", "0"]), form).to_list() == [yes, no]


def test_a_word_that_the_shop_does_not_show_yet_is_written_as_typed():
    flag = type_named("yes/no")
    form = flag.infer_format(pl.Series(["Ja"]))
    cells = pl.Series(["nee", "NEIN", "0"])

    assert flag.format(flag.normalize(cells, form), cells, form).to_list()[:2] == ["Nee", "Nein"]


@pytest.mark.parametrize("values", [["S"], ["A", "B"], ["sand", "oak"], ["no", "si", "yes"], ["a"]])
def test_sizes_and_colours_are_no_yes_or_no(values):
    assert infer_type(pl.Series(values), "colour").name != "yes/no"

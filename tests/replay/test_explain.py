"""What a spreadsheet program explains, and what it does not: then it is an edit."""

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_delta.replay import explain, explain_forms, read_numbers
from neat_delta.replay.dates import LIKE_A_DATE


def explained(*pairs):
    return explain(pl.DataFrame(pairs, schema=["was", "now"], orient="row")).to_list()


@pytest.mark.parametrize(
    ("was", "now", "what"),
    [
        ("8.0", "8", "trailing zeros lost"),
        ("1.20", "1,2", "trailing zeros lost"),
        ("0.75", "0,75", "number format changed"),
        ("1.000", "1000", "trailing zeros lost"),
        ("1'234.50", "1234.5", "trailing zeros lost"),
        ("  12  ", "12", "white space lost"),
        ("000417", "417", "leading zeros lost"),
        ("+49123", "49123", "plus sign lost"),
        ("(5.00)", "-5", "number format changed"),
        ("19%", "0.19", "number format changed"),
        ("33.333%", "33333%", "number format changed"),
        ("2e3", "2000", "code read as scientific notation"),
        ("41123456", "4.11E+07", "number in scientific notation"),
        ("9E400", "1.79769313486232E+308", "number too large for a spreadsheet program"),
        ("12345678901234567", "1.23456789012346E+016", "number in scientific notation"),
        ("97713320179601649", "97713320179601700", "digits after the 15th lost"),
        ("=1+1", "2", "formula was run"),
        ('="007"', "007", "formula was run"),
        ("=foo", "#NAME?", "formula was run"),
        ("1.2.3", "02/01/2003", "code changed into a date"),
        ("10:30", "10:30:00 AM", "code changed into a time"),
        ("2026-12-28 00:00:00", "2026-12-28", "midnight lost"),
        ("FALSE", "FALSCH", "TRUE/FALSE was translated"),
        ("a\tb", "ab", "tab lost"),
        ("a\u00a0b", "a b", "white space changed"),
        ("½″", '½"', "a sign became a look-alike"),
        ("Łódź\r\ncafé", "?ód?\ncafé", "a letter became a question mark"),
        ("Niño", "Ni√±o", "broken accents: wrong encoding"),
        ("café", "caf\ufffd", "broken accents: wrong encoding"),
    ],
)
def test_what_a_program_does_has_a_name(was, now, what):
    assert explained((was, now)) == [what]


@pytest.mark.parametrize(
    ("was", "now"),
    [
        *(
            ("12.50", "13.50"),
            ("8", "80"),
            ("0", "-0"),
            ("1.5", "15"),
            ("1.1", "1.10"),
            ("417", "000417"),
            ("12", "12.00"),
        ),
        *(("Beehive", "Bee hive"), ("a  b", "a b"), ("Creme", "Crème"), ("Crème", "Creme"), ("=1+1", "Smoker")),
        *(("1234567890123456", "1234567890123457"), ("3/4", "05/06/2026"), ("TRUE", "FALSE"), ("café?", "cafe?")),
        *(("9520000000004", "9.61E+12"), ("", "0"), ("10:30", "11:30:00 AM")),
    ],
)
def test_an_edit_is_not_explained(was, now):
    assert explained((was, now)) == [None]


def test_a_number_format_of_a_column_is_seen_by_several_cells():
    cells = [(f"{number}.5", f"{number}.50") for number in range(5)]

    assert explained(*cells) == ["number format changed"] * 5
    assert explained(cells[0]) == [None]


numerals = st.decimals(min_value=-(10**9), max_value=10**9, places=3).map(lambda number: f"{number:f}")


@given(numerals, st.sampled_from(".,"), st.integers(0, 4), st.sampled_from(["", "0", "000", "+", " ", "\u00a0"]))
def test_any_number_that_comes_back_in_its_shortest_form_is_explained(numeral, decimal, zeros, front):
    was = numeral.replace(".", decimal) + "0" * zeros
    was = was if was.startswith("-") and front else front + was
    value = Decimal(numeral)
    shortest = f"{value.normalize():f}" if value else "0"

    for saved in ".,":
        now = shortest.replace(".", saved)
        if now != was:
            assert explained((was, now))[0] is not None


@given(numerals, numerals)
def test_no_two_different_numbers_are_taken_for_one(one, other):
    if Decimal(one) == Decimal(other):
        return
    shortest = f"{Decimal(other).normalize():f}" if Decimal(other) else "0"
    what = explained((one, shortest))[0]
    # A point may have been read as one between thousands, and then the number is a thousand times larger.
    times = Decimal(other) / Decimal(one) if Decimal(one) else 0
    assert what is None or times == 1000


@pytest.mark.parametrize(
    ("text", "decimal", "value"),
    [
        ("1.234,50", ",", "1234.5"),
        ("1.234,50", ".", None),
        ("3,89,787.99", ".", "389787.99"),
        ("€ 12.50", ".", "12.5"),
        ("-0.0", ".", "0"),
        ("1e3", ".", "1000"),
        ("1e999", ".", None),
        ("12-03", ".", None),
        ("", ".", None),
    ],
)
def test_numbers_are_read_as_a_program_reads_them(text, decimal, value):
    assert read_numbers(pl.Series([text]), decimal).item() == value


def test_forms_are_what_loses_nothing():
    forms, losses = [("8.0", "8"), ("007", "7"), (" 5 ", "5")], [("=1+1", "2"), ("½″", '½"'), ("41123456", "4.11E+07")]
    frame = pl.DataFrame([*forms, *losses], schema=["was", "now"], orient="row")

    assert explain_forms(frame).is_not_null().to_list() == [True] * 3 + [False] * 3
    assert explain(frame).null_count() == 0


@pytest.mark.parametrize(
    ("code", "is_one"), [("10×20", False), ("5–20", False), ("3 Mai", True), ("3月", True), ("ąb-7", True)]
)
def test_a_sign_between_two_numbers_is_no_month(code, is_one):
    assert pl.Series([code]).str.contains(LIKE_A_DATE)[0] == is_one

"""Barcodes whose digits do not fit, or that changed their length."""

import pytest


def barcode(value, at=1):
    def edit(rows):
        rows[at]["gtin"] = value

    return edit


@pytest.mark.parametrize(
    ("value", "said"),
    [
        ("9520000000012", "should be 9520000000011"),
        ("95200000001", "has 8, 12, 13 or 14 digits"),
        ("952000000001X", "should be 9520000000011"),
        ("9520004", "leading zeros are missing"),
        ("0000000018", "should be 0000000019"),
        ("on request", "a barcode has"),
    ],
)
def test_a_barcode_that_cannot_be_one_is_stopped_and_the_right_one_offered(tried, value, said):
    seen = tried(barcode(value))

    (message,) = seen.changes.findings.filter(code="wrong barcode")["message"]
    assert said in message
    assert seen.changes.cells.is_empty()


@pytest.mark.parametrize("value", ["9520000000059", "95200002", "978-0-00-000000-2", "0-00-000006-X"])
def test_a_right_barcode_goes_through(tried, value):
    seen = tried(barcode(value))

    assert seen.changes.findings.is_empty()
    assert seen.changes.cells["now"].to_list() == [value]


def test_zeros_put_in_front_are_remarked_upon(found):
    assert found(barcode("09520000000011")) == ["extra zeros"]


def test_spaces_between_the_digits_change_nothing(tried):
    seen = tried(barcode("9520 0000 00011"))

    assert (seen.reformatted, seen.changes.cells.height) == (1, 0)


def test_a_barcode_shown_as_a_power_of_ten_is_put_right_where_the_live_one_explains_it(found):
    assert found(barcode("9.52E+12")) == ["repaired"]
    assert found(barcode("7.31E+12")) == ["spreadsheet damage"]

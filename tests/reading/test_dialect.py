import pytest

from neat_delta.reading import ReadOptions
from neat_delta.reading.dialect import decimal_mark, sniff


@pytest.mark.parametrize(
    ("text", "delimiter"),
    [
        ("a,b\n1,2\n", ","),
        ("a;b\n1,5;2,5\n", ";"),
        ("name;note\nx;one, two, three\ny;a, b\n", ";"),
        ("a\tb\n1,2\t3;4\n", "\t"),
        ("a|b\n1|2\n", "|"),
        ('"a,x";"b"\n"1,2";"3"\n', ";"),
        ("only\none\n", ","),
    ],
)
def test_the_delimiter_is_the_one_that_cuts_every_row_alike(text, delimiter):
    assert sniff(text.encode()).delimiter == delimiter


def test_a_row_out_of_step_does_not_change_the_delimiter():
    text = "sku;name;price\n" + "A;a, b;1,5\n" * 20 + "broken\nB;b;2,5;9\n"

    assert sniff(text.encode()).delimiter == ";"


def test_quoting_of_every_cell_is_seen():
    assert sniff(b'"a","b"\n"1","x ""y"""\n').quote_all
    assert not sniff(b'"a","b"\n"1",2\n').quote_all


def test_a_stated_delimiter_is_taken_as_it_is():
    assert sniff(b"a,b;c\n1,2;3\n", ReadOptions(";")).header == ("a,b", "c")


@pytest.mark.parametrize(
    ("cells", "mark"),
    [
        (["12.50", "x"], "."),
        (["12,50", "x"], ","),
        (["1,234.50"], "."),
        (["1.234,50"], ","),
        (["0,350"], ","),
        (["1.234", "2.345"], None),
        (["12.50", "12,50"], None),
        (["2026-03-04", "12.03.2026", "A,5"], None),
        ([], None),
    ],
)
def test_the_decimal_mark_is_said_only_where_cells_show_it(cells, mark):
    assert decimal_mark(cells) == mark

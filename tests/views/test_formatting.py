import time
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.cells import cell_len

from neat_delta.views.formatting import cut, difference, flush, local_time, per_cent, pluralize, printable
from neat_delta.views.table import Cell, Column, table

wide = st.text(st.sampled_from("abc ½é漢字"), max_size=40)


@given(wide, st.integers(0, 30))
def test_a_cut_text_fits_and_keeps_both_ends(text, width):
    short = cut(text, width)

    assert cell_len(short) <= width
    if cell_len(text) <= width:
        assert short == text
    elif width >= 5:
        assert "…" in short
        assert text.startswith(short.partition("…")[0])
        assert text.endswith(short.partition("…")[2])


@pytest.mark.parametrize(
    ("value", "shown"),
    [
        (None, "–"),
        ("", "–"),
        ("two\r\nlines\tand a tab", "two⏎lines⇥and a tab"),
        ("\x1b[31mred\x07", "·[31mred·"),
        ("right\u202eleft", "right·left"),
    ],
)
def test_a_cell_is_shown_on_one_line_and_safe_for_a_terminal(value, shown):
    assert printable(value) == shown


@pytest.mark.parametrize(
    ("was", "now", "mark", "told"),
    [
        ("12.50", "13.75", ".", ("up", "1.25", "+10.0 %")),
        ("12,50", "12,00", ",", ("down", "0,50", "-4,0 %")),
        ("3", "11", ".", ("up", "8", "+266.7 %")),
        ("0", "4", ".", ("up", "4", "")),
        ("-2", "-1", ".", ("up", "1", "+50.0 %")),
        ("0.1", "0.30000000000000000000001", ".", ("up", "0.20000000000000000000001", "+200.0 %")),
        ("13.00", "1300.00", ".", ("up", "1287.00", "+9,900.0 %")),
    ],
)
def test_a_move_is_told_exactly(was, now, mark, told):
    plain = {"was": was, "now": now, "before": was.replace(",", "."), "after": now.replace(",", ".")}

    assert difference(plain, mark) == told


def test_a_cell_that_is_filled_or_emptied_has_no_difference():
    assert difference({"was": None, "now": "3", "before": None, "after": "3"}, ".") == ("", "", "")


def test_numbers_on_screen_have_the_decimal_separator_of_the_export():
    cell = {"was": "0,50", "now": "900,25", "before": "0.50", "after": "900.25"}

    assert difference(cell, ",") == ("up", "899,75", "+179.950,0 %")
    assert difference(cell | {"was": "0.50", "now": "900.25"}, ".") == ("up", "899.75", "+179,950.0 %")
    assert per_cent(Decimal("0.195"), ",") == "19,5"


def test_a_difference_of_numbers_as_long_as_anybody_writes_them_is_told():
    cell = {"was": "0." + "0" * 40 + "1", "now": "9" * 26, "before": "0." + "0" * 40 + "1", "after": "9" * 26}

    direction, amount, share = difference(cell, ".")

    assert (direction, amount, len(share)) == ("up", "9" * 25 + "8." + "9" * 41, 96)


def test_numbers_line_up_on_their_decimal_mark():
    assert flush(["1.25", "8", "0.150", ""]) == ["1.25 ", "8    ", "0.150", "     "]
    assert [number.find(".") for number in flush(["1.25", "10.5", "0.150"])] == [2, 2, 2]


def test_counts_speak_properly():
    assert (pluralize(1, "row"), pluralize(1204, "row"), pluralize(0, "row")) == ("1 row", "1,204 rows", "0 rows")


@pytest.mark.parametrize("width", [40, 60, 80])
def test_a_table_fits_by_cutting_only_what_may_be_cut(width):
    columns = [Column("sku"), Column("name", least=6), Column("now", right=True)]
    rows = [
        [Cell("QX-0042"), Cell("A very long name " * 9), Cell("12.50", right=True)],
        [Cell("B"), Cell("b"), Cell("1")],
    ]

    lines = [line.plain for line in table(columns, rows, width)]

    assert max(map(cell_len, lines)) <= width
    assert "QX-0042" in lines[1]
    assert lines[1].endswith("12.50")


@pytest.mark.skipif(not hasattr(time, "tzset"), reason="the zone of a process cannot be set here")
@pytest.mark.parametrize(
    ("zone", "shown"),
    [
        ("UTC", "2026-07-01 10:00:00 UTC"),
        ("CET-1CEST,M3.5.0,M10.5.0", "2026-07-01 12:00:00 CEST"),
        ("<+0330>-3:30", "2026-07-01 13:30:00 UTC+03:30"),
    ],
)
def test_times_on_screen_are_those_of_this_machine_with_their_zone(monkeypatch, zone, shown):
    monkeypatch.setenv("TZ", zone)
    time.tzset()
    try:
        assert local_time("2026-07-01T10:00:00Z") == shown
    finally:
        monkeypatch.undo()
        time.tzset()

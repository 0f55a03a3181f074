"""What became of the numbers of a column at once, and what nobody types."""

from decimal import Decimal

import pytest

from helpers import write_table
from neat_delta.changeset.head import Overrides
from neat_delta.checks import run_checks
from neat_delta.diff.compare import CompareOptions, compare, with_findings
from neat_delta.reading import read_pair
from neat_delta.tables.settings import FieldSettings, Settings


def tried_on(folder, name, live, edited, settled=None, **options):
    tables = [
        [["sku", name, "note"], *([f"A{at}", cell, f"n{at}"] for at, cell in enumerate(cells))]
        for cells in (live, edited)
    ]
    a, b = (write_table(folder / f"{at}.csv", table, delimiter=";") for at, table in enumerate(tables))
    ours, theirs = read_pair(a, b)
    seen = compare(ours, theirs, CompareOptions(settings=settled or Settings(), **options))
    allowed = Overrides(as_typed=options.get("as_typed", ()))
    seen = with_findings(seen, run_checks(seen.changes, ours, settled or Settings(), allowed))
    return dict(seen.changes.cells.select("key", "now").iter_rows()), set(
        seen.changes.findings.filter(level="error")["code"]
    )


WEIGHTS = [f"{at}.{at * 37 % 90 + 5:02}" for at in range(1, 13)]


@pytest.mark.parametrize("factor", ["10", "100", "1000", "0.1", "0.01"])
def test_a_column_multiplied_by_a_power_of_ten_is_held_back(tmp_path, factor):
    edited = [f"{Decimal(cell) * Decimal(factor):f}" for cell in WEIGHTS]
    edited[0], edited[1] = "1.60", f"{Decimal('3.10') * Decimal(factor):f}"

    cells, checks = tried_on(tmp_path, "weight", WEIGHTS, edited)

    assert (cells, bool({"column multiplied", "separator lost"} & checks)) == ({"A0": "1.60"}, True)


@pytest.mark.parametrize(("was", "typed"), [("2100", "2.5"), ("3", "2.5"), ("0", "2.5"), ("", "2.5")])
def test_a_value_typed_into_a_column_that_was_misread_is_held_back_too(tmp_path, was, typed):
    live = [f"{at}{at * 37 % 900 + 105}" for at in range(1, 40)]
    edited = [f"{cell[:-3]}.{cell[-3:]}" for cell in live]

    cells, _ = tried_on(tmp_path, "stock", [was, *live], [typed, *edited])

    assert cells == {}


def test_a_column_without_its_decimal_separators_is_held_back(tmp_path):
    live = [f"{at}.{at * 7:03}" if at % 2 else f"{at}.{at % 9 + 1}" for at in range(1, 13)]
    edited = [cell.replace(".", "") for cell in live]
    edited[3], edited[6] = "7.7", "8125"

    cells, checks = tried_on(tmp_path, "weight", live, edited)

    assert (cells, "separator lost" in checks) == ({"A3": "7.7"}, True)


@pytest.mark.parametrize("places", ["1", "0.1"])
def test_a_column_rounded_alike_is_held_back(tmp_path, places):
    live = [f"{at}.{at * 37 % 90 + 12}" for at in range(1, 13)]
    edited = [str(Decimal(cell).quantize(Decimal(places))) for cell in live]
    edited[0], edited[1] = "99", "8.75"

    cells, checks = tried_on(tmp_path, "weight", live, edited)

    assert (cells, checks) == ({"A1": "8.75"}, {"column rounded"})


def test_prices_rounded_on_purpose_are_shown_as_they_are(tmp_path):
    """A program that shows one decimal writes 7.0; whoever rounds to ten cents has a 7."""
    live = [f"{at}.{at * 37 % 90 + 12}" for at in range(5, 65)]
    edited = [f"{Decimal(cell).quantize(Decimal('0.1')):f}".removesuffix(".0") for cell in live]

    assert "column rounded" not in tried_on(tmp_path, "price", live, edited)[1]


def test_weights_that_became_thousandfolds_beside_honest_ones_are_held_back(tmp_path):
    """Most of a column is typed as a program of another language reads it, the rest it has taken for thousands."""
    live = [f"{at % 7}.{at * 37 % 90 + 10}{0 if at % 3 == 0 else 4}" for at in range(1, 40)]
    edited = [f"{Decimal(cell):.2f}".replace(".", ",") for cell in live]
    edited[2::3] = [cell.replace(".", "").lstrip("0") for cell in live[2::3]]

    cells, checks = tried_on(tmp_path, "weight", live, edited)

    assert "separator lost" in checks
    assert max(float(now) for now in cells.values()) < 7


def test_a_few_prices_made_round_by_hand_go_through(tmp_path):
    edited = [*WEIGHTS]
    edited[2], edited[5] = "3.00", "6.00"

    assert tried_on(tmp_path, "weight", WEIGHTS, edited)[0] == {"A2": "3.00", "A5": "6.00"}


@pytest.mark.parametrize("cell", ["0.19", "0.07", "1900 %", "700"])
def test_a_share_a_hundred_times_too_large_or_small_is_held_back(tmp_path, cell):
    live = ["19 %", "7 %", "19 %", "7 %"]

    cells, checks = tried_on(tmp_path, "tax", live, ["19", cell, "19", "7"])

    assert cells == {}
    assert checks <= {"percent slip"}


@pytest.mark.parametrize(("cell", "sent"), [("16 %", "16 %"), ("16", "16 %"), ("5 %", "5 %")])
def test_an_honest_share_goes_through(tmp_path, cell, sent):
    assert tried_on(tmp_path, "tax", ["19 %", "7 %", "19 %"], ["19 %", cell, "19 %"]) == ({"A1": sent}, set())


def test_a_part_of_one_that_becomes_a_hundredfold_is_held_back(tmp_path):
    cells, checks = tried_on(tmp_path, "tax_percent", ["0.19", "0.07", "0.19"], ["19", "0.07", "0.16"])

    assert (cells, checks) == ({"A2": "0.16"}, {"percent slip"})


@pytest.mark.parametrize("sign", ["\x00", "\x0b", "\x1b", "\x7f", "\x85", "\x9b"])
def test_a_control_character_is_held_back(tmp_path, sign):
    cells, checks = tried_on(tmp_path, "name", ["oak"] * 40, [f"o{sign}ak", *["oak"] * 39])

    assert (cells, checks) == ({}, {"control character"})


@pytest.mark.parametrize(
    ("was", "now", "sent"),
    [
        ("oak", "oak ", None),
        ("20 HP", "20 HP\u00a0", None),
        ("oak", " pine  ", "pine"),
        (" oak ", "pine", "pine"),
        (" oak ", " pine\n", " pine"),
        ("Café", "Cafe\u0301", None),
        ("Cafe\u0301", "Café", None),
        ("Café", "Cafe\u0301 noir", "Café noir"),
        ("<p>a</p>\n", "<p>b</p>\n", "<p>b</p>\n"),
        ("<p>a</p>\n", "<p>b</p>", "<p>b</p>"),
    ],
)
@pytest.mark.parametrize("name", ["name", "code"])
def test_white_space_around_a_value_and_the_form_of_accents_are_no_edits(tmp_path, was, now, sent, name):
    cells, _ = tried_on(tmp_path, name, [was, "other"], [now, "other"])

    assert cells == ({} if sent is None else {"A0": sent})


def test_as_typed_takes_every_character(tmp_path):
    assert tried_on(tmp_path, "name", ["oak", "x"], ["oak ", "x"], as_typed=("name",))[0] == {"A0": "oak "}


def test_a_column_of_numbers_keeps_its_form_whatever_kind_is_asked_for(tmp_path):
    live = [f"{at}.50" for at in range(1, 40)]
    edited = [cell.replace(".", ",") for cell in live]
    edited[0], edited[1] = "124,85", "on request"

    for settled in (Settings(), Settings(fields={"price": FieldSettings(type="text")})):
        kinds = {} if settled.fields else {"price": "text"}
        cells, _ = tried_on(tmp_path, "price", live, edited, settled, types=kinds)
        assert cells == {"A0": "124.85", "A1": "on request"}


@pytest.mark.parametrize(
    ("names", "live", "edited", "check"),
    [
        (["price", "cost", "sale_price"], ["10.00", "6.00", "8.00"], ["10.00", "6.00", "5.00"], "sale below cost"),
        (["sale_from", "sale_to"], ["2026-03-01", "2026-03-31"], ["2026-03-01", "2026-02-27"], "sale dates"),
        (["sale_price_from", "sale_price_until"], ["2026-03-01", ""], ["2026-03-01", "2026-01-01"], "sale dates"),
    ],
)
def test_a_sale_is_neither_below_cost_nor_over_before_it_starts(tmp_path, names, live, edited, check):
    others = [[f"B{at}", *live] for at in range(9)]
    a = write_table(tmp_path / "a.csv", [["sku", *names], ["A", *live], *others])
    b = write_table(tmp_path / "b.csv", [["sku", *names], ["A", *edited], *others])
    ours, theirs = read_pair(a, b)
    seen = compare(ours, theirs, CompareOptions())

    found = run_checks(seen.changes, ours, Settings())

    assert check in found.filter(level="error")["code"].to_list()

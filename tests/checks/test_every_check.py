"""Each check by itself: an accident that it finds, and an honest edit beyond its limit that it lets be."""

from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

import pytest

from neat_delta.checks.runner import CHECKS
from neat_delta.tables.import_config import ImportConfig
from neat_delta.tables.settings import CheckSettings, Condition, FieldSettings, Settings

BARCODE = "9520000000059"


def put(name, value, at=8):
    """One value, given or computed from the one before, in one row or in several."""

    def edit(rows):
        for row in [at] if isinstance(at, int) else at:
            rows[row][name] = value(rows[row][name]) if callable(value) else value

    return edit


def both(*edits):
    def edit(rows):
        for one in edits:
            one(rows)

    return edit


def times(factor, decimals=2):
    return lambda value: f"{Decimal(value) * Decimal(factor):.{decimals}f}"


def relative(name, other, add):
    """A price so much above or below another one of its row."""

    def edit(rows):
        rows[8][name] = f"{Decimal(rows[8][other]) + Decimal(add):.2f}"

    return edit


def in_order(name):
    def edit(rows):
        for row, value in zip(rows, sorted((row[name] for row in rows), key=Decimal), strict=True):
            row[name] = value

    return edit


def counting(name, at):
    def edit(rows):
        for number, row in enumerate(at):
            rows[row][name] = f"{200 + number}.00"

    return edit


def down(name, at):
    """The value of a row filled into those below it."""

    def edit(rows):
        for row in at:
            rows[row][name] = rows[at[0] - 1][name]

    return edit


def one_aside(names):
    """What is in these columns, each in the next of them."""

    def edit(rows):
        was = dict(rows[8])
        for name, beside in zip(names[1:], names, strict=False):
            rows[8][name] = was[beside]

    return edit


def one_more(code):
    return lambda rows: rows.append(rows[30] | {"sku": code, "name": "another", "picture": "", "bin": ""})


def without(at):
    return lambda rows: [row for number, row in enumerate(rows) if number != at]


def margin(share):
    def edit(rows):
        rows[8]["price"] = f"{Decimal(rows[8]['cost']) / (1 - Decimal(share)):.2f}"

    return edit


@dataclass(frozen=True)
class Case:
    accident: Any
    honest: Any
    """An edit just beyond the limit, or several of them."""
    fields: dict[str, FieldSettings] = field(default_factory=dict)
    more: dict[str, Any] = field(default_factory=dict)
    """Other settings."""
    told: dict[str, Any] = field(default_factory=dict)
    """How the shop is compared."""


LINKS = {"bin": FieldSettings(type="item link")}
NO_BLANK = {"imports": ImportConfig(blank="leaves")}
CASES = {
    "repaired": Case(put("gtin", "9.52E+12", 0), put("gtin", BARCODE, 0)),
    "spreadsheet damage": Case(put("bin", "#N/A"), put("bin", "A1-99")),
    # A plain rise of all prices, by which some come to be what others were, is none.
    "column out of step": Case(in_order("price"), put("price", lambda was: f"{Decimal(was) + 2:.2f}", range(40))),
    "fill series": Case(counting("cost", range(10, 16)), counting("cost", range(10, 13))),
    "filled down": Case(down("name", range(11, 18)), down("name", range(11, 16))),
    # Half of the changed cells of a row are no shift.
    "shifted cells": Case(
        both(one_aside(["name", "maker", "category"]), put("price", "99.00")),
        [both(one_aside(["name", "maker", "category"]), put("price", "99.00"), put("bin", "Z1")),
         one_aside(["name", "maker"])],
    ),
    "split text": Case(both(put("name", "Hive"), put("maker", "of pattern")), put("name", "Hive")),
    # A few, or short ones, or of several lengths.
    "truncated": Case(
        put("name", lambda was: was[:22], range(10, 15)),
        [put("name", lambda was: was[:22], range(10, 14)), put("name", lambda was: was[:12], range(10, 18)),
         both(put("name", lambda was: was[:22], range(10, 14)), put("name", lambda was: was[:20], range(14, 18)))],
    ),
    "search and replace": Case(
        both(*(put(name, lambda was: was.replace("brass", "steel"), range(10, 18)) for name in ("name", "picture"))),
        put("name", lambda was: was.replace("brass", "steel"), range(10, 18)),
    ),
    "column multiplied": Case(put("price", times(10), range(8, 13)), put("price", times(10), range(8, 12))),
    "separator lost": Case(
        put("price", lambda was: was.replace(".", ""), range(8, 13)),
        put("price", lambda was: was.replace(".", ""), range(8, 12)),
    ),
    "column rounded": Case(put("cost", times(1, 0), range(8, 13)), put("cost", times(1, 0), range(8, 12))),
    "percent slip": Case(put("stock", "2400"), put("stock", "30"), {"stock": FieldSettings(type="percent")}),
    "control character": Case(put("name", "a\x0bb"), put("name", "a\tb")),
    "locked field": Case(put("bin", "Z"), put("name", "Z"), {"bin": FieldSettings(locked=True)}),
    "required field": Case(
        put("name", ""), put("bin", ""), {"name": FieldSettings(required=True)}, told={"clear_blanks": True}
    ),
    "too long": Case(put("bin", "x" * 31), put("bin", "x" * 30), {"bin": FieldSettings(length=30)}),
    "too many decimals": Case(put("price", "99.123"), put("price", "99.12"), {"price": FieldSettings(decimals=2)}),
    "validation rule": Case(
        put("stock", "99"), put("stock", "50"),
        more={"checks": CheckSettings(conditions=(Condition("stock <= 50"),))},
    ),
    "unknown value": Case(
        put("maker", "Ember"), put("maker", "Thrumhive"), {"maker": FieldSettings(allowed=("Thrumhive", "Combwick"))}
    ),
    "unknown category": Case(put("category", "Hives/Legs"), put("category", "Hives/Supers")),
    "new spelling": Case(put("maker", "combwick"), put("maker", "Ember")),
    "spelling variant": Case(
        put("maker", "Thrumhive"), put("bin", "Z"), {"maker": FieldSettings(type="choice")},
        told={"before": put("maker", "THRUMHIVE", 3)},
    ),
    "not unique": Case(put("gtin", "9520000000011"), put("gtin", BARCODE)),
    "broken link": Case(
        put("bin", "K-9999"), [put("bin", "K-0003"), both(put("bin", "K-9999"), one_more("K-9999"))], LINKS,
        told={"add_new": True},
    ),
    "parent removed": Case(
        without(8), without(9), LINKS, told={"before": put("bin", "K-0008", 3), "delete_at_most": 3}
    ),
    "image name": Case(put("picture", "my hive.jpg"), put("picture", "my-hive.jpg")),
    "image missing": Case(
        put("picture", "old.jpg"), put("picture", "new.jpg"), told={"images": frozenset({"new.jpg"})}
    ),
    "wrong barcode": Case(put("gtin", "9520000000058"), put("gtin", BARCODE)),
    "extra zeros": Case(put("gtin", "09520000000004", 0), put("gtin", BARCODE, 0)),
    "negative": Case(put("stock", "-1"), put("stock", "0")),
    "zero price": Case(put("price", "0.00"), put("price", "0.01")),
    "price emptied": Case(put("price", "(empty)"), put("sale_price", "(empty)", 5)),
    "column emptied": Case(put("bin", "(empty)", range(21)), put("bin", "(empty)", range(20))),
    "decimal slip": Case(put("price", times(10)), put("price", times("1.2"))),
    "below cost": Case(relative("price", "cost", "-0.01"), relative("price", "cost", "0")),
    "sale price too high": Case(relative("sale_price", "price", "0"), relative("sale_price", "price", "-0.01")),
    "sale below cost": Case(relative("sale_price", "cost", "-0.01"), relative("sale_price", "cost", "0")),
    "sale dates": Case(
        put("sale_end", "2026-03-01"), put("sale_end", "2026-03-02"),
        told={"before": both(put("sale_start", "2026-03-02", range(40)), put("sale_end", "2026-03-09", range(40)))},
    ),
    "implausible stock": Case(put("stock", "391"), put("stock", "390")),
    "low margin": Case(margin("0.29"), margin("0.31"), more={"checks": CheckSettings(margin_floor=0.3)}),
    "large change": Case(put("price", times("1.52")), put("price", times("1.5"))),
    "cost unchanged": Case(
        both(put("price", times("1.1"), range(0, 18, 2)), put("cost", times("1.1"), range(0, 16, 2))),
        both(put("price", times("1.1"), range(0, 16, 2)), put("cost", times("1.1"), range(0, 14, 2))),
    ),
    "many changes": Case(
        put("bin", "Z", range(50)), put("bin", "Z", range(48)), told={"items": 160}
    ),
    "unsupported character": Case(
        put("name", "→"), put("name", "€"), more={"imports": ImportConfig(encoding="windows-1252")}
    ),
    "unknown encoding": Case(put("name", "Wäx"), put("name", "Wax")),
    "cannot be emptied": Case(put("bin", ""), put("bin", "Z"), more=NO_BLANK, told={"clear_blanks": True}),
    "import marker": Case(
        put("bin", "(none)"), put("bin", "none"), more={"imports": ImportConfig(blank="leaves", marker="(none)")}
    ),
    "formula in value": Case(put("name", "-1+cmd|' /C calc'!A0"), put("bin", "-1")),
}  # fmt: skip


def test_every_check_has_its_case():
    # (Taxes are in the names of columns, which are fixed here: tests of money are about them.)
    assert {*CASES, "tax not set"} == {check.name for check in CHECKS}


@pytest.mark.parametrize("name", CASES)
def test_a_check_finds_its_accident_and_lets_an_honest_edit_be(tried, name):
    case = CASES[name]
    settled = Settings(fields=case.fields, **case.more)

    def codes(edit):
        return set(tried(edit, settled, **case.told).changes.findings["code"])

    assert name in codes(case.accident)
    for honest in case.honest if isinstance(case.honest, list) else [case.honest]:
        assert name not in codes(honest)

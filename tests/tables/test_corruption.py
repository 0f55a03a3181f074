import polars as pl
import pytest

from neat_delta.tables.corruption import find_corruption
from neat_delta.tables.field_types import infer_type

PRICES = [f"{at}.50" for at in range(60)]
CODES = [f"{at:06}" for at in range(400, 460)]
NAMES = [f"Café {'abcdefgh'[at % 8]}{at}" for at in range(60)]


def marked(field, values):
    column = pl.DataFrame(
        {"value": values, "count": [1] * len(values)}, schema={"value": pl.String, "count": pl.UInt32}
    )
    kind = infer_type(column["value"], field).name
    return {check: value for check, _, value, _, _ in find_corruption(column, field, kind).iter_rows()}


@pytest.mark.parametrize(
    ("field", "others", "value", "check"),
    [
        ("price", PRICES, "#N/A", "formula error"),
        ("price", PRICES, "#NV", "formula error"),
        ("name", NAMES, "=VLOOKUP(A1;B:C;2)", "formula"),
        ("gtin", CODES, "9.52E+12", "scientific notation"),
        ("gtin", CODES, "9,52E+12", "scientific notation"),
        ("bin", [f"{at}-B" for at in range(60)], "03/01/26", "code changed to date"),
        ("sku", CODES, "417", "lost zeros"),
        ("name", NAMES, "CafÃ© x", "broken accents"),
        ("name", NAMES, "K?se", "lost letters"),
        ("name", NAMES, "x" * 255, "cut off"),
        ("name", NAMES, "Veil ", "leading or trailing spaces"),
        ("price", PRICES, "on request", "not a number"),
    ],
)
def test_a_damaged_value_among_sound_ones_is_pointed_out(field, others, value, check):
    assert marked(field, [*others, value])[check] == value


@pytest.mark.parametrize(
    ("field", "values"),
    [
        ("price", PRICES),
        ("sku", CODES),
        ("name", NAMES),
        ("number", [str(at) for at in range(300)]),
        ("added", [f"{at:02}.03.2026" for at in range(1, 29)]),
        ("check", [f"{at}E{at}" for at in range(60)] + CODES),
        ("sku", [f"QX-{at:04}" for at in range(60)]),
        ("question", ["Which veil?", "Is it wood? Yes", "What?"]),
        ("size", ["S", "M", "L", "38", "40"]),
        ("name", ["Ânon", "Ão", "x" * 254]),
        ("note", []),
    ],
)
def test_honest_columns_show_no_damage(field, values):
    assert marked(field, values) == {}

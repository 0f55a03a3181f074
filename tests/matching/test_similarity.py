import polars as pl
import pytest

from helpers import write_table
from neat_delta.matching.key import Key
from neat_delta.matching.similarity import suggest_items
from neat_delta.reading import read_table

LIVE = [
    ["sku", "name", "maker_code"],
    ["QX-0042", "Queen cage, brass", "M1042"],
    ["QX-0043", "Queen cage, steel", "M1043"],
    ["000417", "Smoker, small", "M2001"],
    ["000418", "Smoker, large, with guard", "M2002"],
    ["12-03", "Veil", "M3000"],
]
KEY = Key(("sku",), explicit=True)


@pytest.fixture
def likely(tmp_path):
    def run(header, row, named_by=()):
        live = read_table(write_table(tmp_path / "live.csv", LIVE))
        sheet = read_table(write_table(tmp_path / "file.csv", [header, row]))
        found = suggest_items(live, sheet, KEY, pl.Series([0], dtype=pl.UInt32), named_by)
        return found["item"].to_list()

    return run


@pytest.mark.parametrize(
    ("code", "name", "item"),
    [
        ("QX0042", "", "QX-0042"),
        ("QX-0O42", "Queen cage, brass", "QX-0042"),
        ("SM-1", "SMALL SMOKER", "000417"),
        ("998877", "Smoker with guard, large", "000418"),
        ("417.0", "Smoker small", "000417"),
    ],
)
def test_the_likeliest_item_comes_first(likely, code, name, item):
    assert likely(["sku", "Article"], [code, name])[:1] == [item]


def test_nothing_is_offered_where_nothing_is_alike(likely):
    assert likely(["sku", "Article"], ["ZZ-9", "Honey jar with lid"]) == []


def test_a_list_named_by_another_field_is_compared_by_that_field(likely):
    assert likely(["sku", "Pack"], ["maker_code M30O0", "1"], named_by=("maker_code",)) == ["12-03"]

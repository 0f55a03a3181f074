import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import write_table
from neat_delta.base.errors import InvalidOption
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.diff.multi_value_ops import Parts, apply_parts
from neat_delta.reading import read_pair
from neat_delta.tables.settings import FieldSettings, Settings

LIVE = [["sku", "name", "tags"], ["A", "a", "new|gift"], ["B", "b", ""], ["C", "c", "sale"], ["D", "d", "b|a"]]


@pytest.fixture
def tags(tmp_path):
    """The tags that change when a sheet with these columns is compared."""

    def run(header, *rows, separator="|", **told):
        a = write_table(tmp_path / "live.csv", LIVE)
        b = write_table(tmp_path / "edited.csv", [header, *rows])
        settled = Settings(fields={"tags": FieldSettings(separator=separator, **told)})
        seen = compare(*read_pair(a, b), CompareOptions(settings=settled))
        return {key: now for key, field, _, now in seen.changes.cells.iter_rows() if field == "tags"}

    return run


def test_columns_with_a_sign_add_values_and_take_some(tags):
    rows = [["A", "gift | spring", ""], ["B", "spring", "new"], ["C", "", "sale"], ["D", "c|a", "b"]]

    assert tags(["sku", "Tags +", "Tags -"], *rows) == {"A": "new|gift|spring", "B": "spring", "C": None, "D": "a|c"}


def test_silent_rows_change_nothing_whatever_their_order(tags):
    assert tags(["sku", "tags +", "tags \u2212"], ["D", "", " "], ["A", "gift", "old"]) == {}


def test_a_whole_value_beside_the_signs_goes_first_and_a_blank_one_leaves_the_live_value(tags):
    assert tags(["sku", "tags", "tags +"], ["A", "", "x"], ["C", "p|q", "x"]) == {"A": "new|gift|x", "C": "p|q|x"}


@pytest.mark.parametrize(("cells", "now"), [("add", "new|gift|x"), ("take", "new"), ("replace", "x|gift")])
def test_what_cells_mean_can_be_settled_for_a_field(tags, cells, now):
    assert tags(["sku", "tags"], ["A", "x|gift"], cells=cells) == {"A": now}


def test_rows_that_add_different_values_to_one_item_disagree(tags):
    assert tags(["sku", "tags +"], ["A", "x"], ["A", "y"], ["B", "z"]) == {"B": "z"}


def test_nothing_is_added_where_nobody_knows_what_parts_values(tags):
    with pytest.raises(InvalidOption, match=r'\[fields.tags\] separator = "\|"'):
        tags(["sku", "tags +"], ["A", "x"], separator=None)


words = st.lists(st.sampled_from("abcdef"), max_size=4)


@given(words, words, words)
def test_adding_and_taking_are_what_sets_do_and_keep_the_order(was, add, take):
    cells = {name: pl.Series(["|".join(values)]) for name, values in (("was", was), ("add", add), ("take", take))}
    sheet = pl.DataFrame({"tags+": cells["add"], "tags-": cells["take"]})

    (now,) = apply_parts(cells["was"], sheet, Parts(None, "tags+", "tags-"), "|").to_list()

    if not add and not take:
        assert now == "|".join(was)
    else:
        assert now.split("|") == ([value for value in dict.fromkeys([*was, *add]) if value not in take] or [""])

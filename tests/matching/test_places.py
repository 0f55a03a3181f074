import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from neat_delta.matching.places import all_different, places

CODES = st.text("abé1", min_size=1, max_size=3)


def texts(values):
    return pl.Series(values, dtype=pl.String)


@st.composite
def among_and_asked(draw):
    """Different texts, and some of them asked for: in order, item by item, in any order, or with strangers."""
    among = draw(st.lists(CODES, unique=True, max_size=12))
    some = [code for code in among if draw(st.booleans())]
    way = draw(st.sampled_from(["all", "some", "item by item", "any order", "strangers"]))
    asked = {
        "all": among,
        "some": some,
        "item by item": [code for code in among for _ in range(draw(st.integers(0, 3)))],
        "any order": draw(st.permutations(some + some)),
        "strangers": draw(st.permutations([*some, "z", None])),
    }[way]
    return among, asked


@given(among_and_asked())
def test_each_text_is_found_where_it_stands(case):
    among, asked = case
    found = places(texts(among), texts(asked)).to_list()
    assert found == [among.index(code) if code in among else None for code in asked]


@given(st.lists(CODES, max_size=8))
def test_all_different_means_that_none_stands_there_twice(codes):
    assert all_different(texts(codes)) == (len(set(codes)) == len(codes))

import polars as pl
from hypothesis import example, given
from hypothesis import strategies as st

from neat_delta.matching.positions import positions_of

CODES = st.text("abé1", min_size=1, max_size=3)


def texts(values):
    return pl.Series(values, dtype=pl.String)


@st.composite
def among_and_asked(draw):
    """Texts, and some of them asked for: in order, item by item, in any order, or with strangers."""
    among = draw(st.lists(CODES, unique=draw(st.booleans()), max_size=12))
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
@example((["D", "D", "A", "B"], ["D", "A", "A", "B"]))
@example((["D", "A", "D"], ["D", "A", "D"]))
def test_each_text_is_found_where_it_stands_unless_it_stands_there_twice(case):
    among, asked = case
    found = positions_of(texts(among), texts(asked)).to_list()
    assert found == [among.index(code) if among.count(code) == 1 else None for code in asked]


@given(among_and_asked(), st.booleans(), st.booleans())
def test_among_texts_in_order_each_is_found_where_it_stands(case, long, in_order):
    among = sorted({*case[0], *(f"é{number:03}" for number in range(600 * long))})
    asked = sorted({*case[1]} - {None}) if in_order else case[1]
    found = positions_of(texts(among), texts(asked), ascends=True).to_list()
    assert found == [among.index(code) if code in among else None for code in asked]

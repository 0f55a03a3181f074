from collections import Counter
from types import SimpleNamespace

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from neat_delta.tables import Field
from neat_delta.tables.profile import profile


def profiled(cells):
    frame = pl.DataFrame({"note": cells}, schema={"note": pl.String})
    return profile(Sheet(fields=[Field("note", "Note")], cells=lambda names: frame))


class Sheet(SimpleNamespace):
    """What there is to a table for a profile."""

    def __len__(self):
        return len(self.cells([]))


@given(st.lists(st.sampled_from([*"abcdefgh", " ", "\u00a0", "é", "", "a b"]) | st.text("ab ", max_size=3), min_size=1))
def test_every_filled_value_is_counted_once(cells):
    (column,) = profiled(cells)
    filled = Counter(cell for cell in cells if cell.strip())
    assert dict(column.values.iter_rows()) == filled
    assert (column.filled, column.distinct) == (filled.total(), len(filled))


def test_many_different_values_are_counted_like_few():
    cells = [f"N{at}" for at in range(50_000)] + ["N7"] * 3 + [" "]
    (column,) = profiled(cells)
    assert (column.filled, column.distinct) == (50_003, 50_000)
    assert column.values.filter(value="N7")["count"].item() == 4


def test_the_commonest_values_come_first_and_equally_common_ones_by_the_alphabet():
    cells = [f"v{at:03}" for at in range(200) for _ in range(3)] + ["v150"] * 2 + ["v007", "zz"]
    (column,) = profiled(cells[::-1])
    assert column.commonest == [("v150", 5), ("v007", 4), ("v000", 3)]
    assert column.values["value"].head(60).to_list()[2:] == [f"v{at:03}" for at in range(59) if at != 7]
    assert sorted(column.values["value"]) == sorted(set(cells))

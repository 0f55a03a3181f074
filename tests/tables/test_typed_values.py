from types import SimpleNamespace

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from neat_delta.tables import Field, FileFormat
from neat_delta.tables.distinct import SAMPLE, distinct_values
from neat_delta.tables.settings import FieldSettings, Settings
from neat_delta.tables.typed_values import typed_column, typed_frame

CELLS = st.sampled_from(
    ["1.50", "12,5", "7", "-0.125", "1.234", "1.234,50", "", " ", " 3.00 ", "x", "1000", "12.500000", "3.0000"]
)


def column(cells):
    frame = pl.DataFrame({"net": cells}, schema={"net": pl.String})
    filled = distinct_values(frame["net"])
    return SimpleNamespace(
        names=["net"],
        fields=[Field("net", "Net")],
        cells=lambda names: frame,
        distinct_values=lambda name: filled,
        format=FileFormat(),
    )


@given(st.lists(CELLS, min_size=1), st.sampled_from([None, "price", "quantity"]), st.randoms())
def test_what_rules_compute_with_is_what_conditions_see(cells, kind, dice):
    catalogue, told = column(cells), FieldSettings(type=kind)
    rows = pl.Series([dice.choice([None, *range(len(cells))]) for _ in range(9)], dtype=pl.UInt32)

    numbers = typed_frame(catalogue, ["net"], Settings(fields={"net": told}))["net"]
    whole, some = typed_column(catalogue, "net", told), typed_column(catalogue, "net", told, rows=rows)

    if numbers.dtype.is_decimal():
        assert whole.dtype.scale <= 3
        assert whole.cast(numbers.dtype).equals(numbers)
        assert some.cast(numbers.dtype).equals(numbers.gather(rows))


def test_the_distinct_values_of_a_long_column_are_those_of_a_short_one():
    some = [f"v{at * at % 7_919}" for at in range(SAMPLE)]
    for cells in (some, sorted(set(some)) + ["z"] * SAMPLE, [f"{at:06}" for at in range(SAMPLE)]):
        assert set(distinct_values(pl.Series([*cells, "", " "]))) == set(cells)

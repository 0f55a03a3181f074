import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from neat_delta.tables import FileFormat
from neat_delta.tables.settings import ImportConfig
from neat_delta.update.import_format import ImportFormat, other_mark

numbers = st.from_regex(r"-?(\d{1,3}(,\d{3})*|\d+)(\.\d+)?", fullmatch=True)


@given(st.lists(numbers, min_size=1))
def test_marks_that_change_places_twice_are_as_they_were(cells):
    frame = pl.DataFrame({"n": cells})

    assert frame.select(other_mark(other_mark(pl.col("n")))).to_series().to_list() == cells


@given(
    st.lists(st.none() | numbers, min_size=1),
    st.lists(numbers, min_size=1),
    st.booleans(),
    st.sampled_from([None, "(none)"]),
)
def test_what_is_written_is_what_the_shop_takes(now, before, swapped, marker):
    """Whatever the import's rules, as long as a file can empty a field at all."""
    rules = ImportConfig(blank="leaves" if marker else "empties", marker=marker)
    shop = ImportFormat(rules, FileFormat(), frozenset(["n"] if swapped else []))
    cells = pl.Series("n", now, dtype=pl.String)
    there = pl.Series([before[at % len(before)] for at in range(len(now))])

    written = shop.written(cells.to_frame())["n"].fill_null("")

    assert shop.value_after_import(written, there).to_list() == [cell or "" for cell in now]

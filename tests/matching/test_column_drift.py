"""What columns hold, and answers that were given once."""

import polars as pl
import pytest

from helpers import write_table
from neat_delta.base.errors import InvalidInput
from neat_delta.matching.column_drift import drift, nature_of
from neat_delta.matching.mapping_file import read_mapping_file


@pytest.mark.parametrize(
    ("cells", "mark", "nature"),
    [
        (["12.50", "7", "30"], None, "numbers about 12.5"),
        (["12,50", "7,00", "30,00"], ",", "numbers about 12.5"),
        (["", " "], None, "blank"),
        (["2026-01-05", "2026-02-25"], None, "dates"),
        (["Smoker", "12"], None, "text"),
        (["12", "13", "14", "15", "16", "17", "18", "19", "20", "on request"], None, "numbers about 16"),
    ],
)
def test_a_column_shows_what_it_holds(cells, mark, nature):
    assert nature_of(pl.Series(cells), mark) == nature


@pytest.mark.parametrize(
    ("before", "now", "said"),
    [
        (
            {"Net": "numbers about 12.5"},
            {"Net": "numbers about 1250"},
            ["column Net held numbers about 12.5, holds"],
        ),
        ({"Net": "numbers about 12.5"}, {"Net": "numbers about 60"}, []),
        ({"Net": "text"}, {"Net": "blank"}, ["column Net was text, is blank"]),
        ({"Net": "text"}, {"Price": "text"}, ["missing columns (present last time)", "new columns since last time"]),
        ({}, {"Price": "text"}, []),
    ],
)
def test_what_differs_from_last_time_is_said(before, now, said):
    found = drift(before, now)

    assert [line.startswith(start) for line, start in zip(found, said, strict=True)] == [True] * len(said)


@pytest.mark.parametrize(
    ("table", "reason"),
    [
        ([["theirs"], ["a"]], "the number of its columns is 1"),
        ([["theirs", "ours"], ["a", ""]], "this row has a blank cell"),
        ([["theirs", "ours"], ["a", "b"], ["a", "c"]], "line 3, value 'a': mapped to both 'b' and 'c'"),
        ([["theirs", "ours"], ["a"]], "too few cells"),
    ],
)
def test_answers_that_leave_a_doubt_are_refused(tmp_path, table, reason):
    with pytest.raises(InvalidInput, match=reason):
        read_mapping_file(write_table(tmp_path / "answers.csv", table))

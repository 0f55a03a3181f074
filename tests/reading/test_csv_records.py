from hypothesis import given
from hypothesis import strategies as st

from neat_delta.reading.file_lines import NO_SEPARATOR, split_lines

SIGNS = ["a", "b,c", '"', "\n", "\n\n", "\r\n", "\r", "\x00", "é", " ", NO_SEPARATOR]


@given(st.lists(st.sampled_from(SIGNS), min_size=1, max_size=9).map("".join))
def test_lines_are_cut_at_line_feeds_and_nothing_of_them_is_lost(text):
    lines = split_lines(text.encode())
    expected = [line.removesuffix("\r") for line in text.removesuffix("\n").split("\n")]
    assert lines["raw"].to_list() == expected
    assert lines["line"].to_list() == list(range(1, len(expected) + 1))

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from neat_delta.reading.atonce import as_records, parse_at_once
from neat_delta.reading.charset import Text
from neat_delta.reading.dialect import Dialect
from neat_delta.reading.records import read_records, split_lines

HEADER = ("sku", "name", "note")
SOUND = ["A", "b c", "", " ", '"q"', '"a,b"', '""', "Total", "sub total:", "SKU", "é"]
CELLS = [*SOUND, '"x""y"', '"', 'p"', '"u\nv"', "\r"]
LINES = st.lists(st.sampled_from(CELLS), min_size=1, max_size=4).map(",".join)
WHOLE = st.lists(st.sampled_from(SOUND), min_size=3, max_size=3).map(",".join)


def both_ways(text: str, header_line: int):
    read = Text(text.encode(), "utf-8", False, {})
    dialect = Dialect(",", HEADER, header_line, False, True)
    parsed = parse_at_once(read, HEADER, dialect)
    lines = read_records(read, split_lines(read.utf8), HEADER, dialect)
    again = read_records(read, split_lines(read.utf8), HEADER, dialect, parsed=parsed)
    assert seen(again) == seen(lines)
    return None if parsed is None else as_records(read, parsed, dialect), lines


def seen(reading):
    return (reading.rows.cells(HEADER).rows(), reading.rows.line.to_list(), reading.odd.to_list(), reading.bad.rows())


@given(
    st.lists(st.one_of(WHOLE, LINES), min_size=1, max_size=6),
    st.sampled_from(["\n", "\r\n"]),
    st.booleans(),
    st.integers(0, 2),
)
def test_what_is_parsed_at_once_is_what_looking_at_every_line_gives(rows, end, last_end, header_line):
    above = ["a title", ",".join(HEADER)][2 - header_line :]
    text = end.join([*above, *rows]) + end * last_end
    assume(text)

    at_once, by_line = both_ways(text, header_line)

    assert at_once is None or seen(at_once) == seen(by_line)


@pytest.mark.parametrize("end", ["\n", "\r\n"])
@pytest.mark.parametrize("rows", [["A,b,c", 'B,"x, y",', ' ,"",z', "Total,,7", "SKU,name,note"], ["A,b,c"]])
def test_a_file_of_whole_records_is_parsed_at_once(rows, end):
    for text in (end.join(["sku,name,note", *rows]), end.join(['"sku",name,note', *rows, ""])):
        at_once, by_line = both_ways(text, 1)

        assert seen(at_once) == seen(by_line)


@pytest.mark.parametrize(
    "row",
    ["A,b", "A,b,c,d", "A,b,c,", 'A,"b,c', 'A,b"b,c', 'A,"b"b,c', 'A,"b""b",c', 'A,"b\nb",c', "", ",,", " ,\t,"],
)
def test_any_line_that_needs_a_closer_look_leaves_the_file_to_it(row):
    for rows in ([row, "X,y,z"], ["X,y,z", row, "Z,y,x"], ["X,y,z", row, ""]):
        at_once, _ = both_ways("\n".join(["sku,name,note", *rows]), 1)

        assert at_once is None

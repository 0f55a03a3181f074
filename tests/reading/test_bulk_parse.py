import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st

from neat_delta.reading.bulk_parse import parse_bulk, verify_bulk
from neat_delta.reading.charset import DecodedText
from neat_delta.reading.csv_records import read_records
from neat_delta.reading.dialect import Dialect
from neat_delta.reading.file_lines import split_lines

HEADER = ("sku", "name", "note")
SOUND = ["A", "b c", "", " ", '"q"', '"a,b"', '""', "Total", "sub total:", "SKU", "é"]
ODD = ['"x""y"', '"', 'p"', '"u\nv"', "\r", '"a"b', '"a" ', ' "b"', ",", "\n", "\r\n", '"x""y",', "A,", '"""']


@st.composite
def lines(draw):
    """Rows of whole records, in which a cell or two may be put wrong."""
    rows = draw(st.lists(st.lists(st.sampled_from(SOUND), min_size=3, max_size=3), min_size=1, max_size=4))
    for _ in range(draw(st.integers(0, 2))):
        draw(st.sampled_from(rows))[draw(st.integers(0, 2))] = draw(st.sampled_from(ODD))
    return [",".join(row) for row in rows]


def both_ways(text: str, header_line: int):
    read = DecodedText(text.encode(), "utf-8", False, {})
    dialect = Dialect(",", HEADER, header_line, False, True)
    parsed = parse_bulk(read, HEADER, dialect)
    lines = read_records(read, split_lines(read.utf8), HEADER, dialect)
    again = read_records(read, split_lines(read.utf8), HEADER, dialect, parsed=parsed)
    assert seen(again) == seen(lines)
    return None if parsed is None else verify_bulk(read, parsed, dialect), lines


def seen(reading):
    return (reading.rows.cells(HEADER).rows(), reading.rows.line.to_list(), reading.odd.to_list(), reading.bad.rows())


@settings(max_examples=200)
@given(lines(), st.sampled_from(["\n", "\r\n"]), st.booleans(), st.integers(0, 2))
# Errors of two sorts whose bytes just make up for each other.
@example(["A,A,A", 'A,A,"x""y",'], "\n", False, 0)
@example(["A,A,A", "A,,\r\n,A", "A,A,A"], "\n", True, 0)
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

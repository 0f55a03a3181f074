"""Records: whole ones are found whatever the size of a block, others are mended or named, one at a time."""

import csv
import io

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helpers import examples
from neat_delta.files.content import ContentInMemory
from neat_delta.reading import csv_records, csv_rows, records_in_common
from neat_delta.reading.charset import DecodedText
from neat_delta.reading.csv_records import read_records
from neat_delta.reading.dialect import Dialect
from neat_delta.reading.equal_records import equal_in_place
from neat_delta.reading.record_patterns import LONGEST_CELL

HEADER = ("sku", "name", "note")
CELLS = ["A", "b c", "", " ", "a,b", 'x"y', '"', '""', "u\nv", "\n", '\n,"\n', "Total", "SKU", "é", '21"', "\ufeff"]
# Cells as they stand in a file, of which some are in nobody's grammar.
RAW = ["A", "", " ", '"a,b"', '"x""y"', '""', '"u\nv"', '"\n\n"', '21"', 'p"q', '"a"b', '"a" ', ' "b"', '"', '"""', ","]


def read(text: str, header_line: int = 1, undecodable=None):
    decoded = DecodedText(ContentInMemory(text.encode()), "utf-8", False, undecodable or {})
    return read_records(decoded, HEADER, Dialect(",", HEADER, header_line, False, True))


def seen(found):
    return found.rows.cells(HEADER).rows(), found.rows.line.to_list(), found.odd.to_list(), found.bad.rows()


def in_blocks(monkeypatch, size: int):
    monkeypatch.setattr(csv_records, "BLOCK", size)
    monkeypatch.setattr(csv_records, "SMALL_BLOCK", max(4, size // 4))
    monkeypatch.setattr(csv_records, "ENOUGH", size)
    monkeypatch.setattr(csv_rows, "BLOCK", size)


@settings(max_examples=examples(75))
@given(
    st.lists(st.tuples(*[st.sampled_from(CELLS)] * 3), min_size=1, max_size=8),
    st.sampled_from(["\n", "\r\n"]),
    st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]),
    st.booleans(),
    st.sampled_from([8, 64, 1 << 22]),
)
def test_what_a_program_writes_is_read_as_it_was_meant(rows, end, quoting, last_end, size):
    stream = io.StringIO()
    csv.writer(stream, lineterminator=end, quoting=quoting).writerows([HEADER, *rows])
    text = stream.getvalue() if last_end else stream.getvalue().removesuffix(end)

    with pytest.MonkeyPatch.context() as patched:
        in_blocks(patched, size)
        found = read(text)

        expected = [row for row in rows if set(",".join(row)) - set(" ,") or quoting == csv.QUOTE_ALL]
        assert found.bad.is_empty()
        assert found.rows.cells(HEADER).rows() == expected
        texts = b"".join(found.rows.records(every_row(len(expected))))
        assert texts.count(b"\n") == sum(cell.count("\n") for row in expected for cell in row)


def every_row(count):
    return pl.int_range(count, eager=True)


@settings(max_examples=examples(75))
@given(
    st.lists(st.lists(st.sampled_from(RAW), min_size=3, max_size=3).map(",".join), min_size=1, max_size=8),
    st.sampled_from(["\n", "\r\n"]),
    st.integers(0, 1),
    st.sampled_from([8, 32, 100]),
)
def test_damage_is_found_alike_in_blocks_of_any_size(rows, end, header_line, size):
    text = end.join([*[",".join(HEADER)][1 - header_line :], *rows])
    at_once = seen(read(text, header_line))

    with pytest.MonkeyPatch.context() as patched:
        in_blocks(patched, size)
        assert seen(read(text, header_line)) == at_once


SOUND = [f"K{at},some name,note {at}" for at in range(40)]


@pytest.mark.parametrize(
    ("rows", "cells", "faults"),
    [
        (['A,21" frame,x'], [("A", '21" frame', "x")], []),
        (['A,frame 21",x', 'B,"y, z",x'], [("A", 'frame 21"', "x"), ("B", "y, z", "x")], []),
        (['A,"y', 'z",x'], [("A", "y\nz", "x")], []),
        (['A,"y,x', "B,y,x"], [("B", "y", "x")], [(22, "missing closing quote")]),
        (['A,"y,x', "B,y,x", 'C,"z,z",x'], [("B", "y", "x"), ("C", "z,z", "x")], [(22, "missing closing quote")]),
        (['A,"21" frame",x'], [], [(22, "quote in the middle of a cell")]),
        (["A,y"], [], [(22, "too few cells: 2, but the header has 3")]),
        (["A,y,x,w", "", " , ,"], [], [(22, "too many cells: 4, but the header has 3")]),
        (['A,"y', 'z"'], [], [(22, "missing closing quote"), (23, "too few cells: 1, but the header has 3")]),
    ],
)
@pytest.mark.parametrize("size", [64, 1 << 22])
def test_what_is_wrong_is_named_and_spoils_no_other_row(monkeypatch, rows, cells, faults, size):
    in_blocks(monkeypatch, size)
    text = "\n".join([",".join(HEADER), *SOUND[:20], *rows, *SOUND[20:]])

    found = read(text)

    whole = [tuple(row.split(",")) for row in SOUND]
    assert found.rows.cells(HEADER).rows() == [*whole[:20], *cells, *whole[20:]]
    assert [(line, message) for line, _, message in found.bad.rows()] == faults
    assert found.rows.line[-1] == text.count("\n") + 1


def test_a_line_that_is_no_text_is_named_wherever_it_is():
    text = 'sku,name,note\nA,b,c\nB,"x\ny\nz",c\nC,b,c'
    for line, others in ((2, ["B", "C"]), (4, ["A", "C"]), (6, ["A", "B"])):
        found = read(text, undecodable={line: "not text"})

        assert found.rows.cells(["sku"])["sku"].to_list() == others
        assert (line, "not text") in [(at, message) for at, _, message in found.bad.rows()]


def test_rows_that_all_lack_the_same_last_cells_have_blank_ones_there():
    found = read('sku,name,note\n\nA,b\nB,"x\ny"\n')

    assert seen(found)[:2] == ([("A", "b", ""), ("B", "x\ny", "")], [3, 4])
    assert found.cells_added == 1


def test_rows_taken_out_or_chosen_keep_their_own_cells():
    rows = read("\n".join(["sku,name,note", 'A,21" x,1', 'B,"p\nq",2', "C,c,3"])).rows
    rest = rows.without(every_row(1))

    assert rest.cells(["name"])["name"].to_list() == ["p\nq", "c"]
    assert rest.renamed({"name": "title"}).cells(["title", "sku"], every_row(2).reverse()).rows() == [
        ("c", "C"),
        ("p\nq", "B"),
    ]


ROW = st.tuples(st.integers(0, 30).map("K{}".format), st.sampled_from(CELLS), st.sampled_from(CELLS))
CHANGES = st.lists(st.tuples(st.sampled_from("cdisxb"), st.integers(0, 40), ROW), max_size=5)


def written(rows, end="\n"):
    stream = io.StringIO()
    csv.writer(stream, lineterminator=end).writerows([HEADER, *rows])
    return stream.getvalue()


@settings(max_examples=examples(150))
@given(st.lists(ROW, min_size=1, max_size=30), CHANGES, st.sampled_from(["\n", "\r\n"]), st.booleans(), st.booleans())
def test_a_copy_is_read_as_if_nothing_were_known_of_the_file_that_it_is_one_of(rows, changes, end, cut, early):
    edited, damage = list(rows), {}
    for what, at, row in changes:
        at %= len(edited) + 1
        if what == "i":
            edited.insert(at, row)
        elif what == "s":
            edited[at:] = edited[at:][::-1]
        elif what in "xb":  # (damage, or blank lines, in front of a row)
            damage[at] = 'x","' if what == "x" else end
        elif at < len(edited):
            edited[at : at + 1] = [(edited[at][0], *row[1:])] if what == "c" else []
    lines = [written([row], end).partition(end)[2] for row in edited]
    lines = [damage.get(at, "") + line for at, line in enumerate(lines)]
    text = "".join(["a title" + end if early else "", ",".join(HEADER), end, *lines])
    text = text.removesuffix(end) if cut else text
    live = read(written(rows, end)).rows
    decoded = DecodedText(ContentInMemory(text.encode()), "utf-8", False, {})
    dialect = Dialect(",", HEADER, 2 if early else 1, False, True)

    alone = read_records(decoded, HEADER, dialect)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(records_in_common, "LEAST", 4)
        patched.setattr(records_in_common, "NEAR", (40, 200))
        patched.setattr(records_in_common, "MOSTLY_GAPS", 1.0)
        copied = read_records(decoded, HEADER, dialect, live)

    assert seen(copied) == seen(alone)
    assert copied.rows.spans.end.tolist() == alone.rows.spans.end.tolist()
    height = min(len(live), len(copied.rows))
    same = [live.records(every_row(height))[at] == copied.rows.records(every_row(height))[at] for at in range(height)]
    told = equal_in_place(live, copied.rows).to_list()
    assert all(not one or other for one, other in zip(told, same, strict=True))


@pytest.mark.parametrize("end", ["", "\n", "\n\n  \n"])
def test_copies_of_files_with_short_rows_or_titles_are_read_as_they_are(end):
    short = read("sku,name,note\nA,b\nB,c\nC,d\n").rows
    text = "sku,name,note\nA,b\nB,x\nC,d\nD,e" + end
    decoded = DecodedText(ContentInMemory(text.encode()), "utf-8", False, {})
    for like in (short, read("sku,name,note\nA,b,\nB,c,\nC,d,\n").rows, read("sku,name,note\n").rows):
        found = read_records(decoded, HEADER, Dialect(",", HEADER, 1, False, True), like)
        assert (found.rows.cells(HEADER).rows()[1], found.cells_added) == (("B", "x", ""), 1)

    titled = read("sku,name,note\nsku,name,note\nA,b,c\n", 2).rows
    again = "sku,name,note\nA,b,c\nsku,name,note\n"
    found = read_records(DecodedText(ContentInMemory(again.encode()), "utf-8", False, {}), HEADER,
                         Dialect(",", HEADER, 1, False, True), titled)  # fmt: skip
    assert (found.rows.cells(["sku"])["sku"].to_list(), found.odd.to_list()) == (["A", "sku"], [1])


def test_a_file_of_short_rows_and_its_very_copy_are_read_alike():
    text = "sku,name,note\nA,b\nB,c\n"
    decoded = DecodedText(ContentInMemory(text.encode()), "utf-8", False, {})

    copied = read_records(decoded, HEADER, Dialect(",", HEADER, 1, False, True), read(text).rows)

    assert seen(copied) == seen(read(text))


@pytest.mark.parametrize(("lines", "rows"), [(LONGEST_CELL, ["A", "B"]), (LONGEST_CELL + 1, ["B"])])
def test_a_cell_of_very_many_lines_is_a_quote_that_somebody_forgot(lines, rows):
    found = read('sku,name,note\nA,"' + "\n" * (lines - 1) + '",x\nB,b,c\n')

    assert found.rows.cells(["sku"])["sku"].to_list() == rows


def test_a_copy_of_a_file_with_mended_rows_has_them_mended_too():
    text = 'sku,name,note\nA,21" x,1\nB,b,c\nC,"y, ""z""",2\n'
    live = read(text).rows
    decoded = DecodedText(ContentInMemory(text.replace("b,c", "b,d").encode()), "utf-8", False, {})

    copied = read_records(decoded, HEADER, Dialect(",", HEADER, 1, False, True), live)

    assert copied.rows.cells(HEADER).rows() == [("A", '21" x', "1"), ("B", "b", "d"), ("C", 'y, "z"', "2")]


def test_the_number_of_a_record_is_that_of_its_text_wherever_it_stands():
    rows = read('sku,name,note\nA,21" x,1\nB,"p\nq",2\nA,21" x,1\nC,c,3\n').rows

    together = rows.hashes(every_row(4)).to_list()

    assert together == [rows.hashes(every_row(4)[[at]]).item() for at in range(4)]
    assert (together[0] == together[2], len(set(together))) == (True, 3)

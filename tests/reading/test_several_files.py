"""Several files that are one table: parts below each other, side by side by the key, in folders and archives."""

import csv
import io
import os
import zipfile
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import neat_delta, write_table
from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.locations import FileSet, parse_location
from neat_delta.locations.dated_names import with_dates
from neat_delta.locations.listing import Member, missing_parts, natural, newest_of
from neat_delta.reading import ReadOptions, read_table
from neat_delta.tables.line_names import file_and_line

HEADER = ["sku", "name", "price", "stock"]
ROWS = [
    [f"KT-{n:03}", f'Smoker "no. {n}"\nwith lid' if n % 3 else f"Käfig {n}", f"{n}.50", str(n)] for n in range(1, 31)
]
FORMS = [{}, {"charset": "cp1252"}, {"line_end": "\r\n"}, {"charset": "utf-16"}, {"delimiter": ";", "quote_all": True}]


def cells(table):
    return [list(row) for row in table.cells(table.names).rows()]


def parts(folder, rows, cuts, **form):
    for at, (start, end) in enumerate(zip([0, *cuts], [*cuts, len(rows)], strict=True), start=1):
        write_table(folder / f"items-{at}.csv", [HEADER, *rows[start:end]], **form)


def line_of(path, sku, **form):
    """The line on which an item's record begins, by Python's own reader."""
    text = path.read_bytes().decode(form.get("charset", "utf-8"))
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=form.get("delimiter", ","))
    line = 1
    for row in reader:
        if row[0] == sku:
            return line
        line = reader.line_num + 1
    raise KeyError(sku)


@pytest.mark.parametrize("form", FORMS, ids=str)
@pytest.mark.parametrize("mixed", [False, True])
def test_parts_are_one_table_and_each_row_knows_its_file_and_line(tmp_path, form, mixed):
    parts(tmp_path, ROWS, [7, 7, 19], **form)  # (one part has no rows)
    other = {"delimiter": "|"}
    if mixed:
        write_table(tmp_path / "items-3.csv", [HEADER, *ROWS[7:19]], **other)
    table = read_table(parse_location(str(tmp_path / "items-*.csv")))
    assert cells(table) == ROWS
    for sku, line in zip(table.cells(["sku"])["sku"], table.rows.line, strict=True):
        file, own = file_and_line(table.parts, line)
        assert own == line_of(tmp_path / file, sku, **(other if mixed and file == "items-3.csv" else form)), file


@given(st.lists(st.integers(0, 30), max_size=4), st.data())
def test_wherever_an_export_is_cut_the_parts_are_the_export(tmp_path_factory, cuts, data):
    folder = tmp_path_factory.mktemp("cut")
    form = data.draw(st.sampled_from(FORMS))
    parts(folder, ROWS, sorted(cuts), **form)
    write_table(folder / "whole.csv", [HEADER, *ROWS], **form)
    whole, cut = read_table(folder / "whole.csv"), read_table(parse_location(str(folder / "items-*.csv")))
    assert cells(cut) == cells(whole)
    assert cut.format == whole.format


def test_a_last_line_without_an_end_and_a_byte_order_mark_do_no_harm(tmp_path):
    (tmp_path / "a-1.csv").write_bytes("\ufeffsku,name\n1,é".encode())
    (tmp_path / "a-2.csv").write_bytes("\ufeffsku,name\n2,b".encode())
    table = read_table(parse_location(str(tmp_path)))
    assert cells(table) == [["1", "é"], ["2", "b"]]
    assert [part.name for part in table.parts] == ["a-1.csv", "a-2.csv"]


def test_columns_in_another_order_are_the_same_columns(tmp_path):
    write_table(tmp_path / "a.csv", [HEADER, *ROWS[:5]])
    write_table(tmp_path / "b.csv", [HEADER[::-1], *(row[::-1] for row in ROWS[5:])])
    assert cells(read_table(parse_location(str(tmp_path)))) == ROWS


def test_parts_that_write_numbers_in_different_ways_are_refused(tmp_path):
    write_table(tmp_path / "a.csv", [HEADER, *ROWS[:5]])
    write_table(tmp_path / "b.csv", [HEADER, *([*row[:2], row[2].replace(".", ","), row[3]] for row in ROWS[5:])])
    with pytest.raises(InvalidInput, match=r"b\.csv: the decimal separator is ',' here and '\.' in a\.csv"):
        read_table(parse_location(str(tmp_path)))


def test_files_of_two_systems_are_joined_by_their_key(tmp_path):
    write_table(tmp_path / "prices.csv", [["name", "sku", "price"], *([r[1], r[0], r[2]] for r in ROWS)])
    write_table(
        tmp_path / "stock.csv", [["sku", "stock", "price"], *([r[0], r[3], r[2] + "0"] for r in ROWS[::-1][:25])]
    )
    table = read_table(parse_location(f"{tmp_path / 'prices.csv'}+{tmp_path / 'stock.csv'}"))
    assert table.names == ["name", "sku", "price", "stock"]
    assert cells(table) == [[r[1], r[0], r[2], r[3] if int(r[3]) > 5 else ""] for r in ROWS]
    assert (table.incomplete, len(table.remarks)) == (True, 1)


@pytest.mark.parametrize(("second", "encoding"), [({"charset": "cp1252"}, "cp1252"), ({"charset": "utf-8"}, "utf-8")])
def test_joined_files_keep_the_encoding_that_they_share(tmp_path, second, encoding):
    write_table(tmp_path / "a.csv", [HEADER[:3], *(row[:3] for row in ROWS)], charset="cp1252", delimiter=";")
    note = "naïve façade" if encoding == "cp1252" else "naïve façade Ω"
    write_table(tmp_path / "b.csv", [["sku", "note"], *([row[0], note] for row in ROWS)], **second)
    location = parse_location(f"{tmp_path / 'a.csv'}+{tmp_path / 'b.csv'}")
    table = read_table(location)
    assert table.format.encoding == encoding
    kept = tmp_path / "kept.csv"
    content = table.source.content()
    kept.write_bytes(content.read(0, len(content)))
    again = read_table(kept, options=ReadOptions(delimiter=";", encoding=encoding, header_line=1))
    assert (cells(again), again.source.sha256) == (cells(table), table.source.sha256)


@pytest.mark.parametrize(
    ("second", "said"),
    [
        ([["sku", "price"], *([r[0], "1.00"] for r in ROWS)], "line 2, column price, value '1.00': the files disagree"),
        ([["sku", "stock"], ["KT-001", "1"], ["KT-002", "1"], ["KT-001", "2"], *([f"x{n}", "1"] for n in range(20))],
         "line 4, column sku, value 'KT-001': this item is twice"),
        ([HEADER[:3], *([f"Z-{n}", "a", "1.50"] for n in range(9))], "without stock.*only 0 of 9 items in common"),
        ([["code", "x"], ["a", "b"]], "no column in common"),
    ],
)  # fmt: skip
def test_what_does_not_belong_together_is_named(tmp_path, second, said):
    write_table(tmp_path / "a.csv", [HEADER, *ROWS])
    write_table(tmp_path / "b.csv", second)
    with pytest.raises(InvalidInput, match=said):
        read_table(parse_location(str(tmp_path)))


def test_an_archive_of_tables_is_read_and_one_that_leads_outside_is_refused(tmp_path):
    parts(tmp_path, ROWS, [10])
    with zipfile.ZipFile(tmp_path / "all.zip", "w") as archive:
        archive.write(tmp_path / "items-1.csv", "out/items-1.csv")
        archive.write(tmp_path / "items-2.csv", "out/items-2.csv")
        archive.writestr("out/readme.txt", "Two files.")
    assert cells(read_table(tmp_path / "all.zip")) == ROWS
    with zipfile.ZipFile(tmp_path / "bad.zip", "w") as archive:
        archive.write(tmp_path / "items-1.csv", "items-1.csv")
        archive.writestr("../items-2.csv", "sku\n1\n")
    with pytest.raises(InvalidInput, match=r"path outside"):
        read_table(tmp_path / "bad.zip")


def test_a_change_set_from_parts_is_written_undone_and_verified_by_the_kept_export(tmp_path):
    parts(tmp_path, ROWS, [7, 19])
    (tmp_path / "edit").mkdir()
    changed = [[*row[:2], "99.00" if row[0] == "KT-012" else row[2], row[3]] for row in ROWS] + [[*ROWS[0][:3], "400"]]
    parts(tmp_path / "edit", changed, [15])
    made = neat_delta("compare", "items-*.csv", "edit", "-o", "c.jsonl", "--ignore", "large change", cwd=tmp_path)
    assert "items-1.csv line 2, items-2.csv line" in " ".join(made.stdout.split())
    for path in tmp_path.glob("items-*.csv"):
        path.unlink()
    written = neat_delta("write", "c.jsonl", "-o", "up", cwd=tmp_path)
    assert written.returncode == 1, written.stderr  # (the item that is there twice is not sent)
    [update] = (tmp_path / "up").glob("01*.csv")
    assert "KT-012" in update.read_text()


def test_missing_parts_are_said_and_nothing_is_deleted_or_added_for_them(tmp_path):
    parts(tmp_path, ROWS, [7, 19])
    write_table(tmp_path / "live.csv", [HEADER, *ROWS])
    (tmp_path / "items-2.csv").unlink()
    shown = neat_delta("compare", "live.csv", "items-*.csv", cwd=tmp_path)
    assert "missing file, going by the names: items-2.csv" in shown.stdout
    refused = neat_delta("compare", "live.csv", "items-*.csv", "--delete-missing", "99", cwd=tmp_path)
    assert (refused.returncode, "items-2.csv" in refused.stderr) == (2, True)
    refused = neat_delta("compare", "items-*.csv", "live.csv", "--add-new", cwd=tmp_path)
    assert (refused.returncode, "items-2.csv" in refused.stderr) == (2, True)


@pytest.mark.parametrize(
    ("names", "missing"),
    [
        (["a-1.csv", "a-2.csv", "a-4.csv"], ["a-3.csv"]),
        (["a-09.csv", "a-10.csv"], []),
        (["a-2.csv", "a-3.csv"], ["a-1.csv"]),
        (["x-1-of-3.csv", "x-3-of-3.csv"], ["x-2-of-3.csv"]),
        (["kelp-20261128.csv", "kelp-20261130.csv"], []),
        (["prices.csv", "stock.csv"], []),
        (["a-1.csv", "a-40.csv"], []),
    ],
)
def test_gaps_in_numbered_names(names, missing):
    assert missing_parts(names) == missing


def test_the_newest_is_told_by_the_date_in_its_name_or_by_its_time(tmp_path):
    dated = ["kelp-2026-09-30.csv", "kelp-2026-10-01.csv", "kelp-2025-12-31.csv"]
    for at, name in enumerate(dated):
        write_table(tmp_path / name, [HEADER, ROWS[at]])
    assert read_table(parse_location(f"newest:{tmp_path}/kelp-*.csv")).source.name == "kelp-2026-10-01.csv"
    write_table(tmp_path / "kelp-last.csv", [HEADER, ROWS[5]])
    os.utime(tmp_path / "kelp-2025-12-31.csv", (2e9, 2e9))
    assert read_table(parse_location(f"newest:{tmp_path}")).source.name == "kelp-2025-12-31.csv"
    members = [Member(tmp_path / name, name) for name in ("a.csv", "b.csv")]
    with pytest.raises(InvalidInput, match="cannot tell which file is the newest"):
        newest_of(members, FileSet("newest:x", ()))


def test_names_in_the_order_of_their_numbers():
    assert sorted(["a-10", "a-9", "B-1", "a"], key=natural) == ["a", "a-9", "a-10", "B-1"]


def test_a_file_of_exactly_that_name_comes_first(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    for name in ("a+b.csv", "a", "b.csv", "items[1].csv"):
        write_table(tmp_path / name, [HEADER, ROWS[0]])
    assert not isinstance(parse_location("a+b.csv"), FileSet)
    assert not isinstance(parse_location("items[1].csv"), FileSet)
    assert len(parse_location("a+items[1].csv").parts) == 2
    assert not isinstance(parse_location("nothing+there.csv"), FileSet)
    several = parse_location("https://shop.example/a+b.csv?x=1 + sftp://files.example/c.csv")
    assert [part.name for part in several.parts] == ["a+b.csv", "c.csv"]


def test_dated_names_are_those_of_today():
    now = datetime(2026, 3, 1, 4, 5, tzinfo=UTC)
    assert with_dates("a-{date}.csv", now) == "a-2026-03-01.csv"
    assert with_dates("{date-1:%d.%m.%Y}/{other}.csv", now) == "28.02.2026/{other}.csv"
    with pytest.raises(InvalidOption, match="no form for a date"):
        with_dates("{date:%Q}", now)


@pytest.mark.parametrize(
    "text",
    ["a**b.csv", "[", "**", "", " ", ".", "+", "a+", "x" * 300, "x" * 300 + "*", "a\0b*", "newest:x\0", "C:\\x\\*.csv"],
)
def test_odd_names_are_no_faults(tmp_path, monkeypatch, text):
    monkeypatch.chdir(tmp_path)
    with pytest.raises((InvalidInput, InvalidOption)):
        read_table(parse_location(text))


def test_the_newest_of_nothing_is_asked_for():
    with pytest.raises(InvalidOption, match="the newest of what"):
        parse_location("newest:")

import codecs

import pytest

from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.matching import match_columns
from neat_delta.reading import read_pair, read_table, sha256_hex


def read(tmp_path, data: bytes):
    path = tmp_path / "file.csv"
    path.write_bytes(data)
    return read_table(path)


def rows(catalogue):
    return catalogue.cells(catalogue.names).rows()


@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
@pytest.mark.parametrize(
    ("charset", "mark"),
    [
        ("utf-8", b""),
        ("utf-8", codecs.BOM_UTF8),
        ("utf-16-le", codecs.BOM_UTF16_LE),
        ("utf-16-be", codecs.BOM_UTF16_BE),
        ("cp1252", b""),
    ],
)
def test_delimiter_and_character_set_are_recognised(tmp_path, delimiter, charset, mark):
    text = 'sku;name;price\n000417;Café crème;1,5\nQX-1;"a;b ""c""";2\n'.replace(";", delimiter)

    found = read(tmp_path, mark + text.encode(charset))

    assert (found.format.delimiter, found.format.encoding, found.format.bom) == (delimiter, charset, bool(mark))
    quoted = f'a{delimiter}b "c"'
    if delimiter != ",":
        assert rows(found) == [("000417", "Café crème", "1,5"), ("QX-1", quoted, "2")]


@pytest.mark.parametrize("line_end", ["\n", "\r\n", "\r"])
def test_line_ends_inside_cells_are_kept(tmp_path, line_end):
    inside = "one\r\ntwo\n" if line_end != "\r" else "one two"
    found = read(tmp_path, f'sku,note{line_end}1,"{inside}"{line_end}2,x{line_end}'.encode())

    assert found.format.line_end == line_end
    assert rows(found) == [("1", inside), ("2", "x")]


@pytest.mark.parametrize("mark", [b"", codecs.BOM_UTF8])
@pytest.mark.parametrize("end", [b"", b"\n"])
def test_a_byte_order_mark_in_the_midst_belongs_to_its_cell(tmp_path, mark, end):
    found = read(tmp_path, mark + "sku\n\ufeffA\n\ufeff".encode() + end)

    assert rows(found) == [("\ufeffA",), ("\ufeff",)]
    assert found.cells(["sku"], found.rows.line.arg_sort().tail(1)).rows() == [("\ufeff",)]


def test_rows_know_their_line(tmp_path):
    found = read(tmp_path, b'sku,note\n\n1,"a\nb\n\nc"\n,\n2,x\n\n')

    assert rows(found) == [("1", "a\nb\n\nc"), ("2", "x")]
    assert found.rows.line.to_list() == [3, 8]


def test_every_bad_row_is_named_and_the_good_ones_go_on(tmp_path):
    found = read(tmp_path, b'sku,name\n1,a,b\n2\n3,"open\n4,d\n5,"x"y\n6,6" pipe\n7,g\n')

    assert [(sku, name) for sku, name in rows(found)] == [("4", "d"), ("6", '6" pipe'), ("7", "g")]
    said = dict(found.unreadable_rows.select("line", "message").iter_rows())
    assert said[2] == "too many cells: 3, but the header has 2"
    assert said[3] == "too few cells: 1, but the header has 2"
    assert "missing closing quote" in said[4]
    assert "quote in the middle of a cell" in said[6]
    assert set(said) == {2, 3, 4, 6}


def test_a_long_damaged_record_is_named_in_good_time(tmp_path):
    """Each of these would take hours if any expression tried its choices again and again."""
    long = [b'1,"' + b"x," * 50_000 + b'"y', b"2," + b'""' * 50_000, b'3,"' + b'""' * 50_000 + b'"x']
    folded = b'4,"' + b'\n<p class=""a"">text</p>' * 4_000 + b'"'

    found = read(tmp_path, b"sku,name\n" + b"\n".join([*long, folded, b"5,e\n"]))

    assert [sku for sku, _ in rows(found)] == ["2", "4", "5"]
    assert len(rows(found)[1][1].splitlines()) == 4_001
    assert found.unreadable_rows["line"].to_list() == [2, 4]


def test_undecodable_bytes_spoil_only_their_line(tmp_path):
    found = read(tmp_path, "sku,name\n1,Käse\n2,".encode() + b"K\xe4se\n3,x\n")

    assert [row[0] for row in rows(found)] == ["1", "3"]
    assert found.unreadable_rows.select("line", "message").rows() == [(3, "the line has bytes that are not UTF-8 text")]


def test_two_files_read_together_are_read_as_each_alone(tmp_path):
    live, edited = tmp_path / "live.csv", tmp_path / "edited.csv"
    live.write_bytes(b"sku,name\n1,a\n2,b\n3,c\n")
    edited.write_bytes(b'sku,name\n1,a\n2,"b\nb"\n3,c\n4\n')

    together, alone = read_pair(live, edited)[1], read_table(edited)

    assert rows(together) == rows(alone) == [("1", "a"), ("2", "b\nb"), ("3", "c")]
    assert together.unreadable_rows.equals(alone.unreadable_rows)
    assert together.source.sha256 == sha256_hex(edited.read_bytes())


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"", "empty"),
        (b" \n\n", "empty"),
        (b"PK\x03\x04zip", "workbook"),
        (b"\x89PNG\r\n\x1a\n\0\0\0", "not a table file"),
        (b"\x7fELF\x02\x01\x01\0", "not a table file"),
        (b"sku,Name,name\n1,a,b\n", "duplicate column name"),
        (b'sku,"name\n1,a\n', "cannot read the header row"),
    ],
)
def test_a_file_that_is_no_table_is_refused_with_the_reason(tmp_path, data, reason):
    with pytest.raises(InvalidInput, match=reason):
        read(tmp_path, data)


def test_a_fault_of_the_header_is_told_with_its_line(tmp_path):
    with pytest.raises(InvalidInput, match="line 3"):
        read(tmp_path, b"Items of the day\n\nsku,Name,name\n1,a,b\n2,c,d\n")
    (tmp_path / "live.csv").write_bytes(b"sku,name\n1,a\n")
    (tmp_path / "file.csv").write_bytes(b"Items of the day\n\nOurs,Article\n1,a\n2,b\n")
    with pytest.raises(InvalidOption, match="line 3"):
        match_columns(*read_pair(tmp_path / "live.csv", tmp_path / "file.csv"))


def test_missing_file_and_folder_are_refused(tmp_path):
    with pytest.raises(InvalidInput, match="file not found"):
        read_table(tmp_path / "nothing.csv")
    with pytest.raises(InvalidInput, match="folder"):
        read_table(tmp_path)


@pytest.mark.parametrize(
    ("rows", "lacking"),
    [
        ("A,x,1\nB,y,2\n", 2),
        ('A,"x\ny",1\nB,"a,,,\nb",2\n\nC,z,3\n', 2),
        ("A,x,1,\nB,y,2,\n", 1),
    ],
)
def test_rows_that_all_lack_the_same_last_cells_are_read_with_blank_ones(tmp_path, rows, lacking):
    (tmp_path / "short.csv").write_text(f"sku,name,price,note,tag\n{rows}")

    table = read_table(tmp_path / "short.csv")

    assert (table.blank_columns, len(table.unreadable_rows)) == (lacking, 0)
    assert table.cells(["sku", "price", "tag"]).rows()[:2] == [("A", "1", ""), ("B", "2", "")]


@pytest.mark.parametrize("rows", ["A,x,1,n,t\nB,y,2\nC,z,3\n", "A,x,1\nB,y,2,n\n", "A,x,1\n"])
def test_where_only_some_rows_lack_cells_they_are_refused(tmp_path, rows):
    (tmp_path / "short.csv").write_text(f"sku,name,price,note,tag\n{rows}")

    table = read_table(tmp_path / "short.csv")

    assert table.blank_columns == 0
    assert set(table.unreadable_rows["message"].str.slice(0, 13)) == {"too few cells"}

"""Files too large to be held in memory: read from disk in pieces, with the very same result."""

import gzip
import random
import re
import threading

import polars as pl
import pytest

from helpers import neat_delta, write_table
from neat_delta.base.errors import InvalidInput
from neat_delta.changeset.serialization import dump_changes
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.files.content import on_disk
from neat_delta.files.memory import limited_to, parse_size
from neat_delta.reading import csv_rows, read_pair, read_table

HEADER = ["sku", "name", "price", "note"]
HTML = '<div class="x">\n<p>A "frame", 21" wide</p>\n</div>'


def rows(edited: bool):
    chance = random.Random(7)
    made = []
    for at in range(3_000):
        note = HTML if at % 4 == 0 else f"note {chance.randrange(50)}, é" * (at % 3)
        price = f"{chance.randrange(9_000) / 100 + 1:.2f}"
        made.append([f"K{at:05}", f"Café {at}", "7.77" if edited and at % 50 == 1 else price, note])
    return made


FORMS = {
    "plain": lambda text: text.encode(),
    "with a mark": lambda text: text.encode("utf-8-sig"),
    "Windows": lambda text: text.replace("\n", "\r\n").encode("cp1252"),
    "UTF-16": lambda text: text.encode("utf-16"),
    "gzip": lambda text: gzip.compress(text.encode()),
    "old Macintosh": lambda text: text.replace(HTML.replace('"', '""'), "<p>").replace("\n", "\r").encode(),
    "damaged": lambda text: (
        text.encode().replace(b"note 7", b"note \xff", 3).replace(b"K00400,Caf\xc3\xa9", b'K00400,"Caf', 1)
    ),
}


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("order", ["same", "shuffled", "other delimiter"])
def test_a_comparison_from_disk_is_the_same_as_one_in_memory(tmp_path, monkeypatch, form, order):
    for name in ("live", "edited"):
        table = rows(name == "edited")
        if name == "edited" and order == "shuffled":
            random.Random(1).shuffle(table)
        delimiter = ";" if name == "edited" and order == "other delimiter" else ","
        path = write_table(tmp_path / f"{name}.csv", [HEADER, *table], delimiter=delimiter)
        path.write_bytes(FORMS[form](path.read_bytes().decode()))
    monkeypatch.setattr(csv_rows, "BLOCK", 10_000)

    def compared():
        live, edited = read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")
        changes = dump_changes(compare(live, edited, CompareOptions()).changes)
        return re.sub(rb'"made":"[^"]+"', b"", changes), live

    in_memory, _ = compared()
    with limited_to(16_000):
        from_disk, live = compared()

    assert b'"7.77"' in in_memory
    assert from_disk == in_memory
    assert type(live.rows.text).__name__ == "ContentOnDisk"
    assert sum(cells.estimated_size() for cells in live.rows.parsed.values()) <= 16_000


def test_a_file_that_changes_while_it_is_read_is_refused(tmp_path):
    path = write_table(tmp_path / "live.csv", [HEADER, *rows(False)])
    with limited_to(16_000):
        table = read_table(path)
    with path.open("ab") as file:
        file.write(b"K9,late,1.00,x\n")

    with pytest.raises(InvalidInput, match="changed while it was read"):
        table.cells(["note"])


def test_a_full_disk_is_said_with_the_folder(tmp_path, monkeypatch):
    path = tmp_path / "live.csv.gz"
    path.write_bytes(gzip.compress(write_table(tmp_path / "live.csv", [HEADER, *rows(False)]).read_bytes()))

    def full(*_, **__):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("tempfile.TemporaryFile", full)
    with limited_to(16_000), pytest.raises(InvalidInput, match="no room") as refused:
        read_table(path)
    assert "TMPDIR" in str(refused.value)


def test_many_threads_read_one_file(tmp_path):
    content = on_disk(write_table(tmp_path / "live.csv", [HEADER, *rows(False)]))
    whole = content.read(0, len(content))
    seen = []

    def read():
        seen.append(all(content.read(at, at + 999) == whole[at : at + 999] for at in range(0, len(whole), 999)))

    threads = [threading.Thread(target=read) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert seen == [True] * 8


@pytest.mark.parametrize(("text", "size"), [("8GB", 8 << 30), ("1.5 g", 3 << 29), ("500 MiB", 500 << 20), ("300", 300)])
def test_amounts_of_memory_are_written_as_people_write_them(text, size):
    assert parse_size(text) == size


def test_the_option_is_heard_and_checked(tmp_path):
    write_table(tmp_path / "live.csv", [HEADER, *rows(False)])
    write_table(tmp_path / "edited.csv", [HEADER, *rows(True)])

    for size in ("8XB", "1MB", "-4GB"):
        refused = neat_delta("compare", "live.csv", "edited.csv", "--memory", size, cwd=tmp_path)
        assert (refused.returncode, "--memory" in refused.stderr) == (2, True)
    plain, told = (
        neat_delta("compare", "live.csv", "edited.csv", *more, cwd=tmp_path) for more in ([], ["--memory", "300MB"])
    )
    # (The next step is given with it.)
    assert told.stdout.count("--memory 300MB") > 0
    assert told.stdout.partition("result")[0] == plain.stdout.partition("result")[0]


def test_columns_that_there_is_no_room_for_are_parsed_again(tmp_path):
    table = read_table(write_table(tmp_path / "live.csv", [HEADER, *rows(False)]))
    with limited_to(2_000):
        tight = read_table(tmp_path / "live.csv")

    for names in (["note", "name"], ["price"], ["name", "sku"]):
        assert tight.cells(names).equals(table.cells(names))
        assert tight.cells(names, pl.Series([5, 3])).equals(table.cells(names)[[5, 3]])


def test_numbers_that_are_equal_by_chance_pair_no_rows(tmp_path, monkeypatch):
    live, edited = rows(False)[:300], rows(True)[:300]
    random.Random(2).shuffle(edited)
    pair = [write_table(tmp_path / f"{at}.csv", [HEADER, *table]) for at, table in enumerate((live, edited))]
    cells = compare(*read_pair(*pair), CompareOptions()).changes.cells

    monkeypatch.setattr(csv_rows.CsvRows, "hashes", lambda _, at: pl.zeros(len(at), dtype=pl.UInt64, eager=True))

    assert compare(*read_pair(*pair), CompareOptions()).changes.cells.equals(cells)
    assert len(cells) == 6

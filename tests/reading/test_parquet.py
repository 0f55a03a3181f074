"""Parquet in and out: exact values, clear refusals, updates that are proved."""

import datetime
import subprocess
import sys
from decimal import Decimal

import polars as pl
import pytest

from helpers import examples, neat_delta, write_table
from neat_delta.base.errors import InvalidInput
from neat_delta.files.memory import limited_to
from neat_delta.reading import read_table

LIVE = pl.DataFrame(
    {
        "sku": ["000417", "QX-1", "QX-2"],
        "price": pl.Series([Decimal("12.50"), Decimal("8.00"), None], dtype=pl.Decimal(10, 2)),
        "weight": [0.1, 1e-7, 25.0],
        "stock": [3, None, 120],
        "active": [True, False, None],
        "added": [datetime.date(2026, 3, 4), None, datetime.date(2025, 12, 31)],
        "seen": [datetime.datetime(2026, 3, 4, 5, 6, 7), None, datetime.datetime(2026, 1, 1, 0, 0, 0, 250_000)],
        "name": ["Käfig", 'lid "9"', "two\nlines"],
    }
)


def test_values_become_the_text_that_they_stand_for(tmp_path):
    LIVE.write_parquet(tmp_path / "live.parquet")
    table = read_table(tmp_path / "live.parquet")
    assert [list(row) for row in table.cells(table.names).rows()] == [
        ["000417", "12.50", "0.1", "3", "1", "2026-03-04", "2026-03-04T05:06:07", "Käfig"],
        ["QX-1", "8.00", "0.0000001", "", "0", "", "", 'lid "9"'],
        ["QX-2", "", "25", "120", "", "2025-12-31", "2026-01-01T00:00:00.250000", "two\nlines"],
    ]


@pytest.mark.parametrize(
    ("column", "said"),
    [(pl.Series("x", [[1], [2]]), "column x: a cell cannot hold"), (pl.Series("x", [1.0, float("nan")]), "infinite")],
)
def test_what_no_cell_can_hold_is_named(tmp_path, column, said):
    pl.DataFrame([pl.Series("sku", ["a", "b"]), column]).write_parquet(tmp_path / "x.parquet")
    with pytest.raises(InvalidInput, match=said):
        read_table(tmp_path / "x.parquet")


def test_a_value_that_is_there_a_billion_times_fills_no_memory(tmp_path):
    pl.DataFrame({"sku": pl.repeat("a", 30_000_000, eager=True), "x": 1}).write_parquet(tmp_path / "bomb.parquet")
    assert (tmp_path / "bomb.parquet").stat().st_size < 1_000_000
    with limited_to(500 << 20), pytest.raises(InvalidInput, match="more than the memory"):
        read_table(tmp_path / "bomb.parquet")


def test_a_damaged_file_is_an_error(tmp_path):
    LIVE.write_parquet(tmp_path / "live.parquet")
    data = (tmp_path / "live.parquet").read_bytes()
    for cut in (4, 100, len(data) - 5):
        (tmp_path / "cut.parquet").write_bytes(data[:cut])
        with pytest.raises(InvalidInput, match="damaged"):
            read_table(tmp_path / "cut.parquet")


def test_a_damaged_file_is_named_in_one_line_and_the_stream_is_what_it_was(tmp_path):
    LIVE.write_parquet(tmp_path / "live.parquet")
    data = bytearray((tmp_path / "live.parquet").read_bytes())
    for at in range(3, len(data), 61 if examples(1) > 1 else 122):  # (each is read by a process of its own)
        spoilt = data[:]
        spoilt[at] ^= 0x41
        (tmp_path / f"{at}.parquet").write_bytes(spoilt)
    code = (
        "import sys\nfrom neat_delta.locations import parse_location as p\nfrom neat_delta.reading import read_table\n"
    )
    code += "for path in sys.argv[1:]:\n    try:\n        read_table(p(path))\n    except Exception as error:\n"
    code += "        print(type(error).__name__)\nprint('still here', file=sys.stderr)\n"
    paths = sorted(tmp_path.glob("[0-9]*.parquet"))
    done = subprocess.run([sys.executable, "-c", code, *paths], capture_output=True, text=True, check=True)
    assert set(done.stdout.split()) <= {"InvalidInput"}
    assert done.stderr == "still here\n"


@pytest.mark.parametrize("comma", [False, True])
def test_an_update_has_numbers_as_such_and_text_as_text(tmp_path, comma):
    def number(text):
        return text.replace(".", ",") if comma else text

    rows = [["sku", "price", "stock", "name"], *([f"{n:05}", number(f"{n}.50"), str(n), "a"] for n in range(1, 9))]
    write_table(tmp_path / "live.csv", rows, delimiter=";")
    rows[2][1], rows[3][2], rows[4][3], rows[5][1] = number("2.4"), "77", "007", number("5.255")
    write_table(tmp_path / "edited.csv", rows, delimiter=";")
    made = neat_delta(
        "compare", "live.csv", "edited.csv", "--write", "up", "--format", "parquet", "--ignore", "large change",
        cwd=tmp_path,
    )  # fmt: skip
    assert "proved" in made.stdout, made.stdout + made.stderr
    found = pl.concat([pl.read_parquet(path) for path in sorted((tmp_path / "up").glob("0*.parquet"))], how="diagonal")
    assert dict(found.schema) == {"sku": pl.String, "price": pl.Decimal(38, 3), "stock": pl.Int64, "name": pl.String}
    assert {row["sku"]: {k: v for k, v in row.items() if v is not None and k != "sku"} for row in found.to_dicts()} == {
        "00002": {"price": Decimal("2.400")},
        "00003": {"stock": 77},
        "00004": {"name": "007"},
        "00005": {"price": Decimal("5.255")},
    }

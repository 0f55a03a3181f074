"""The script in a real PostgreSQL, with columns of their own types; skipped where there is none."""

import os
import shutil
import subprocess
import tempfile
from pathlib import Path

import pytest

from helpers import update_files, write_table
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair
from neat_delta.update import WriteOptions
from neat_delta.update.write import write_update

PROGRAMS = next((path.parent for path in sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))), None)
INITDB = shutil.which("initdb", path=f"{PROGRAMS}{os.pathsep}{os.environ['PATH']}")

TABLE = (
    'CREATE TABLE items ("sku" text PRIMARY KEY, "Näme" text, "price" numeric(10,2), "stock" integer, "on sale" date)'
)
LIVE = [
    ["sku", "Näme", "price", "stock", "on sale"],
    ["A", "it's a \\ hive", "12.50", "3", "2026-03-04"],
    ["B", "two\nlines", "8.00", "", ""],
    ["C", "goes; away", "1.00", "0", "2026-05-01"],
    ["D", "", "2.00", "7", ""],
]
EDITED = [
    LIVE[0],
    ["A", "it's a \\ hive", "13.75", "", "2026-04-03"],
    ["B", 'one "line"', "8.00", "12", "2026-06-01"],
    ["D", "named; at -- last", "2", "7", ""],
    ["E", "new ''one", "3.10", "1", ""],
]


@pytest.fixture(scope="module")
def psql():
    """A server of its own on a socket in a temporary folder: runs SQL, gives rows as text."""
    if INITDB is None:
        pytest.skip("no PostgreSQL on this machine: apt install postgresql")
    home = Path(tempfile.mkdtemp(prefix="pg"))
    # The server refuses to run as root.
    user = {"user": "nobody", "group": "nogroup"} if os.getuid() == 0 else {}
    if user:
        shutil.chown(home, "nobody", "nogroup")
    tools, data = Path(INITDB).parent, home / "data"
    quiet = {"check": True, "capture_output": True, "cwd": home, **user}
    subprocess.run([INITDB, "-D", data, "-U", "shop", "-A", "trust", "-E", "UTF8", "--locale=C"], **quiet)
    options = f"-k {home} -c listen_addresses='' -c fsync=off"
    subprocess.run([tools / "pg_ctl", "-D", data, "-l", home / "log", "-o", options, "-w", "start"], **quiet)

    def run(text):
        call = [tools / "psql", "-h", home, "-U", "shop", "-d", "postgres", "-qAtX", "-v", "ON_ERROR_STOP=1", "-f", "-"]
        return subprocess.run(call, input=text, capture_output=True, text=True, cwd=home, check=False)

    yield run
    subprocess.run([tools / "pg_ctl", "-D", data, "-m", "immediate", "stop"], **quiet)
    shutil.rmtree(home, ignore_errors=True)


@pytest.fixture
def shop(psql):
    """The table as the live export has it, and a way to see it."""
    rows = ", ".join(
        "(" + ", ".join("NULL" if cell == "" else "'" + cell.replace("'", "''") + "'" for cell in row) + ")"
        for row in LIVE[1:]
    )
    made = psql(f"DROP TABLE IF EXISTS items; {TABLE}; INSERT INTO items VALUES {rows};")
    assert made.returncode == 0, made.stderr
    return lambda: psql("COPY (SELECT * FROM items ORDER BY sku) TO STDOUT WITH (FORMAT csv);").stdout


def script(tmp_path):
    a, b = write_table(tmp_path / "live.csv", LIVE), write_table(tmp_path / "edited.csv", EDITED)
    ours, edited = read_pair(a, b)
    seen = compare(ours, edited, CompareOptions(clear_blanks=True, add_new=True, delete_at_most=9))
    write_update(seen.changes, ours, tmp_path / "up", options=WriteOptions(output_format="sql"))
    return [path.read_text() for folder in ("up", "up/undo") for path in update_files(tmp_path / folder)]


def test_the_script_makes_the_edited_catalogue_and_the_undo_the_live_one(tmp_path, psql, shop):
    there, back = script(tmp_path)
    before = shop()

    done = psql(there)

    assert done.returncode == 0, done.stderr
    assert shop().splitlines() == [
        "A,it's a \\ hive,13.75,,2026-04-03",
        'B,"one ""line""",8.00,12,2026-06-01',
        "D,named; at -- last,2.00,7,",
        "E,new ''one,3.10,1,",
    ]
    assert psql(back).returncode == 0
    assert shop() == before


@pytest.mark.parametrize("moved", ["UPDATE items SET price = 9 WHERE sku = 'A'", "DELETE FROM items WHERE sku = 'C'"])
def test_nothing_happens_where_the_shop_is_not_as_the_export_has_it(tmp_path, psql, shop, moved):
    there, _ = script(tmp_path)
    psql(moved)
    before = shop()

    assert "neat_delta_guard" in psql(there).stderr
    assert shop() == before

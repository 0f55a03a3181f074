"""Update scripts in the words of each database, run by its own client on a real server."""

import os
import sqlite3
import subprocess
from pathlib import Path

import pytest

from database_servers import MISSING, PASSWORD, PG, SERVERS
from helpers import update_files, write_table
from neat_delta.base.errors import WriteError
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair
from neat_delta.update import WriteOptions
from neat_delta.update.write import write_update

TYPES = {
    "sku": "varchar(40) primary key",
    "näme": "text",
    "price": "numeric(10,2)",
    "stock": "integer",
    "on sale": "date",
}
LIVE = [
    list(TYPES),
    ["A", 'it\'s a \\ "hive" 50 % :x', "12.50", "3", "2026-03-04"],
    ["B", "two\nlines; -- Käfig", "8.00", "", ""],
    ["C", "goes; away", "1.00", "0", "2026-05-01"],
    ["D", "", "2.00", "7", ""],
]
EDITED = [
    LIVE[0],
    ["A", "it's a \\n \\\\ `hive`", "13.75", "", "2026-04-03"],
    ["B", 'one "line" \\', "8.00", "12", "2026-06-01"],
    ["D", "named; at -- last", "2.00", "7", ""],
    ["E", "new ''one", "3.10", "1", ""],
]


@pytest.fixture(scope="module", params=["postgresql", "mysql", "sqlite"])
def run(request, tmp_path_factory):
    """A database: its name, and what runs a script on it and gives what it prints."""
    if MISSING[request.param]:
        pytest.skip(MISSING[request.param])
    if request.param == "sqlite":
        base = sqlite3.connect(tmp_path_factory.mktemp("sqlite") / "shop.db", isolation_level=None)

        def on_sqlite(text, rows=False):
            try:
                return base.execute(text).fetchall() if rows else base.executescript(text)
            finally:
                if base.in_transaction:  # (as with any client that ends at an error)
                    base.execute("ROLLBACK")

        yield "sqlite", on_sqlite
        base.close()
        return
    with SERVERS[request.param]() as address:
        port = address.partition("@127.0.0.1:")[2].partition("/")[0]
        calls = {
            "postgresql": [Path(PG or "") / "psql", "-h", "127.0.0.1", "-p", port, "-U", "anna", "-d", "shop", "-qAtX",
                           "-0", "-F", "\x1f", "-v", "ON_ERROR_STOP=1", "-f", "-"],
            "mysql": ["mariadb", "--no-defaults", "-h", "127.0.0.1", "-P", port, "-u", "anna", "shop", "-N", "-B", "-r",
                      "--default-character-set=utf8mb4"],
        }  # fmt: skip

        def on_server(text, rows=False):
            env = os.environ | {"PGPASSWORD": PASSWORD, "MYSQL_PWD": PASSWORD}
            call = [str(word) for word in calls[request.param]]
            done = subprocess.run(call, input=text, capture_output=True, text=True, env=env, check=False)
            if done.returncode:
                raise sqlite3.Error(done.stderr)
            return done.stdout

        yield request.param, on_server


def fill(name, run):
    """The table of the live export, with columns of their own types."""
    sign = "`" if name == "mysql" else '"'
    columns = ", ".join(f"{sign}{column}{sign} {kind}" for column, kind in TYPES.items())

    def literal(cell):
        text = cell.replace("'", "''")
        return f"'{text.replace(chr(92), chr(92) * 2) if name == 'mysql' else text}'" if cell else "NULL"

    rows = ", ".join(f"({', '.join(map(literal, row))})" for row in LIVE[1:])
    run(f"DROP TABLE IF EXISTS items; CREATE TABLE items ({columns}); INSERT INTO items VALUES {rows};")


def state(name, run):
    order = "SELECT * FROM items ORDER BY sku"
    return run(order, rows=True) if name == "sqlite" else run(order + ";")


def scripts(tmp_path, name):
    live, edited = read_pair(write_table(tmp_path / "live.csv", LIVE), write_table(tmp_path / "edited.csv", EDITED))
    seen = compare(live, edited, CompareOptions(clear_blanks=True, add_new=True, delete_at_most=9))
    write_update(seen.changes, live, tmp_path / "up", options=WriteOptions(output_format=f"sql-{name}"))
    return [path.read_text() for folder in ("up", "up/undo") for path in update_files(tmp_path / folder)]


def test_a_script_makes_the_edited_catalogue_and_its_undo_the_live_one(tmp_path, run):
    name, on = run
    fill(name, on)
    before = state(name, on)
    there, back = scripts(tmp_path, name)
    on(there)
    after = state(name, on)
    shown = [str(row) for row in after] if name == "sqlite" else after
    for text in ("13.75", "2026-06-01", "new ''one", "named; at -- last"):
        assert text in (" ".join(shown).replace('"', "") if name == "sqlite" else shown)
    assert "goes; away" not in str(after)
    on(back)
    assert state(name, on) == before


@pytest.mark.parametrize(
    "moved", ["UPDATE items SET price = 9 WHERE sku = 'A'", "DELETE FROM items WHERE sku = 'C'",
              "INSERT INTO items (sku) VALUES ('E')"],
)  # fmt: skip
def test_nothing_happens_where_the_shop_is_not_as_the_export_has_it(tmp_path, run, moved):
    name, on = run
    fill(name, on)
    there, _ = scripts(tmp_path, name)
    on(moved + ";")
    before = state(name, on)
    with pytest.raises(sqlite3.Error):
        on(there)
    assert state(name, on) == before


@pytest.mark.parametrize(("text", "form", "said"), [("a\0b", "sql-mysql", "NUL"), ("a\\b", "sql", "backslash")])
def test_a_text_that_a_database_would_take_for_another_is_in_no_script(tmp_path, text, form, said):
    rows = [["sku", "name"], ["A", "lid"], ["B", "jar"]]
    live, edited = read_pair(
        write_table(tmp_path / "live.csv", rows), write_table(tmp_path / "edited.csv", [rows[0], ["A", text], rows[2]])
    )
    changes = compare(live, edited, CompareOptions()).changes
    with pytest.raises(WriteError, match=said):
        write_update(changes, live, tmp_path / "up", options=WriteOptions(output_format=form))
    assert not (tmp_path / "up").exists()

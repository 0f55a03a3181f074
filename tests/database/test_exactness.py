"""What databases do by themselves does no harm: collations, rounding, cutting, triggers, locks, options, brackets."""

import sqlite3
from contextlib import closing, contextmanager

import pytest

from database_servers import PASSWORD, PASSWORD_VARIABLE
from helpers import neat_delta, write_table
from neat_delta.base.errors import DeliveryError, InvalidInput, InvalidOption
from neat_delta.database import connection as connections
from neat_delta.database.connection import connected
from neat_delta.delivery.destinations import destination_of
from neat_delta.delivery.history import History
from neat_delta.delivery.send import send
from neat_delta.delivery.update_folder import load_update
from neat_delta.locations import parse_location
from neat_delta.reading import read_table

KINDS = ["postgresql", "mysql", "sqlite"]


@pytest.fixture
def table(server, monkeypatch, tmp_path):
    """Makes a table of items in the words of this database; gives its address, and what runs statements."""
    monkeypatch.setenv(PASSWORD_VARIABLE, PASSWORD)
    kind = server.partition(":")[0]

    def run(*statements):
        with connected(parse_location(f"{server}?table=items"), write=True) as base:
            for statement in statements:
                found = base.exec_driver_sql(statement.replace("%", "%%"))
            rows = [tuple(row) for row in found] if found.returns_rows else []
            base.commit()
        return rows

    def make(columns, *rows):
        if columns.get(kind) is None:
            pytest.skip(f"not about {kind}")
        run("DROP TABLE IF EXISTS items", f"CREATE TABLE items ({columns[kind]})")
        for row in rows:
            run(f"INSERT INTO items VALUES ({', '.join('NULL' if cell is None else repr(cell) for cell in row)})")
        return f"{server}?table=items", run

    return make


def sent(folder, address, change, *words):
    """Send an update that changes some cells (row, column) of what the database has; the result, and the update."""
    header, *rows = [list(row) for row in exported(address)]
    for (code, column), text in change.items():
        next(row for row in rows if row[0] == code)[header.index(column)] = text
    write_table(folder / "edited.csv", [header, *rows])
    done = neat_delta("compare", address, "edited.csv", "-o", "c.jsonl", "--write", "up", "--overwrite",
                      "--base", "none", *words, cwd=folder, **environment())  # fmt: skip
    assert (folder / "up").is_dir(), done.stdout + done.stderr
    return neat_delta("send", "up", "--to", address, "-y", cwd=folder, **environment())


def exported(address):
    found = read_table(parse_location(address))
    return [[field.column for field in found.fields], *map(list, found.cells(found.names).rows())]


def environment():
    return {PASSWORD_VARIABLE: PASSWORD}


@pytest.mark.parametrize(("one", "other"), [("ab-1", "AB-1"), ("Kase", "Käse")])
def test_a_key_is_a_text_to_the_byte_whatever_the_columns_collation(table, tmp_path, one, other):
    address, run = made_folding(table, one)
    run(f"INSERT INTO items VALUES ('{one}', 1.5)", f"INSERT INTO items VALUES ('{other}', 2.5)")

    done = sent(tmp_path, address, {(one, "price"): "9.75"})

    assert done.returncode == 0, done.stderr
    assert {code: float(price) for code, price in run("SELECT sku, price FROM items")} == {one: 9.75, other: 2.5}


def made_folding(table, one):
    columns = {
        "postgresql": 'sku text COLLATE "folded", price numeric(8,2)',
        "mysql": "sku varchar(20) COLLATE utf8mb4_general_ci, price decimal(8,2)",
        "sqlite": "sku text COLLATE NOCASE, price numeric" if one == "ab-1" else None,
    }
    plain = {kind: "sku text" if kind == "postgresql" else text for kind, text in columns.items()}
    address, run = table(plain)
    if address.startswith("postgresql"):
        run(
            "DROP TABLE items",
            "CREATE COLLATION IF NOT EXISTS folded (provider = icu, locale = 'und-u-ks-level1', deterministic = false)",
            f"CREATE TABLE items ({columns['postgresql']})",
        )
    return address, run


@pytest.mark.parametrize(
    ("columns", "change"),
    [
        ({"mysql": "float", "postgresql": "real"}, "16777217"),
        ({"postgresql": "timestamp(0)"}, "2026-03-04 05:06:07.6"),
        ({"mysql": "datetime"}, "2026-03-04 05:06:07.6"),
        ({"mysql": "varchar(20) CHARACTER SET latin1"}, "日本"),
        ({"postgresql": "varchar(2)", "mysql": "tinyint"}, "300"),
        ({"mysql": "enum('1', 'ok')"}, "no"),
    ],
)
def test_a_value_that_the_database_would_change_changes_nothing(table, tmp_path, columns, change):
    first = "2026-01-01 00:00:00" if "-" in change else "1"
    address, run = table(
        {kind: f"sku varchar(9) PRIMARY KEY, what {text}, stock integer" for kind, text in columns.items()},
        ("A", first, 5), ("B", first, 6),
    )  # fmt: skip
    before = run("SELECT * FROM items ORDER BY sku")
    given = {("A", "what"): change, ("B", "stock"): "60"}
    done = sent(tmp_path, address, given, "--type", "what=text", "--as-typed", "what")

    after = run("SELECT * FROM items ORDER BY sku")
    if done.returncode == 1:  # (refused row by row: the other row has changed)
        assert (after[0], after[1][2]) == (before[0], 60)
    else:
        assert (done.returncode, after) == (4, before), done.stdout
        assert "the database does not keep what is sent" in done.stderr


TRIGGERS = {
    "sqlite": {
        "changes": "CREATE TRIGGER t AFTER UPDATE OF price ON items BEGIN UPDATE items SET price = 1; END",
        "suppresses": "CREATE TRIGGER t BEFORE UPDATE ON items BEGIN SELECT RAISE(IGNORE); END",
    },
    "mysql": {"changes": "CREATE TRIGGER t BEFORE UPDATE ON items FOR EACH ROW SET NEW.price = 1"},
    "postgresql": {
        "changes": "BEGIN NEW.price := 1; RETURN NEW; END",
        "suppresses": "BEGIN RETURN NULL; END",
    },
}


@pytest.mark.parametrize("does", ["changes", "suppresses"])
def test_a_trigger_that_changes_or_suppresses_a_value_changes_nothing(table, tmp_path, does):
    address, run = table(dict.fromkeys(KINDS, "sku varchar(9) PRIMARY KEY, price numeric(8,2)"), ("A", 5), ("B", 6))
    kind = address.partition(":")[0]
    trigger = TRIGGERS[kind].get(does)
    if trigger is None:
        pytest.skip("no such trigger there")
    if kind == "postgresql":
        run(
            f"CREATE OR REPLACE FUNCTION f() RETURNS trigger AS $$ {trigger} $$ LANGUAGE plpgsql",
            "CREATE TRIGGER t BEFORE UPDATE ON items FOR EACH ROW EXECUTE FUNCTION f()",
        )
    else:
        run(trigger)
    before = run("SELECT * FROM items ORDER BY sku")

    done = sent(tmp_path, address, {("A", "price"): "7.00"})

    assert (done.returncode, run("SELECT * FROM items ORDER BY sku")) == (4, before)
    assert "nothing was changed" in done.stderr
    listed = neat_delta("history", cwd=tmp_path).stdout
    assert "1 update not sent" in listed


def test_a_number_of_single_precision_has_all_its_digits(table, tmp_path):
    address, run = table({"mysql": "sku varchar(9) PRIMARY KEY, size float, name varchar(9)"}, ("A", 1234567.8, "a"))
    assert exported(address)[1][1] == "1234567.8"
    assert sent(tmp_path, address, {("A", "name"): "b", ("A", "size"): "0.1"}).returncode == 0
    assert exported(address)[1] == ["A", "0.1", "b"]
    query = address.replace("?table=items", "?query=SELECT * FROM items")
    assert exported(query)[1][1] == "0.1"
    assert run("SELECT count(*) FROM items") == [(1,)]


def test_keys_of_a_fixed_length_come_without_spaces(table, tmp_path):
    address, run = table(
        dict.fromkeys(["postgresql", "mysql"], "sku char(9) PRIMARY KEY, kind char(5), price numeric(8,2)"),
        ("A1", "x", 5), ("B1", "y", 6),
    )  # fmt: skip
    assert [row[:2] for row in exported(address)[1:]] == [["A1", "x"], ["B1", "y"]]
    assert sent(tmp_path, address, {("A1", "price"): "7.50", ("B1", "kind"): "z"}).returncode == 0
    assert sorted((code.strip(), kind.strip(), float(price)) for code, kind, price in run("SELECT * FROM items")) == [
        ("A1", "x", 7.5), ("B1", "z", 6.0),
    ]  # fmt: skip


def test_a_blank_text_and_null_stay_what_they_are(table, tmp_path):
    address, run = table(
        dict.fromkeys(
            KINDS,
            "sku varchar(9) PRIMARY KEY, must varchar(9) NOT NULL DEFAULT '', blank varchar(9), none_yet varchar(9)",
        ),
        ("A", "", "", None), ("B", "", "", None),
    )  # fmt: skip
    before = run("SELECT * FROM items ORDER BY sku")
    change = {("A", "must"): "x", ("A", "blank"): "y", ("A", "none_yet"): "z"}
    assert sent(tmp_path, address, change).returncode == 0
    undone = neat_delta("undo", "c.jsonl", "--fresh", address, "-o", "back", cwd=tmp_path, **environment())
    assert undone.returncode == 0, undone.stderr
    back = neat_delta("send", "back", "--to", address, "-y", cwd=tmp_path, **environment())
    assert back.returncode == 0, back.stdout + back.stderr
    assert run("SELECT * FROM items ORDER BY sku") == before


def test_a_lock_of_another_session_is_waited_for_and_named(table, tmp_path, monkeypatch):
    address, _ = table(dict.fromkeys(KINDS, "sku varchar(9) PRIMARY KEY, price numeric(8,2)"), ("A", 5))
    monkeypatch.setattr(connections, "LOCK_TIME", 1)
    sent_first = sent(tmp_path, address, {("A", "price"): "6.00"})
    assert sent_first.returncode == 0
    write_table(tmp_path / "edited.csv", [["sku", "price"], ["A", "7.00"]])
    neat_delta("compare", address, "edited.csv", "--write", "two", "--base", "none", cwd=tmp_path, **environment())
    with connected(parse_location(address), write=True) as other:
        other.exec_driver_sql("BEGIN IMMEDIATE") if "sqlite" in address else None
        other.exec_driver_sql("UPDATE items SET price = 8")
        with pytest.raises(DeliveryError, match="another session holds a lock"):
            send(load_update(tmp_path / "two"), destination_of(parse_location(address)), History(tmp_path / "h.sqlite"))
        other.rollback()


@pytest.mark.parametrize(
    "text",
    [
        "postgresql://db.example/shop?table=items&hostaddr=10.0.0.9", "postgresql://db.example/shop?table=i&host=evil",
        "mysql://db.example/shop?unix_socket=/tmp/x&table=i", "mysql://db.example/shop?init_command=DELETE&table=i",
        "mysql://db.example/shop?table=i&port=", "postgresql://db.example/shop?options=-c&table=i",
        "mysql://db.example/shop?local_infile=1&table=i", "postgresql://db.example/shop?service=x&table=i",
        "mysql://db.example/shop?connect_timeout=soon&table=i", "sqlite:///shop.db?mode=rwc&table=items",
        "mysql://db.example/shop?read_default_file=/x&table=i", "postgresql://db.example/shop?passfile=x&table=i",
    ],
)  # fmt: skip
def test_options_that_lead_elsewhere_are_refused(text):
    with pytest.raises(InvalidOption):
        parse_location(text)


@pytest.mark.parametrize(
    "query",
    [
        "SELECT 1) AS a; DELETE FROM items; SELECT * FROM (SELECT 1", "SELECT 1) AS a UNION SELECT * FROM (SELECT 2",
        "SELECT 1; DELETE FROM items", "SELECT 1 /*!50000 ) AS a; DELETE FROM items */", "DELETE FROM items", "",
        "SELECT 1) TO STDOUT; DELETE FROM items; COPY (SELECT 1", "SELECT '", "SELECT ((1)",
    ],
)  # fmt: skip
def test_a_query_is_one_select_and_changes_nothing(table, query):
    address, run = table(dict.fromkeys(KINDS, "sku varchar(9) PRIMARY KEY, price numeric(8,2)"), ("A", 5))
    with pytest.raises((InvalidInput, InvalidOption)):
        read_table(parse_location(address.replace("?table=items", f"?query={query}")))
    assert run("SELECT count(*) FROM items") == [(1,)]


def test_brackets_and_semicolons_in_texts_of_a_query_are_texts(table):
    address, _ = table(dict.fromkeys(KINDS, "sku varchar(9) PRIMARY KEY, price numeric(8,2)"), ("A", 5))
    query = "SELECT sku, ';)(' AS note, (price + (1)) AS more FROM items -- )"
    assert exported(address.replace("?table=items", f"?query={query}"))[1][:2] == ["A", ";)("]


@contextmanager
def folding_table(path):
    with closing(sqlite3.connect(path, isolation_level=None)) as base:
        base.execute("CREATE TABLE items (sku TEXT COLLATE NOCASE, price TEXT)")
        base.executemany("INSERT INTO items VALUES (?, ?)", [("ab-1", "1.00"), ("AB-1", "1.00"), ("c", "1.00")])
        yield base


def test_a_script_stops_where_a_collation_makes_two_keys_one(tmp_path):
    rows = [["sku", "price"], ["ab-1", "1.00"], ["AB-1", "1.00"], ["c", "1.00"]]
    write_table(tmp_path / "live.csv", rows)
    write_table(tmp_path / "edited.csv", [rows[0], ["ab-1", "2.00"], *rows[2:]])
    neat_delta("compare", "live.csv", "edited.csv", "--write", "up", "--format", "sql-sqlite", cwd=tmp_path)
    with folding_table(tmp_path / "shop.db") as base:
        with pytest.raises(sqlite3.IntegrityError):
            base.executescript((tmp_path / "up" / "01-update.sql").read_text())
        base.execute("ROLLBACK")
        assert base.execute("SELECT count(*) FROM items WHERE price = '1.00'").fetchone() == (3,)


def test_scripts_say_their_encoding_and_none_for_any_database_has_a_backslash(tmp_path):
    write_table(tmp_path / "live.csv", [["sku", "name"], ["A", "a"]])
    write_table(tmp_path / "edited.csv", [["sku", "name"], ["A", "C:\\Käse\\"]])
    for form, first in (("sql-mysql", "SET NAMES utf8mb4;"), ("sql-postgresql", "SET client_encoding = 'UTF8';")):
        neat_delta("compare", "live.csv", "edited.csv", "--write", form, "--format", form, cwd=tmp_path)
        assert (tmp_path / form / "01-update.sql").read_text("utf-8").splitlines()[0] == first
    done = neat_delta("compare", "live.csv", "edited.csv", "--write", "up", "--format", "sql", cwd=tmp_path)
    assert (done.returncode, (tmp_path / "up").exists()) == (3, False)
    assert "a backslash cannot be written safely into a script for any database" in done.stderr

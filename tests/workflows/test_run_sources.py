"""Runs whose files have dates in their names, are several, or are a table of a database."""

import json
import sqlite3
from datetime import datetime

from helpers import neat_delta, write_table

LIVE = [["sku", "name", "price"], ["KT-1", "lid", "10.00"], ["KT-2", "jar", "20.00"], ["KT-3", "wax", "30.00"]]


def test_todays_file_and_the_newest_export_and_parts_are_fetched_and_kept(tmp_path):
    (tmp_path / "out").mkdir()
    write_table(tmp_path / "out" / "export-2026-01-01.csv", [LIVE[0], ["KT-9", "old", "1.00"]])
    write_table(tmp_path / "out" / "export-2026-01-02.csv", LIVE)
    today = f"{datetime.now().astimezone():%d.%m.%Y}"
    write_table(tmp_path / f"kelp {today} 1.csv", [*LIVE[:2], ["KT-2", "jar", "21.00"]])
    write_table(tmp_path / f"kelp {today} 2.csv", [LIVE[0], ["KT-3", "wax", "31.00"]])
    (tmp_path / "inbox").mkdir()
    (tmp_path / "night.toml").write_text(
        'live = "newest:out"\nedited = "kelp {date:%d.%m.%Y} *.csv"\nto = "inbox"\nhistory = "h.sqlite"\n'
    )

    done = neat_delta("run", "night.toml", cwd=tmp_path)

    assert done.returncode == 0, done.stdout + done.stderr
    assert (tmp_path / "inbox" / "01-changes.csv").read_text() == "sku,price\nKT-2,21.00\nKT-3,31.00\n"
    [kept] = (tmp_path / "runs").glob("night-2*")
    assert (kept / "live-export-2026-01-02.csv").read_bytes() == (
        tmp_path / "out" / "export-2026-01-02.csv"
    ).read_bytes()
    assert len(list((kept / "edited").iterdir())) == 2


def test_a_run_reads_changes_and_verifies_a_database(tmp_path):
    base = sqlite3.connect(tmp_path / "shop.db")
    base.execute("CREATE TABLE items (sku TEXT PRIMARY KEY, name TEXT, price NUMERIC)")
    base.executemany("INSERT INTO items VALUES (?, ?, ?)", [(*row[:2], float(row[2])) for row in LIVE[1:]])
    base.commit()
    write_table(tmp_path / "edited.csv", [*LIVE[:2], ["KT-2", "jar", "21.50"]])
    place = "sqlite:///shop.db?table=items"
    (tmp_path / "night.toml").write_text(
        f'live = "{place}"\nedited = "edited.csv"\nto = "{place}"\nfresh = "{place}"\nhistory = "h.sqlite"\n'
    )

    done = neat_delta("run", "night.toml", cwd=tmp_path)

    assert done.returncode == 0, done.stdout + done.stderr
    assert "1 of 1 change applied" in done.stdout
    assert base.execute("SELECT price FROM items WHERE sku = 'KT-2'").fetchone() == (21.5,)
    base.close()


def test_a_wrong_date_is_named_with_its_line(tmp_path):
    (tmp_path / "night.toml").write_text('live = "live.csv"\nedited = "kelp-{date:%Q}.csv"\n')
    done = neat_delta("run", "night.toml", cwd=tmp_path)
    assert "no form for a date" in done.stderr
    assert "line 2" in done.stderr


def test_a_part_of_the_items_and_what_blanks_do(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(
        tmp_path / "edited.csv", [LIVE[0], ["KT-1", "lid", "11.00"], ["KT-2", "", "21.00"], ["KT-3", "wax", "31.00"]]
    )
    (tmp_path / "some.txt").write_text("KT-2\nKT-3\n")
    (tmp_path / "inbox").mkdir()
    (tmp_path / "night.toml").write_text(
        'live = "live.csv"\nedited = "edited.csv"\nto = "inbox"\nhistory = "h.sqlite"\n'
        'where = "price < 25"\nitems = "some.txt"\nblanks = "clear"\n'
    )
    done = neat_delta("run", "night.toml", cwd=tmp_path)
    assert done.returncode == 0, done.stdout + done.stderr
    assert (tmp_path / "inbox" / "01-changes.csv").read_text() == "sku,name,price\nKT-2,,21.00\n"


def test_formulas_alone_with_costs_of_another_table(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "costs.csv", [["sku", "net"], ["KT-1", "8.00"], ["KT-2", "9.00"], ["KT-3", "20.00"]])
    (tmp_path / "catalogue.toml").write_text('[tables.costs]\nfile = "costs.csv"\n')
    (tmp_path / "inbox").mkdir()
    (tmp_path / "night.toml").write_text(
        'live = "live.csv"\nset = ["price = costs.net * 1.5"]\nwhere = "price < 25"\nto = "inbox"\n'
        'history = "h.sqlite"\n'
    )
    done = neat_delta("run", "night.toml", cwd=tmp_path)
    assert done.returncode == 0, done.stdout + done.stderr
    assert (tmp_path / "inbox" / "01-changes.csv").read_text() == "sku,price\nKT-1,12.00\nKT-2,13.50\n"


def test_a_run_without_anything_to_do_is_a_mistake(tmp_path):
    (tmp_path / "night.toml").write_text('live = "live.csv"\n')
    done = neat_delta("run", "night.toml", cwd=tmp_path)
    assert (done.returncode, "Set edited, edited_files, changes or set" in done.stderr) == (3, True)


def test_a_run_file_is_checked_without_fetching_anything(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    (tmp_path / "night.toml").write_text(
        'live = "live.csv"\nedited = "https://files.example/x.csv"\nto = "sftp://files.example/in"\n'
        "keep_days = 9\n[limits]\nchanged = 5\n"
        '[mail]\nfrom = "a@b.example"\nto = "c@d.example"\n[webhook]\naddress = "https://hooks.example/x"\n'
    )
    done = neat_delta("run", "night.toml", "--validate", cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    assert "limits.changed = 5" in done.stdout
    for line in (
        "mail.from = a@b.example",
        "mail.when = attention",
        "webhook.address = https://hooks.example/x",
        "keep_days = 9",
    ):
        assert line in done.stdout
    assert "edited = https://files.example/x.csv" in done.stdout
    assert not (tmp_path / "runs").exists()


def test_every_mistake_of_a_run_file_is_told_at_once(tmp_path):
    (tmp_path / "night.toml").write_text(
        'live = "nope*.csv"\nedited = "missing.csv"\nprofile = "kelp"\nset = ["price = price *"]\nwhere = "price >"\n'
        'to = "nowhere"\n'
    )
    done = neat_delta("run", "night.toml", "--validate", "--json", cwd=tmp_path)
    assert done.returncode == 3
    told = json.loads(done.stdout)["result"]["mistakes"]
    for what in (
        "no file matches",
        "missing.csv: file not found",
        "profile kelp",
        "price = price *",
        "where: ",
        "to: ",
    ):
        assert any(what in text for text in told), (what, told)

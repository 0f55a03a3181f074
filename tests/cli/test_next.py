"""Each command ends with a verdict, and then with the next command, which works as it is pasted."""

import os
import re
import shutil
import sqlite3
import subprocess
from contextlib import closing
from pathlib import Path

import pytest

from helpers import neat_delta, write_table

LIVE = [["sku", "name", "price"], *([f"0{at:02}", f"Hive {at}", f"{at}.00"] for at in range(1, 31))]
EDITED = [LIVE[0], ["001", "Hive 1", "1.10"], ["002", "Hive 2", "on request"], *LIVE[3:]]


@pytest.fixture(scope="module")
def furnished(tmp_path_factory):
    tmp_path = tmp_path_factory.mktemp("furnished")
    write_table(tmp_path / "live export.csv", LIVE)
    write_table(tmp_path / "it's edited.csv", EDITED)
    write_table(tmp_path / "good.csv", [LIVE[0], ["001", "Hive 1", "1.10"], *LIVE[2:]])
    write_table(tmp_path / "after.csv", [LIVE[0], ["001", "Hive 1", "1.10"], *LIVE[2:]])
    write_table(tmp_path / "codes.csv", [["old", "new"], ["003", "033"], ["999", "998"]])
    neat_delta("compare", "live export.csv", "it's edited.csv", "-o", "c.jsonl", cwd=tmp_path)
    neat_delta("compare", "live export.csv", "good.csv", "-o", "good.jsonl", cwd=tmp_path)
    (tmp_path / "updates").mkdir()
    (tmp_path / "problems.xlsx").write_text("somebody's")
    return tmp_path


@pytest.fixture
def shop(furnished, tmp_path):
    return Path(shutil.copytree(furnished, tmp_path / "shop"))


def pasted(output, label="next"):
    """The command that stands at this label."""
    lines = output.splitlines()
    start = next(at for at, line in enumerate(lines) if line.startswith(f"  {label.ljust(12)}neat-delta"))
    command = [lines[start][14:]]
    while command[-1].endswith("\\"):
        start += 1
        command.append(lines[start][14:])
    return "\n".join(command)


def ran(command, cwd):
    """What comes of a command that is pasted into a shell, which cuts it into words."""
    (cwd / "bin").mkdir(exist_ok=True)
    (cwd / "bin" / "neat-delta").write_text('#!/bin/sh\nprintf "%s\\0" "$@"\n')
    (cwd / "bin" / "neat-delta").chmod(0o755)
    env = os.environ | {"PATH": f"{cwd / 'bin'}{os.pathsep}{os.environ['PATH']}"}
    cut = subprocess.run(["sh", "-c", command], cwd=cwd, capture_output=True, text=True, check=True, env=env)
    return neat_delta(*cut.stdout.split("\0")[:-1], cwd=cwd, COLUMNS="80")


@pytest.mark.parametrize(
    "args",
    [
        ["compare", "live export.csv", "it's edited.csv"],
        ["compare", "live export.csv", "it's edited.csv", "-o", "new.jsonl"],
        ["compare", "live export.csv", "it's edited.csv", "--write", "up"],
        ["compare", "live export.csv", "it's edited.csv", "--write", "up", "--strict"],
        ["compare", "live export.csv", "it's edited.csv", "--problems", "p.xlsx"],
        ["compare", "live export.csv", "good.csv"],
        ["compare", "live export.csv", "good.csv", "-o", "new.jsonl"],
        ["adjust", "live export.csv", "--set", "price = price * 1.05", "--where", "name = 'Hive 7'"],
        ["recode", "live export.csv", "codes.csv", "--write", "up"],
        ["check", "c.jsonl"],
        ["check", "good.jsonl"],
        ["write", "c.jsonl", "-o", "up"],
        ["preview", "c.jsonl"],
        ["preview", "good.jsonl", "--review", "r.xlsx"],
        ["pick", "good.jsonl", "--only", "price", "-o", "p.jsonl"],
        ["refresh", "good.jsonl", "live export.csv", "-o", "f.jsonl"],
        ["verify", "good.jsonl", "live export.csv"],
        ["inspect", "live export.csv"],
        ["setup", "live export.csv"],
        ["sheet", "live export.csv", "-o", "good sheet.xlsx"],
        ["shop", "open", "a shop", "--from", "live export.csv"],
    ],
    ids=" ".join,
)
def test_what_to_do_next_works_as_it_is_pasted(shop, args):
    done = neat_delta(*args, cwd=shop, COLUMNS="80")

    verdict = [line for line in done.stdout.splitlines() if line.startswith("  result      ")]
    assert len(verdict) == 1
    assert len(verdict[0]) <= 80
    again = ran(pasted(done.stdout), shop)
    assert again.returncode in (0, 1), again.stderr
    assert (shop / "problems.xlsx").read_text() == "somebody's"


def test_the_way_of_an_error_leads_from_the_workbook_back_into_the_comparison(shop):
    first = neat_delta("compare", "live export.csv", "it's edited.csv", cwd=shop)
    second = ran(pasted(first.stdout), shop)
    assert (shop / "problems-2.xlsx").exists()

    third = ran(pasted(second.stdout), shop)

    assert "problems-2.xlsx" in pasted(second.stdout)
    assert re.search(r"rejected 1\s+= 1 row read", third.stdout), third.stdout


def test_nothing_is_shown_again_that_may_be_a_secret(shop):
    words = ["compare", "live export.csv", "http://127.0.0.1:1/x.csv?token=secret", "--json"]

    assert "secret" not in neat_delta(*words, cwd=shop).stderr


def test_a_run_in_a_folder_with_blanks_ends_with_a_command_that_works(shop):
    (shop / "my run.toml").write_text('live = "live export.csv"\nedited = "good.csv"\nfolder = "all runs"\n')
    done = neat_delta("run", "my run.toml", cwd=shop, COLUMNS="80")
    assert ran(pasted(done.stdout), shop).returncode == 0


def test_a_table_of_a_database_can_be_pasted_and_a_query_that_may_be_a_secret_is_left_out(shop):
    with closing(sqlite3.connect(shop / "shop.db")) as base, base:
        base.execute("CREATE TABLE items (sku TEXT PRIMARY KEY, name TEXT, price TEXT)")
        base.executemany("INSERT INTO items VALUES (?, ?, ?)", LIVE[1:])
    table = "sqlite:///shop.db?table=items"
    first = neat_delta("compare", table, "it's edited.csv", "-o", "db.jsonl", cwd=shop)
    assert ran(pasted(first.stdout), shop).returncode == 1
    written = ran(pasted(first.stdout, "or"), shop)
    assert "proved" in written.stdout, written.stderr

    query = neat_delta(
        "compare", "sqlite:///shop.db?query=SELECT sku, name, price FROM items", "good.csv", "-o", "q.jsonl", cwd=shop
    )
    assert "SELECT" not in query.stdout.partition("result")[2]
    assert "proved" in ran(pasted(query.stdout), shop).stdout

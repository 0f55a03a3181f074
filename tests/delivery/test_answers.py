"""What a shop answers: only what it surely accepted counts as accepted."""

import json
import sqlite3
import subprocess
import sys
import threading
from contextlib import closing, contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from helpers import neat_delta, write_table
from servers import answer

LIVE = [["sku", "name", "price"], ["A", "a", "1.00"], ["B", "b", "2.00"], ["C", "c", "3.00"]]
EDITED = [LIVE[0], ["A", "a", "1.10"], ["B", "b", "2.20"], LIVE[3]]


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", EDITED)
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", "--write", "up", cwd=tmp_path)
    return tmp_path


@contextmanager
def shop_that_says(results, state="done"):
    """A shop whose import report has these rows; gives its address."""

    class Shop(BaseHTTPRequestHandler):
        def do_POST(self):
            self.rfile.read(int(self.headers.get("Content-Length") or 0))
            answer(self, b'{"job": 1}')

        def do_GET(self):
            said = results if self.path.endswith("results") else {"state": state, "message": ""}
            answer(self, json.dumps(said).encode())

        def log_message(self, *_):
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Shop)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


def rows(*words):
    return [{"line": at, "code": "AB"[at - 2], "result": word, "reason": ""} for at, word in enumerate(words, start=2)]


@pytest.mark.parametrize(
    ("results", "code", "said"),
    [
        (rows("updated", "OK"), 0, "2 of 2 rows accepted"),
        (rows("updated", "error"), 1, "1 of 2 rows accepted"),
        (rows("updated", "rejected"), 1, "1 of 2 rows accepted"),
        (rows("FAILED", "updated"), 1, "1 of 2 rows accepted"),
        (rows("mañana", ""), 1, "0 of 2 rows accepted"),
        (rows("updated"), 1, "1 of 2 rows accepted"),
        ([], 1, "0 of 2 rows accepted"),
    ],
)
def test_only_known_words_for_yes_are_accepted_through_send_and_run(work, results, code, said):
    with shop_that_says(results) as address:
        done = neat_delta("send", "up", "--to", address, "--history", "h.sqlite", cwd=work)
        (work / "night.toml").write_text(
            f'live = "live.csv"\nedited = "edited.csv"\nto = "{address}/again"\nhistory = "h.sqlite"\n'
        )
        run = neat_delta("run", "night.toml", cwd=work)

    assert (done.returncode, run.returncode) == (code, code), done.stdout + done.stderr + run.stdout
    assert said in done.stdout
    assert said in neat_delta("history", "1", "--history", "h.sqlite", cwd=work).stdout


@pytest.mark.parametrize(
    ("report", "left"),
    [
        ([["A", "updated"], ["B", "error"]], {"B"}),
        ([["A", "updated"], ["B", ""]], {"B"}),
        ([["A", "success"]], {"B"}),
        ([["B", "perhaps"]], {"B"}),
        ([["A", "ok"], ["B", "Updated."]], set()),
    ],
)
def test_what_a_report_does_not_surely_accept_is_picked_again(work, report, left):
    write_table(work / "report.csv", [["sku", "result"], *report])
    neat_delta("pick", "c.changes.jsonl", "--failed", "report.csv", "-o", "rest.jsonl", cwd=work)
    cells = [json.loads(line) for line in (work / "rest.jsonl").read_text().splitlines()]
    assert {one["key"][0] for one in cells if one.get("cells")} == left


def test_a_refused_connection_is_no_update_sent_and_can_be_sent_again(work):
    server = ThreadingHTTPServer(("127.0.0.1", 0), BaseHTTPRequestHandler)
    address = f"http://127.0.0.1:{server.server_port}"
    server.server_close()

    failed = neat_delta("send", "up", "--to", address, "--history", "h.sqlite", cwd=work)
    said = neat_delta("history", "--history", "h.sqlite", cwd=work).stdout

    assert failed.returncode == 4
    assert ("1 update not sent" in said, "1 update sent" in said) == (True, False), said
    (work / "inbox").mkdir()
    assert neat_delta("send", "up", "--to", "inbox", "--history", "h.sqlite", cwd=work).returncode == 0


def test_resuming_sends_only_the_files_that_were_begun(work):
    (work / "inbox").mkdir()
    neat_delta("send", "up", "--to", "inbox", "--history", "h.sqlite", cwd=work)
    with closing(sqlite3.connect(work / "h.sqlite")) as base, base:
        base.execute("UPDATE files SET state = 'leaving'")
    neat_delta("write", "c.changes.jsonl", "-o", "up", "--overwrite", "--format", "tsv", cwd=work)

    done = neat_delta("send", "up", "--to", "inbox", "--resume", "--history", "h.sqlite", cwd=work)

    assert done.returncode == 4
    assert "these are not the files that were begun to be sent (history #1)" in done.stderr
    assert [path.suffix for path in (work / "inbox").iterdir()] == [".csv"]


def test_an_update_imported_by_hand_is_ours_once_it_is_verified(work):
    write_table(work / "after.csv", EDITED)

    verified = neat_delta("verify", "up", "after.csv", cwd=work)
    again = neat_delta("verify", "c.changes.jsonl", "after.csv", cwd=work)
    past = neat_delta("history", "A", cwd=work).stdout

    assert "imported by hand" in verified.stdout
    assert "imported by hand" not in again.stdout
    assert ("by the shop" in past, "#1" in past) == (False, True), past


KILLED = """
import os, sqlite3, sys
base = sqlite3.connect(sys.argv[1], isolation_level=None)
base.execute("PRAGMA cache_size = 1")
base.execute("PRAGMA cache_spill = 1")
base.execute("BEGIN IMMEDIATE")
base.execute("UPDATE entries SET folder = ?", ("x" * 300_000,))
base.executemany("INSERT INTO change_sets VALUES (?, ?)", [(str(at), b"y" * 20_000) for at in range(50)])
os._exit(9)
"""


def test_a_history_whose_writer_was_killed_heals_by_itself(work):
    (work / "inbox").mkdir()
    neat_delta("send", "up", "--to", "inbox", "--history", "h.sqlite", cwd=work)
    subprocess.run([sys.executable, "-c", KILLED, work / "h.sqlite"], check=False)
    assert (work / "h.sqlite-journal").stat().st_size

    done = neat_delta("history", "--history", "h.sqlite", cwd=work)

    assert (done.returncode, "1 update sent" in done.stdout) == (0, True), done.stderr

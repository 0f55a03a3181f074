"""Whatever stands in files, names, options and answers: a terminal is sent nothing that it would obey."""

import gzip
import json
import os
import re
import subprocess
import sys
import threading
import zipfile
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.text import Text

import neat_delta
from forked import run_on_terminal
from helpers import PROGRAM, write_table
from neat_delta.views.safe_text import safe_json, safe_line, safe_styled

if sys.platform == "win32":
    pytest.skip("this system has no pseudo terminals", allow_module_level=True)

# A title set, a colour nobody sees, the same by C1 signs, backspaces, a return, directions, separators of lines.
EVIL = "x\x1b]0;owned\x07\x1b[8m\x9b8m\x08\x08\x7f\u202eabc\u2066\u200e\u061c\u2028\u2029\x85z"
NAMED = EVIL.replace("/", "")
# What the screen's own library sends: colours, and on a line that is drawn anew where the cursor goes.
OURS = re.compile(r"\x1b\[(?:\d+(?:;\d+)*)?m|\x1b\[\?25[lh]|\x1b\[2K|\x1b\[1A|\r\n|\r")
OBEYED = re.compile("[\x00-\x09\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]")


def on_terminal(work, *args, typed=b"", **environment):
    """What a terminal is sent by a command while a person has typed this, and the exit code."""
    leader, follower = os.openpty()
    os.write(leader, typed)
    env = dict(os.environ) | {"TERM": "xterm-256color", "COLUMNS": "100"} | environment
    sent = []
    reader = threading.Thread(target=lambda: sent.extend(_read_all(leader)))
    reader.start()
    code = run_on_terminal([str(PROGRAM), *map(str, args)], work, env, follower)
    os.close(follower)
    reader.join()
    os.close(leader)
    return b"".join(sent).decode(), code


def _read_all(leader):
    """What a terminal is sent until nobody has it open any more."""
    while True:
        try:
            part = os.read(leader, 65536)
        except OSError:
            return
        if not part:
            return
        yield part


def insist_on_plain(sent):
    assert "[8m" not in OURS.sub("", sent) or "\x1b[8m" not in sent
    rest = OURS.sub("", sent.replace("\x1b[8m", "\x00"))
    assert not OBEYED.search(rest), repr(rest)


@pytest.fixture
def evil(tmp_path):
    head = ["sku", f"name {EVIL}", "price", "maker", "category", EVIL]
    plain = [[f"P{at}", f"a plain name of item {at}", "5.00", "m", "c", "q"] for at in range(400)]
    rows = [["A", EVIL, "1.00", "m", EVIL, "q"], ["B", "b", "2.00", EVIL, "c", "r"], [EVIL, "c", "3.00", "m", "c", "s"]]
    write_table(tmp_path / f"live {NAMED}.csv", [head, *rows, *plain])
    edited = [[*rows[0][:2], "1.10", *rows[0][3:]], [*rows[1][:2], EVIL, *rows[1][3:]], [*rows[2][:5], f"t{EVIL}"]]
    more = [[f"N{EVIL}", "n", "1", "m", "c", "u"], ["short", EVIL]]
    write_table(tmp_path / f"edited {NAMED}.csv", [head, *edited, *more, *plain])
    kept = [[f"P{at}", f"R{at}"] for at in range(200)]
    write_table(tmp_path / "codes.csv", [["old", "new"], ["A", EVIL], [f"no{EVIL}", "Q"], *kept])
    (tmp_path / "codes.txt").write_text(f"A\nno such {EVIL}\n")
    with zipfile.ZipFile(tmp_path / "two.zip", "w") as archive:
        archive.writestr(f"{NAMED}1.csv", "sku\nA\n")
        archive.writestr(f"{NAMED}2.csv", "sku\nA\n")
    (tmp_path / "run.toml").write_text(f'live = "live{json.dumps(EVIL)[1:-1]}"\nedited = "x"\n"a{EVIL[-1]}" = 1\n')
    (tmp_path / "evil.toml").write_text('["\\u001b]0;x\\u0007"]\nkey = 1\n[fields."\\u001b[8m"]\ntype = "\\u009b8m"\n')
    (tmp_path / "lists.toml").write_text('[profiles."\\u001b[8m\\u202e"]\nmatch_on = "\\u001b]0;x\\u0007"\n')
    return tmp_path


LIVE, EDITED = f"live {NAMED}.csv", f"edited {NAMED}.csv"
CALLS = [
    ["inspect", LIVE],
    ["inspect", EVIL],
    ["inspect", "two.zip"],
    ["setup", LIVE],
    ["sheet", LIVE, "-o", f"s{NAMED}.xlsx", "--items", "codes.txt"],
    ["sheet", LIVE, "-o", "s.csv", "--fields", EVIL],
    ["sheet", LIVE, "-o", f"no{EVIL}/s.csv"],
    ["compare", LIVE, EDITED],
    ["compare", LIVE, EDITED, "--all", "--status", "new", "--status", "unreadable", "--status", "rejected"],
    ["compare", LIVE, EDITED, "--json", "--status", "new"],
    ["compare", LIVE, EDITED, "--out", f"c{NAMED}.jsonl", "--write", f"up{NAMED}", "--problems", f"b{NAMED}.xlsx"],
    ["compare", LIVE, EDITED, "--key", EVIL],
    ["compare", LIVE, EDITED, "--where", EVIL],
    ["compare", LIVE, EDITED, "--profile", EVIL],
    ["compare", LIVE, EDITED, "--map", f"{EVIL}=price"],
    ["compare", LIVE, EDITED, "--catalogue", "evil.toml"],
    ["compare", LIVE, EDITED, "--catalogue", "lists.toml", "--profile", "\x1b[8m\u202e"],
    ["compare", LIVE, EDITED, "--delimiter", EVIL],
    ["compare", LIVE, EDITED, "--encoding", EVIL],
    ["compare", LIVE, EDITED, f"--{EVIL}"],
    ["compare", LIVE, EDITED, "--pack", EVIL],
    ["compare", LIVE, f"ftp://{EVIL}@h/{EVIL}"],
    ["adjust", LIVE, "--set", f"price = {EVIL}"],
    ["adjust", LIVE, "--set", f"price = price || '{EVIL}'"],
    ["adjust", LIVE, "--set", "price = price * 2", "--where", f"maker = '{EVIL}'"],
    ["recode", LIVE, "codes.csv"],
    ["run", "run.toml"],
    ["run", EVIL],
    ["history", EVIL],
    ["send", EVIL, "--to", EVIL],
    ["shop", "open", f"shop{NAMED}", "--from", LIVE],
    ["shop", "export", EVIL, "-o", "x.csv"],
    ["demo", LIVE],
    [EVIL],
]


@pytest.mark.parametrize("call", CALLS, ids=[f"{call[0][:8]}-{at}" for at, call in enumerate(CALLS)])
def test_no_command_and_no_message_sends_what_a_terminal_would_obey(evil, call):
    sent, _ = on_terminal(evil, *call)

    assert sent
    insist_on_plain(sent)


def test_change_sets_and_receipts_made_by_others_are_shown_safely(evil):
    for name in (LIVE, EDITED):
        (evil / name).rename(evil / f"{name.split()[0]}.csv")
    subprocess.run([PROGRAM, "compare", "live.csv", "edited.csv", "--out", "c.jsonl", "--quiet"], cwd=evil, check=False)
    head, *items = (evil / "c.jsonl").read_text("utf-8").rstrip("\n").split("\n")
    told = json.loads(head)
    told["made"] = told["edited"]["name"] = EVIL
    told["left_out"] = [{"by": EVIL, "cells": 1, "items": 1, "comments": [EVIL]}]
    rows = [json.loads(item) for item in items]
    for row in rows:
        row["name"] = EVIL
        for finding in row.get("findings", ()):
            finding.update(check=f"x{EVIL}", say=EVIL, value=EVIL)
    lines = [json.dumps(told), *map(json.dumps, rows)]
    (evil / "evil.jsonl").write_text("\n".join(lines) + "\n")
    (evil / "evil.jsonl.gz").write_bytes(gzip.compress((evil / "evil.jsonl").read_bytes()))
    for call in (
        ["preview", "evil.jsonl", "--all"],
        ["preview", "evil.jsonl.gz", "--by", "category", "--item", "A"],
        ["preview", "evil.jsonl", "--by", "field"],
        ["check", "evil.jsonl", "--all"],
        ["pick", "evil.jsonl", "--only", "price", "--out", f"p{NAMED}.jsonl"],
        ["refresh", "evil.jsonl", "edited.csv", "--out", "f.jsonl"],
        ["verify", "evil.jsonl", "edited.csv"],
        ["write", "evil.jsonl", "-o", f"u{NAMED}"],
        ["undo", "evil.jsonl", "-o", f"back{NAMED}"],
    ):
        sent, _ = on_terminal(evil, *call)
        insist_on_plain(sent)


@contextmanager
def answering(status, body):
    class Handler(BaseHTTPRequestHandler):
        def do_GET(self):
            self.send_response(status)
            self.end_headers()
            self.wfile.write(body)

        def do_POST(self):
            self.do_GET()

        def log_message(self, *_):
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


@pytest.mark.parametrize("status", [400, 401, 418])
def test_a_servers_answer_is_shown_safely(work, status):
    with answering(status, json.dumps({"message": EVIL}).encode()) as address:
        fetched, _ = on_terminal(work, "inspect", f"{address}/x.csv")
        sent, code = on_terminal(work, "send", "up", "--to", address, "--yes")
        listed, _ = on_terminal(work, "history", "1")

    assert code == 4
    for shown in (fetched, sent, listed):
        insist_on_plain(shown)


def test_a_person_is_asked_once_before_anything_is_sent(work):
    (work / "place").mkdir()

    refused, code = on_terminal(work, "send", "up", "--to", "place", typed=b"n\n")
    left = list((work / "place").iterdir())
    sent, done = on_terminal(work, "send", "up", "--to", "place", typed=b"y\n")

    assert "Send these files now?" in refused
    assert (code, left) == (130, [])
    assert done == 0
    assert list((work / "place").iterdir())
    assert "sent to" in sent


def test_the_summary_of_a_run_is_safe_as_text_and_as_mail(evil):
    for name in (LIVE, EDITED):
        (evil / name).rename(evil / f"{name.split()[0]}.csv")
    settings = 'live = "live.csv"\nedited = "edited.csv"\n[mail]\nfrom = "a@b.example"\nto = ["c@d.example"]\n'
    (evil / f"n{NAMED}.toml").write_text(settings)

    sent, _ = on_terminal(evil, "run", f"n{NAMED}.toml")

    insist_on_plain(sent)
    folders = [path for path in (evil / "runs").iterdir() if path.is_dir()]
    assert len(folders) == 2  # (its own, and the newest summary's)
    for folder in folders:
        assert not OBEYED.search((folder / "summary.txt").read_text("utf-8"))
        assert not OBEYED.search((folder / "summary.json").read_text("utf-8"))


@given(st.text())
def test_a_safe_line_is_as_long_and_says_the_same_but_for_what_cannot_be_seen(text):
    safe = safe_line(text)

    assert len(safe) == len(text)
    assert not OBEYED.search(safe)
    assert "\n" not in safe
    assert all(new == old or not old.isprintable() for old, new in zip(text, safe, strict=True))


@given(st.text(st.characters(codec="utf-8")))
def test_safe_json_means_the_same(text):
    data = json.dumps({text: text}, ensure_ascii=False).encode()

    assert json.loads(safe_json(data)) == {text: text}
    assert not OBEYED.search(safe_json(data).decode())


def test_styles_stay_where_they_are():
    line = safe_styled(Text.assemble(("a\x1b", "bold"), "b"))

    assert (line.plain, line.spans[0].start, line.spans[0].end) == ("a·b", 0, 2)


def test_text_leaves_the_program_through_one_door():
    for path in (Path(neat_delta.__file__).parent / "cli").rglob("*.py"):
        allowed = {"common.py": 1, "envelope.py": 1, "screen.py": 1}.get(path.name, 0)
        assert len(re.findall(r"\bclick\.(?:echo|secho)\(|\bprint\(", path.read_text("utf-8"))) == allowed, path.name

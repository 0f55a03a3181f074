"""Sending to folders and to the practice shop over HTTP: in order, never twice, gone on with whatever ended a run."""

import contextlib
import itertools
import json
import os
import shutil
import signal
import socket
import sqlite3
import subprocess
import threading
import time

import pytest

from helpers import PROGRAM, neat_delta, read_rows, run_code, write_table
from neat_delta.base.errors import DeliveryError, InvalidInput, WriteError
from neat_delta.delivery import destinations
from neat_delta.delivery.destinations import HttpDestination
from neat_delta.delivery.history import History
from neat_delta.delivery.send import send
from neat_delta.delivery.update_folder import load_update
from neat_delta.locations import parse_place
from neat_delta.practice_shop import open_shop
from neat_delta.practice_shop.server import ShopServer
from neat_delta.remote import transfer_errors, web
from servers import PASSWORD_TOLD, ftp_server, sftp_server, web_server


@pytest.fixture
def work(tmp_path):
    """A practice shop, its export edited, and the update of that in two files."""
    neat_delta("shop", "open", "shop", cwd=tmp_path)
    neat_delta("shop", "export", "shop", "-o", "live.csv", cwd=tmp_path)
    table = read_rows(tmp_path / "live.csv")
    text, place = table[0].index("description"), table[0].index("bin")
    for at, row in enumerate(table[1:41]):
        row[text if at % 2 else place] = (
            f"Made anew, number {at * 37 % 101}." if at % 2 else f"Y{at * 37 % 90}-{at * 17 % 9}"
        )
    write_table(tmp_path / "edited.csv", table)
    options = ("--out", "c.jsonl", "--write", "up", "--pack", "exact")
    done = neat_delta("compare", "live.csv", "edited.csv", *options, cwd=tmp_path)
    assert len(load_update(tmp_path / "up").data) == 2, done.stdout
    return tmp_path


@pytest.fixture
def served(work):
    """Serves the practice shop on a free port; gives its address."""
    servers = []

    def serve(token=None):
        server = ShopServer(open_shop(work / "shop"), 0, token=token)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        servers.append(server)
        return f"http://127.0.0.1:{server.server_port}"

    yield serve
    for server in servers:
        server.shutdown()
        server.server_close()


def wanted(work):
    return read_rows(work / "edited.csv")


def imports_in(work):
    """How many imports the shop was given."""
    with contextlib.closing(sqlite3.connect(work / "shop" / "jobs.sqlite")) as base:
        return base.execute("SELECT count(*) FROM jobs").fetchone()[0]


def in_shop(work):
    neat_delta("shop", "export", "shop", "-o", "after.csv", cwd=work)
    return read_rows(work / "after.csv")


def test_the_loop_is_closed_over_http(work, served):
    sent = neat_delta("send", "up", "--to", served(), "--import-report", "r.csv", "--json", cwd=work)
    again = neat_delta("send", "up", "--to", json.loads(sent.stdout)["result"]["place"], cwd=work)
    neat_delta("shop", "export", "shop", "-o", "after.csv", cwd=work)
    settled = neat_delta("verify", "c.jsonl", "after.csv", "--json", cwd=work)

    assert (sent.returncode, again.returncode, settled.returncode) == (0, 4, 0)
    assert "already sent completely to" in again.stderr
    assert [row[3] for row in read_rows(work / "r.csv", charset="utf-8-sig")[1:]] == ["updated"] * 40
    assert json.loads(settled.stdout)["result"]["done"] is True
    assert in_shop(work) == wanted(work)


def test_items_come_go_and_change_their_sku_over_http_as_the_update_says(work, served):
    """Each file is imported as what it is: new items, changes, removals, code changes."""
    table = read_rows(work / "live.csv")
    key = table[0].index("sku")
    gone, renamed = table[3][key], table[5][key]
    new = ["NEW-1" if at == key else cell for at, cell in enumerate(table[1])]
    write_table(work / "edited.csv", [*(row for row in table if row[key] != gone), new])
    write_table(work / "codes.csv", [["old", "new"], [renamed, "REN-1"]])
    options = ("--add-new", "--delete-missing", "1", "--ignore", "not unique", "--write", "all")
    done = neat_delta("compare", "live.csv", "edited.csv", *options, cwd=work)
    assert (work / "all").is_dir(), done.stdout
    neat_delta("recode", "live.csv", "codes.csv", "--write", "codes", cwd=work)

    address = served()
    for folder in ("all", "codes"):
        sent = neat_delta("send", folder, "--to", address, cwd=work)
        assert sent.returncode == 0, sent.stdout + sent.stderr

    keys = [row[key] for row in in_shop(work)[1:]]
    assert ("NEW-1" in keys, "REN-1" in keys, gone in keys, renamed in keys) == (True, True, False, False)


@pytest.mark.parametrize("answer", [b"<html>Welcome</html>", b'{"message": "no job"}', b"[]", b"\xff", b""])
def test_an_answer_that_is_none_of_a_shop_is_named_with_its_address(work, answer):
    def welcome(handler):
        handler.rfile.read(int(handler.headers["Content-Length"]))
        handler.send_response(200)
        handler.send_header("Content-Length", str(len(answer)))
        handler.end_headers()
        handler.wfile.write(answer)

    with web_server(welcome) as (address, _):
        done = neat_delta("send", "up", "--to", address.removesuffix("/export.csv"), cwd=work)

    assert done.returncode == 4
    assert "unexpected answer" in done.stderr
    assert "is it that of the shop's import interface?" in done.stderr


def test_rows_that_fail_become_the_next_change_set_with_the_reasons(work, served):
    (work / "shop" / "shop.toml").write_text('key = "sku"\nlimited = ["bin"]\n')

    sent = neat_delta("send", "up", "--to", served(), "--import-report", "r.csv", cwd=work)
    picked = neat_delta("pick", "c.jsonl", "--failed", "r.csv", "--out", "failed.jsonl", "--json", cwd=work)

    assert sent.returncode == 1
    assert "bin: 'Y" in sent.stdout
    assert json.loads(picked.stdout)["result"]["cells"] == 20
    shown = neat_delta("preview", "failed.jsonl", cwd=work).stdout
    assert "not accepted by the shop: bin: 'Y" in " ".join(shown.split())


def test_a_file_that_is_refused_stops_those_behind_it(work, served):
    (work / "shop" / "shop.toml").write_text('key = "sku"\nrequired = ["bin"]\n')
    address = served()

    done = neat_delta("send", "up", "--to", address, cwd=work)
    again = neat_delta("send", "up", "--to", address, "--resume", cwd=work)
    entry = json.loads(neat_delta("history", "1", "--json", cwd=work).stdout)["result"]

    assert done.returncode == again.returncode == 4
    assert "column bin is required" in done.stderr
    assert "was rejected before" in again.stderr
    states = [file["state"] for file in entry["files"]]
    assert states in (["rejected", None], ["done", "rejected"])


def test_a_folder_gets_the_files_in_order_and_only_once(work):
    (work / "inbox").mkdir()

    first = neat_delta("send", "up", "--to", "inbox", cwd=work)
    second = neat_delta("send", "up", "--to", "inbox", cwd=work)

    assert (first.returncode, second.returncode) == (0, 4)
    assert sorted(path.name for path in (work / "inbox").iterdir()) == ["01-changes.csv", "02-changes.csv"]
    assert "no import report here; run verify after the next export" in first.stdout


def test_a_file_that_the_shop_has_not_taken_yet_is_not_written_over(work):
    (work / "inbox").mkdir()
    (work / "inbox" / "02-changes.csv").write_text("of another update")

    done = neat_delta("send", "up", "--to", "inbox", cwd=work)

    assert done.returncode == 4
    assert "02-changes.csv: another file with this name is there, which the shop has not imported yet" in done.stderr
    assert (work / "inbox" / "02-changes.csv").read_text() == "of another update"


@contextlib.contextmanager
def _file_server(sort, work):
    """A file server of that sort with the export and the sheet; its address, and what a client is told."""
    folder = work / "served"
    (folder / "inbox").mkdir(parents=True)
    for name in ("live.csv", "edited.csv"):
        shutil.copy(work / name, folder / name)
    told = PASSWORD_TOLD | {"NEAT_DELTA_KNOWN_HOSTS": str(work / "known_hosts")}
    if sort == "folder":
        yield str(folder), told
        return
    with ftp_server(folder) if sort == "ftp" else sftp_server(folder, work) as address:
        yield address, told


@pytest.mark.parametrize("sort", ["ftp", "sftp"])
def test_files_come_from_a_file_server_and_go_to_one(work, sort):
    with _file_server(sort, work) as (address, told):
        files = [f"{address}/live.csv", f"{address}/edited.csv"]
        done = neat_delta("compare", *files, "--pack", "exact", "--write", "again", cwd=work, **told)
        sent = neat_delta("send", "again", "--to", f"{address}/inbox", cwd=work, **told)
        fresh = neat_delta("verify", "c.jsonl", f"{address}/edited.csv", cwd=work, **told)

    assert (done.returncode, sent.returncode, fresh.returncode) == (0, 0, 0), sent.stderr
    for name in ("01-changes.csv", "02-changes.csv"):
        assert (work / "served" / "inbox" / name).read_bytes() == (work / "up" / name).read_bytes()
    entry = json.loads(neat_delta("history", "1", "--json", cwd=work).stdout)["result"]
    assert entry["place"] == f"{address}/inbox"


@pytest.mark.parametrize("sort", ["ftp", "sftp", "folder"])
def test_killed_anywhere_a_folder_ends_with_the_same_files(work, sort):
    with _file_server(sort, work) as (address, told):
        _killed_again_and_again(work, f"{address}/inbox", **told)

    there = work / "served" / "inbox"
    assert {path.name: path.read_bytes() for path in there.iterdir()} == {
        name: (work / "up" / name).read_bytes() for name in ("01-changes.csv", "02-changes.csv")
    }


@pytest.mark.parametrize("sort", ["ftp", "sftp", "folder"])
def test_killed_anywhere_a_folder_that_the_shop_empties_gets_each_file_once(work, sort):
    taken = []

    def empty(_):
        for path in sorted((work / "served" / "inbox").iterdir()):
            if not path.name.startswith("."):
                taken.append((path.name, path.read_bytes()))
                path.unlink()

    with _file_server(sort, work) as (address, told):
        _killed_again_and_again(work, f"{address}/inbox", empty, **told)

    assert taken == [(name, (work / "up" / name).read_bytes()) for name in ("01-changes.csv", "02-changes.csv")]
    assert list((work / "served" / "inbox").iterdir()) == []


@pytest.mark.parametrize(
    "name",
    ["../evil.txt", "..", "/tmp/evil.txt", "undo/../../evil.txt", "..\\evil.txt", "C:evil.txt", "NUL.csv", "a\nb.csv",
     "evil.txt ", "receipt.json", "", 7, None],
)  # fmt: skip
def test_a_receipt_names_files_of_its_own_folder_only(work, name):
    (work / "evil.txt").write_bytes((work / "up/01-changes.csv").read_bytes())
    (work / "inbox").mkdir()
    receipt = json.loads((work / "up/receipt.json").read_text())
    receipt["files"][0]["file"] = name
    (work / "up/receipt.json").write_text(json.dumps(receipt))

    done = neat_delta("send", "up", "--to", "inbox", cwd=work)

    assert done.returncode == 3
    assert "receipt" in done.stderr
    assert list((work / "inbox").iterdir()) == []
    assert not (work / "history.sqlite").exists()


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("http://localhost:8017", "http://127.0.0.1:8017/"),
        ("HTTP://Shop.example:80/api/", "http://shop.example/api"),
        ("ftp://anna@files.example/in//box/", "ftp://anna@files.example:21/in/./box"),
        ("inbox", "./up/../inbox/"),
        ("sqlite:///shop.db?table=items", "sqlite:///./up/../shop.db?table=main.Items"),
        ("postgresql://anna@DB.example/shop?table=items", "postgresql://bo@db.example:5432/shop?table=public.items"),
        ("mysql://db.example/shop?table=items", "mariadb://db.example:3306/shop?table=shop.items"),
    ],
)
def test_a_place_is_known_in_every_spelling(one, other, monkeypatch, tmp_path):
    (tmp_path / "up").mkdir()
    monkeypatch.chdir(tmp_path)

    assert destinations.destination_of(parse_place(one)).name == destinations.destination_of(parse_place(other)).name


def test_an_update_goes_to_a_shop_once_from_whatever_folder_and_in_whatever_spelling(work, served):
    port = served().rpartition(":")[2]
    shutil.copytree(work / "up", work / "elsewhere" / "up")
    data = {"NEAT_DELTA_DATA": str(work / "data")}

    first = neat_delta("send", "up", "--to", f"http://127.0.0.1:{port}", cwd=work, **data)
    again = [
        neat_delta("send", "up", "--to", f"http://{host}", cwd=work / "elsewhere", **data)
        for host in (f"localhost:{port}", f"127.0.0.1:{port}/", f"localhost:{port}/")
    ]

    assert (first.returncode, [done.returncode for done in again]) == (0, [4, 4, 4])
    assert imports_in(work) == 2
    assert str(work / "data" / "history.sqlite") in "".join(first.stdout.split())


def test_a_place_that_is_not_there_leaves_no_trace_in_the_history(work):
    done = neat_delta("send", "up", "--to", "nowhere", cwd=work)

    assert done.returncode == 4
    assert not (work / "history.sqlite").exists()


def test_another_database_is_no_history(work):
    with contextlib.closing(sqlite3.connect(work / "mine.sqlite")) as base:
        base.execute("CREATE TABLE notes (text)")
    before = (work / "mine.sqlite").read_bytes()
    (work / "inbox").mkdir()

    done = neat_delta("send", "up", "--to", "inbox", "--history", "mine.sqlite", cwd=work)

    assert (done.returncode, (work / "mine.sqlite").read_bytes()) == (3, before)
    assert "not a history file" in done.stderr


def test_a_spoilt_update_does_not_leave(work):
    path = work / "up" / "02-changes.csv"
    path.write_bytes(path.read_bytes() + b"x")

    with pytest.raises(InvalidInput, match="the file was changed after it was written"):
        load_update(work / "up")


def test_without_its_token_the_shop_says_so_and_the_token_is_shown_nowhere(work, served):
    address = served(token="very-secret")

    without = neat_delta("send", "up", "--to", address, cwd=work)
    wrong = neat_delta("send", "up", "--to", address, "--resume", cwd=work, NEAT_DELTA_TOKEN_127_0_0_1="wrong-one\n")
    right = neat_delta("send", "up", "--to", address, "--resume", cwd=work, NEAT_DELTA_TOKEN_127_0_0_1="very-secret\n")

    assert (without.returncode, wrong.returncode, right.returncode) == (4, 4, 0)
    assert "NEAT_DELTA_TOKEN_127_0_0_1" in without.stderr
    assert "wrong-one" not in wrong.stdout + wrong.stderr
    assert b"very-secret" not in (work / "history.sqlite").read_bytes() + right.stdout.encode()


class _Unlucky(threading.Thread):
    """A server that cuts the line after so many bytes, or says nothing at all, and then passes all on to the shop."""

    def __init__(self, shop_port, mishaps):
        super().__init__(daemon=True)
        self.listener = socket.create_server(("127.0.0.1", 0))
        self.address = f"http://127.0.0.1:{self.listener.getsockname()[1]}"
        self.shop_port, self.mishaps = shop_port, list(mishaps)
        self.start()

    def run(self):
        while True:
            try:
                line, _ = self.listener.accept()
            except OSError:
                return
            mishap = self.mishaps.pop(0) if self.mishaps else None
            threading.Thread(target=self.serve, args=(line, mishap), daemon=True).start()

    def serve(self, line, mishap):
        with line, socket.create_connection(("127.0.0.1", self.shop_port)) as shop:
            shop.settimeout(0.5)
            line.settimeout(0.5)
            if mishap == "silent":
                time.sleep(1.5)
                return
            for source, target, cut in ((line, shop, mishap == "cut going"), (shop, line, mishap == "cut coming")):
                data = b""
                try:
                    while part := source.recv(65536):
                        data += part
                        if cut:
                            break
                        target.sendall(part)
                except TimeoutError:
                    pass
                if cut:
                    target.sendall(data[: len(data) // 2])
                    return


@pytest.mark.parametrize("mishaps", [["cut going"], ["cut coming"], ["silent"], ["cut coming", "silent", "cut going"]])
def test_a_line_that_is_cut_or_silent_is_tried_again_and_nothing_goes_twice(work, served, monkeypatch, mishaps):
    monkeypatch.setattr(web, "SILENCE_TIME", 1.0)
    port = int(served().rpartition(":")[2])
    unlucky = _Unlucky(port, mishaps)

    entry = send(load_update(work / "up"), HttpDestination(parse_place(unlucky.address)), History(work / "j.sqlite"))

    assert entry.state == "done"
    assert imports_in(work) == 2
    assert in_shop(work) == wanted(work)


def test_nobody_there_is_said_after_some_tries(work, monkeypatch):
    monkeypatch.setattr(transfer_errors, "FIRST_PAUSE", 0.01)
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]

    with pytest.raises(DeliveryError, match="the connection was refused"):
        send(
            load_update(work / "up"),
            HttpDestination(parse_place(f"http://127.0.0.1:{port}")),
            History(work / "j.sqlite"),
        )


KILLED = """
import os, signal, sys
from pathlib import Path
from neat_delta.delivery import history, destinations, send, update_folder
from neat_delta.locations import parse_place
steps = int(sys.argv[2])
def counted(function):
    def stepping(*args, **more):
        global steps
        before = steps
        steps -= 1
        if before == 0:
            os.kill(os.getpid(), signal.SIGKILL)
        told = function(*args, **more)
        before = steps
        steps -= 1
        if before == 0:
            os.kill(os.getpid(), signal.SIGKILL)
        return told
    return stepping
history.History.begin = counted(history.History.begin)
history.History.note = counted(history.History.note)
place = destinations.destination_of(parse_place(sys.argv[1]))
type(place).upload = counted(type(place).upload)
type(place).submit = counted(type(place).submit)
type(place).wait_for_result = counted(type(place).wait_for_result)
update = update_folder.load_update(Path("up"))
send.send(update, place, history.History(Path("history.sqlite")), resume=True)
"""


def _killed_again_and_again(work, address, between=lambda _: None, **told):
    for steps in itertools.count():
        done = run_code(KILLED, address, str(steps), cwd=work, **told)
        between(steps)
        if done.returncode != -signal.SIGKILL:
            break
    # The last one was killed before or after it had written down that it was done.
    assert done.returncode == 0 or "all of it" in done.stderr, done.stderr
    assert steps > 4


def test_killed_between_any_two_steps_a_run_that_goes_on_ends_like_an_undisturbed_one(work, served):
    """Each run is killed a step later than the one before; in the end all is there, and nothing was imported twice."""
    _killed_again_and_again(work, served())

    assert in_shop(work) == wanted(work)
    entry = json.loads(neat_delta("history", "1", "--json", cwd=work).stdout)["result"]
    assert [file["state"] for file in entry["files"]] == ["done", "done"]
    assert imports_in(work) == 2


def test_two_runs_at_once_do_not_spoil_the_history(work, served):
    address = served()
    calls = [PROGRAM, "send", "up", "--to", address, "--resume", "--quiet"]
    runs = [subprocess.Popen(calls, cwd=work, env=os.environ, stderr=subprocess.DEVNULL) for _ in range(3)]

    codes = [run.wait(60) for run in runs]

    assert 0 in codes
    assert in_shop(work) == wanted(work)
    entries = json.loads(neat_delta("history", "--json", cwd=work).stdout)["result"]
    assert [entry["state"] for entry in entries] == ["done"]
    assert imports_in(work) == 2


@pytest.fixture
def small_disk(tmp_path):
    """A file system with room for very little."""
    disk = tmp_path / "disk"
    disk.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=4k", "none", disk], check=False, capture_output=True)
    if mounted.returncode:
        pytest.skip("only the machine's keeper may mount a small disk")
    yield disk
    subprocess.run(["umount", disk], check=True)


def test_a_real_disk_that_is_full_keeps_what_it_had(work, small_disk):
    (small_disk / "kept.txt").write_text("as it was")

    written = neat_delta("compare", "live.csv", "edited.csv", "--write", small_disk / "up", cwd=work)
    sent = neat_delta("send", "up", "--to", small_disk, cwd=work)
    noted = neat_delta("send", "up", "--to", "up", "--history", small_disk / "history.sqlite", cwd=work)

    assert [done.returncode for done in (written, sent, noted)] == [3, 3, 3]
    assert all("Traceback" not in done.stderr for done in (written, sent, noted))
    assert "No space left" in written.stderr + sent.stderr
    assert [path.name for path in small_disk.iterdir() if path.suffix != ".sqlite"] == ["kept.txt"]
    assert (small_disk / "kept.txt").read_text() == "as it was"


def test_a_disk_that_is_full_leaves_no_half_file(work, monkeypatch):
    (work / "inbox").mkdir()

    def full(_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(WriteError, match="No space left"):
        destinations.LocalFolder(work / "inbox").upload("01.csv", b"data", "mark")

    assert list((work / "inbox").iterdir()) == []

"""Runs without a person, against the practice shop served over HTTP."""

import email
import email.policy
import json
import os
import signal
import sqlite3
import subprocess
import threading
import time
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from filelock import FileLock

from helpers import PROGRAM, neat_delta, read_rows, write_table
from neat_delta.delivery.history import History
from neat_delta.practice_shop import open_shop
from neat_delta.practice_shop.server import ShopServer
from neat_delta.views.summary import summary_text
from neat_delta.workflows.scheduled.earlier_runs import is_own
from neat_delta.workflows.scheduled.report import RunReport
from neat_delta.workflows.scheduled.run_config import RunConfig, load_run
from neat_delta.workflows.scheduled.run_lock import publish_latest

RUN = """
live = "{shop}/export.csv"
edited = "edited.csv"
to = "{shop}"
fresh = "{shop}/export.csv"
{more}
[mail]
from = "nightly@shop.example"
to = ["data@shop.example", "boss@shop.example"]
"""


@pytest.fixture
def work(tmp_path):
    """A practice shop that is served, its export with ten prices edited, and a run file in a folder of its own."""
    neat_delta("shop", "open", "shop", cwd=tmp_path)
    neat_delta("shop", "export", "shop", "-o", "live.csv", cwd=tmp_path)
    table = read_rows(tmp_path / "live.csv")
    price = table[0].index("price")
    for row in table[1:11]:
        row[price] = f"{float(row[price]) + 0.05:.2f}"
    write_table(tmp_path / "edited.csv", table)
    return tmp_path


@pytest.fixture
def served(work):
    with ShopServer(open_shop(work / "shop"), 0) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_port}"
        server.shutdown()


def run_file(work, shop, more=""):
    (work / "nightly.toml").write_text(RUN.format(shop=shop, more=more))


def in_shop(work):
    neat_delta("shop", "export", "shop", "-o", "after.csv", cwd=work)
    return read_rows(work / "after.csv")


def summary(work, name="nightly"):
    return json.loads((work / "runs" / f"{name}-latest" / "summary.json").read_text())


def newest(work):
    return Path(summary(work)["folder"])


def test_a_run_that_cannot_begin_to_send_says_that_nothing_was_sent(work):
    (work / "inbox").write_text("no folder")
    (work / "nightly.toml").write_text('live = "live.csv"\nedited = "edited.csv"\nto = "inbox"\n')

    done = neat_delta("run", "nightly.toml", cwd=work)

    assert (done.returncode, summary(work)["sent"], summary(work)["steps"][-1]["state"]) == (4, False, "failed")
    assert "failed" in done.stdout
    assert done.stdout.count("nothing sent") + done.stdout.count("not sent yet") + done.stdout.count("nothing was") > 0


@pytest.mark.parametrize(
    ("sent", "entry", "failure", "said"),
    [
        (False, None, "no network", "nothing sent yet"),
        (True, None, "no network", "sending was interrupted"),
        (True, 3, "no network", " sent"),
        (True, None, None, " sent"),
    ],
)
def test_the_last_line_of_a_run_says_how_far_the_update_came(tmp_path, sent, entry, failure, said):
    report = RunReport("nightly", tmp_path, sent=sent, entry=entry, failure=failure)
    report.end()

    assert next(line for line in summary_text(report).splitlines() if line.startswith("  result")).endswith(said)


def test_a_run_goes_the_whole_way_and_the_next_one_finds_nothing_to_do(work, served):
    run_file(work, served)
    elsewhere = work / "shop"

    first = neat_delta("run", "../nightly.toml", "--json", cwd=elsewhere)
    told = summary(work)
    second = neat_delta("run", "../nightly.toml", cwd=elsewhere)

    assert (first.returncode, second.returncode) == (0, 0), first.stderr
    assert json.loads(first.stdout)["result"] == told
    assert (told["verdict"], told["items"]["change"], told["cells"]) == ("done", 10, 10)
    assert (told["results"], told["applied"]) == ({"updated": 10}, {"applied": 10})
    assert in_shop(work) == read_rows(work / "edited.csv")
    assert "nothing to do" in second.stdout
    assert [entry.state for entry in History(elsewhere / "history.sqlite").entries()] == ["done"]


def test_a_run_leaves_a_mail_that_says_it_in_text_and_as_a_page(work, served):
    run_file(work, served)
    neat_delta("run", "nightly.toml", cwd=work)

    mail = email.message_from_bytes(
        (work / "runs" / "nightly-latest" / "summary.eml").read_bytes(), policy=email.policy.default
    )
    assert mail["Subject"] == "nightly: done, 10 items"
    assert mail["To"] == "data@shop.example, boss@shop.example"
    text, page = (mail.get_body((kind,)).get_content() for kind in ("plain", "html"))
    assert "applied     10 of 10 changes" in text
    assert text == (work / "runs" / "nightly-latest" / "summary.txt").read_text()
    assert "10 changed; 10 cells" in page


@pytest.mark.parametrize(
    ("limits", "code", "why"),
    [
        ("changed = 9", 1, "10 items would change; the limit of the run file is 9"),
        ("share = 0.001", 1, "would change; the limit of the run file is 0"),
        ("changed = 10\nshare = 0.5", 0, ""),
    ],
)
def test_above_its_limits_a_run_sends_nothing(work, served, limits, code, why):
    run_file(work, served, f"[limits]\n{limits}")

    done = neat_delta("run", "nightly.toml", cwd=work)

    assert done.returncode == code
    assert why in " ".join(done.stdout.split())
    moved = in_shop(work) != read_rows(work / "live.csv")
    assert moved == (code == 0)
    assert (newest(work) / "update" / "01-changes.csv").is_file()


def test_a_shop_that_stores_something_else_needs_a_person(work, served):
    (work / "shop" / "shop.toml").write_text('key = "sku"\ndecimals = {price = 1}\n')
    run_file(work, served, "[verify]\ntries = 2")

    done = neat_delta("run", "nightly.toml", "--quiet", cwd=work)

    told = summary(work)
    assert (done.returncode, done.stdout) == (1, "")
    assert "needs attention; see " in done.stderr
    assert told["applied"]["applied differently"] == len(told["not_applied"]) > 0
    assert {row["how"] for row in told["not_applied"]} == {"rounded"}
    assert [step["name"] for step in told["steps"]].count("verify") == 2
    assert (newest(work) / "remaining.changes.jsonl").is_file()


def test_trying_a_run_sends_nothing(work, served):
    run_file(work, served)

    done = neat_delta("run", "nightly.toml", "--dry-run", cwd=work)

    assert done.returncode == 0
    assert "send        skipped: by --dry-run" in done.stdout
    assert in_shop(work) == read_rows(work / "live.csv")


def test_a_run_that_cannot_begin_says_so_and_leaves_its_summary(work):
    run_file(work, "http://127.0.0.1:1")

    done = neat_delta("run", "nightly.toml", "--quiet", cwd=work)

    told = summary(work)
    assert done.returncode == 4
    assert (told["verdict"], told["exit"], told["sent"]) == ("failed", 4, False)
    assert "the connection was refused" in told["failure"]
    assert b"nightly: failed" in (work / "runs" / "nightly-latest" / "summary.eml").read_bytes()


def test_a_list_that_is_another_than_last_time_is_not_sent(work, served):
    seen = 'sku = "text", price = "numbers about 99999", Discount = "numbers about 5"'
    seen = f"[profiles.prices]\ncolumns_last_time = {{{seen}}}\n"
    (work / "catalogue.toml").write_text(seen)
    run_file(work, served, 'profile = "prices"')

    done = neat_delta("run", "nightly.toml", cwd=work)

    assert done.returncode == 1
    assert "supplier file layout changed" in done.stdout
    assert in_shop(work) == read_rows(work / "live.csv")


def test_a_file_about_other_items_needs_a_person_though_nothing_changes(work, served):
    write_table(work / "edited.csv", [["sku", "price"], ["ZZ-1", "1.00"], ["ZZ-2", "2.00"]])
    run_file(work, served)

    done = neat_delta("run", "nightly.toml", cwd=work)

    assert done.returncode == 1
    assert "no SKU of the edited file is in the shop. Wrong file, or wrong column?" in " ".join(done.stdout.split())


def test_the_newest_summary_is_in_a_plain_folder_and_nothing_of_an_older_one(tmp_path):
    config = RunConfig(live=tmp_path / "l.csv", edited=tmp_path / "e.csv", folder=tmp_path, path=Path("nightly.toml"))
    latest, old = tmp_path / "nightly-latest", tmp_path / "old"
    old.mkdir()
    (old / "summary.eml").write_text("of last week")
    latest.symlink_to("old", target_is_directory=True)

    publish_latest(config, {"summary.txt": b"one", "summary.eml": b"mail"})
    publish_latest(config, {"summary.txt": b"two"})

    assert not latest.is_symlink()
    assert {path.name: path.read_bytes() for path in latest.iterdir()} == {"summary.txt": b"two"}
    assert (old / "summary.eml").read_text() == "of last week"


def test_only_one_run_of_a_file_is_at_work(work, served):
    run_file(work, served)
    (work / "runs").mkdir()
    with FileLock(work / "runs" / ".nightly.lock"):
        done = neat_delta("run", "nightly.toml", cwd=work)

    assert done.returncode == 3
    assert "nightly.toml: already running" in done.stderr
    assert not (work / "runs" / "nightly-latest").exists()


def killed_while_sending(work):
    """The history of a run that is killed as soon as the shop, which is slow then, has a file."""
    shop, history = work / "shop" / "shop.toml", History(work / "history.sqlite")
    shop.write_text('key = "sku"\nseconds = 3.0\n')
    running = subprocess.Popen([PROGRAM, "run", "nightly.toml", "--quiet"], cwd=work, env=os.environ)
    deadline = time.monotonic() + 600
    while not any(file.state == "sent" for entry in history.entries() for file in entry.files):
        assert time.monotonic() < deadline
        time.sleep(0.05)
    running.send_signal(signal.SIGKILL)
    running.wait()
    shop.write_text('key = "sku"\n')
    return history


def test_a_run_that_was_killed_while_sending_is_finished_by_the_next(work, served):
    run_file(work, served)
    history = killed_while_sending(work)

    done = neat_delta("run", "nightly.toml", cwd=work)

    assert done.returncode == 0, done.stdout
    assert "the rest of history #1 was sent" in done.stdout
    assert in_shop(work) == read_rows(work / "edited.csv")
    assert [entry.state for entry in history.entries()] == ["done"]
    with closing(sqlite3.connect(history.path)) as base:
        assert base.execute("SELECT count(*) FROM files").fetchone() == (1,)


def test_a_campaign_that_was_killed_while_it_started_is_put_back_whole(work, served):
    now = datetime.now().astimezone().replace(microsecond=0)
    begins = (now - timedelta(hours=1)).isoformat()
    run_file(work, served, f"[campaign]\nfrom = {begins}\nuntil = {(now + timedelta(hours=1)).isoformat()}")
    killed_while_sending(work)

    started = neat_delta("run", "nightly.toml", cwd=work)
    assert (started.returncode, in_shop(work)) == (0, read_rows(work / "edited.csv")), started.stdout
    (work / "after.csv").unlink()
    run_file(work, served, f"[campaign]\nfrom = {begins}\nuntil = {now.isoformat()}")
    ended = neat_delta("run", "nightly.toml", cwd=work)

    assert (ended.returncode, in_shop(work)) == (0, read_rows(work / "live.csv")), ended.stdout
    assert "10 cells of 10 items" in ended.stdout


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('edited = "e.csv"', "column live: live is missing"),
        ('live = "l.csv"\nedited = "e.csv"\nlimit = 3', "line 3, column limit: there is no setting 'limit'"),
        ('live = "l.csv"\nedited = "e.csv"\n[limits]\nchanged = "9"', "line 4, column limits.changed, value '9'"),
        (
            'live = "ftp://a:b@x/l.csv"\nedited = "e.csv"',
            "line 1, column live, value 'ftp://…@x/l.csv': never write a password",
        ),
        ('live = "l.csv"\nedited = "e.csv"\nfresh = "f.csv"', "line 3, column fresh: there is nothing to verify"),
        ('live = "l.csv"\nedited = "e.csv"\ndelete_missing = 0', "delete_missing must be 1 or more"),
        ('live = "l.csv"\nedited = "e.csv"\n[mail]\nfrom = "a@b"\nto = ["nobody"]', "not a valid mail address"),
        ("live = ", "not a valid TOML file"),
    ],
)
def test_a_wrong_run_file_is_named_with_its_line(tmp_path, text, said):
    (tmp_path / "r.toml").write_text(text)

    done = neat_delta("run", "r.toml", cwd=tmp_path)

    assert done.returncode == 3
    assert said in done.stderr
    told = summary(tmp_path, "r")
    assert (told["verdict"], told["exit"], told["sent"]) == ("failed", 3, False)
    assert said in told["failure"]
    assert [path.name for path in (tmp_path / "runs").iterdir()] == ["r-latest"]


def test_a_run_takes_over_only_what_a_run_of_the_same_file_has_begun(work, served):
    """Two run files share a folder; a sending that the other one has in progress is its own affair."""
    run_file(work, served)
    told = load_run(work / "nightly.toml")
    runs = (work / "runs").resolve()

    assert is_own(told, runs / "nightly-2026-11-28T051500Z")
    assert is_own(told, runs / "nightly-2026-11-28T051500Z-2")
    for name in ("weekly-2026-11-28T051500Z", "nightly-prices-2026-11-28T051500Z", "nightly", "nightly-latest"):
        assert not is_own(told, runs / name)
    assert not is_own(told, work / "nightly-2026-11-28T051500Z")

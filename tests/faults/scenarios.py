"""Commands that write something, each with what must be there afterwards: the old or the new, never anything between."""

from __future__ import annotations

import csv
import hashlib
import os
import re
import shutil
import sqlite3
import subprocess
import threading
import time
import zipfile
from collections.abc import Callable
from contextlib import closing, contextmanager, nullcontext
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from fuzz import seeds
from helpers import PROGRAM, neat_delta
from neat_delta.practice_shop import open_shop
from neat_delta.practice_shop.server import ShopServer
from servers import PASSWORD_TOLD, ftp_server, sftp_server

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

# Runs a command of the program in a scenario's folder, perhaps under another program that disturbs it.
Act = Callable[..., subprocess.CompletedProcess[str]]

# What differs between two runs that did the same: times, and what is derived from them.
VOLATILE = re.compile(
    rb"\d{4}-\d\d-\d\dT\d\d:?\d\d:?\d\d(\.\d+)?(Z|\+00:00)?|[0-9a-f]{64}|20\d\d-\d\d-\d\d \d\d:\d\d(:\d\d)?( [A-Z]+)?"
)
# Kept exports have the time in their names.
DATED = re.compile(r"\d{8}T\d{6}Z-")
FOR_PEOPLE = ("docProps/core.xml",)


@dataclass(frozen=True)
class Scenario:
    """A command, what it writes (names of files and folders), and what comes before it in a fresh folder."""

    name: str
    command: str
    outputs: tuple[str, ...]
    before: tuple[str, ...] = ()
    again: str | None = None
    """The command that goes on after a fault; the same, if it is not given."""
    server: str | None = None
    """What serves the folder ``inbox``, at the address that stands for {to}: "ftp" or "sftp"; or "http", a shop."""
    emptied: bool = False
    """Whether the shop takes what lies in ``inbox`` away, into ``taken``."""
    can_do_without: bool = False
    """Whether the command goes on without its output, and says so."""

    @property
    def one_by_one(self) -> bool:
        """Whether its outputs come one after another, each by itself there whole or not at all."""
        return self.outputs in (("inbox",), ("taken",), ("shop",))


def _sends(to: str, server: str | None = None, *, emptied: bool = False) -> Scenario:
    name = f"send to {server or 'a folder'}{' that is emptied' if emptied else ''}"
    output = "taken" if emptied else "inbox"
    return Scenario(name, f"send update --to {to}", (output,), (), f"send update --to {to} --resume", server, emptied)


# (The shop takes files in the form of its export only.)
PLAIN = (
    "compare live.csv edited.csv --catalogue plain.toml -o plain.jsonl",
    "write plain.jsonl --catalogue plain.toml -o plain --pack exact",
)
# In place of a command: the shop imports what the campaign has sent, and its time is over.
END_OF_SALE = "(the sale is over)"
SCENARIOS = (
    Scenario("write", "write c.changes.jsonl -o w", ("w",)),
    Scenario("write over another", "write c.changes.jsonl -o w --overwrite --pack one-file", ("w",),
             ("write adjust.changes.jsonl -o w",)),
    Scenario("write as SQL", "write c.changes.jsonl -o w --format sql", ("w",)),
    Scenario("undo", "undo c.changes.jsonl -o w", ("w",)),
    Scenario("compare", "compare live.csv edited.csv -o n.jsonl --problems p.xlsx", ("n.jsonl",)),
    Scenario("compare over another", "compare live.csv edited.csv --add-new -o n.jsonl --overwrite", ("n.jsonl",),
             ("compare live.csv edited.csv -o n.jsonl",)),
    Scenario("sheet", "sheet live.csv -o s.xlsx", ("s.xlsx",)),
    Scenario("sheet over another", "sheet live.csv -o s.csv --overwrite", ("s.csv",), ("sheet edited.csv -o s.csv",)),
    Scenario("page and workbook", "preview c.changes.jsonl --page p.html --review r.xlsx", ("p.html",)),
    Scenario("setup", "setup live.csv -o t.toml", ("t.toml",)),
    _sends("inbox"),
    _sends("inbox", emptied=True),
    _sends("{to}", "ftp"),
    _sends("{to}", "ftp", emptied=True),
    _sends("{to}", "sftp"),
    Scenario("send to http", "send plain --to {to}", ("shop",), PLAIN, "send plain --to {to} --resume", "http"),
    Scenario("run", "run run.toml", ("inbox",), (), "run run.toml"),
    Scenario("approve", "approve c.changes.jsonl --by Anna", ("c.approval.json",), (),
             "approve c.changes.jsonl --by Anna --overwrite"),
    Scenario("undo again", "undo c.changes.jsonl -o w --overwrite", ("w",), ("undo c.changes.jsonl -o w",)),
    Scenario("campaign starts", "run sale.toml", ("inbox",), (), "run sale.toml"),
    Scenario("campaign ends", "run sale.toml", ("inbox",), ("run sale.toml", END_OF_SALE), "run sale.toml"),
    Scenario("kept exports", "inspect live.csv", ("exports",), can_do_without=True),
)  # fmt: skip


@contextmanager
def staged(scenario: Scenario, files: dict[str, Path], folder: Path) -> Iterator[Act]:
    """A fresh folder in which the command can be run, with the server that it needs; gives what runs it."""
    shutil.rmtree(folder, ignore_errors=True)
    source = next(iter(files.values())).parent
    shutil.copytree(source, folder)
    for name in ("history.sqlite", "w", "inbox"):
        path = folder / name
        shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)
    (folder / "inbox").mkdir()
    (folder / "plain.toml").write_text('key = "sku"\n')
    with _serving(scenario.server, folder) as address:

        def act(line: str, wrapped_in: tuple[str, ...] = ()) -> subprocess.CompletedProcess[str]:
            done = run(line.format(to=address), folder, wrapped_in)
            if scenario.emptied:
                _empty(folder / "inbox", folder / "taken")
            return done

        _set_sale(folder, until=1)
        for line in scenario.before:
            if line == END_OF_SALE:
                _end_sale(folder)
            else:
                assert act(line).returncode in (0, 1)
        yield act


def _set_sale(folder: Path, until: int) -> None:
    """A campaign that began yesterday, until so many days from now."""
    begins, ends = (f"{datetime.now() + timedelta(days=days):%Y-%m-%dT%H:00:00}" for days in (-2, until))
    head = 'live = "live.csv"\nto = "inbox"\nhistory = "history.sqlite"\nset = ["price = price + 1"]\n'
    (folder / "sale.toml").write_text(f"{head}[campaign]\nfrom = {begins}\nuntil = {ends}\n")


def _end_sale(folder: Path) -> None:
    with (folder / "live.csv").open(newline="", encoding="utf-8") as file:
        header, *rows = csv.reader(file)
    sent = {row[0]: row for path in (folder / "inbox").glob("*.csv") for row in csv.reader(path.open(encoding="utf-8"))}
    at = header.index("price")
    priced = [[*row[:at], sent[row[0]][1], *row[at + 1 :]] if row[0] in sent else row for row in rows]
    with (folder / "live.csv").open("w", newline="", encoding="utf-8") as file:
        csv.writer(file).writerows([header, *priced])
    for path in (folder / "inbox").iterdir():
        path.unlink()
    _set_sale(folder, until=-1)


def _serving(server: str | None, folder: Path):
    if server == "ftp":
        return ftp_server(folder / "inbox")
    if server == "sftp":
        return sftp_server(folder / "inbox", folder)
    return _shop(folder) if server == "http" else nullcontext("")


@contextmanager
def _shop(folder: Path) -> Iterator[str]:
    assert run("shop open shop --from live.csv", folder).returncode == 0
    server = ShopServer(open_shop(folder / "shop"), 0)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


def _empty(inbox: Path, taken: Path) -> None:
    """Take files away as a shop does; one that comes a second time is there twice."""
    taken.mkdir(exist_ok=True)
    for path in sorted(inbox.iterdir()):
        if not path.name.startswith("."):
            times = sum(1 for one in taken.iterdir() if one.name.startswith(path.name))
            path.rename(taken / f"{path.name}{'+' * times}")


def run(line: str, folder: Path, wrapped_in: tuple[str, ...] = ()) -> subprocess.CompletedProcess[str]:
    """Run a command of the program, perhaps under another program that disturbs it."""
    environment = os.environ | {"NEAT_DELTA_DATA": ".", "POLARS_MAX_THREADS": "1", "PYTHONDONTWRITEBYTECODE": "1"}
    environment |= {"NEAT_DELTA_APPROVAL_SECRET": "a secret of sixteen letters", "NEAT_DELTA_USER": "Bo"}
    environment |= PASSWORD_TOLD | {"NEAT_DELTA_KNOWN_HOSTS": str(folder / "known_hosts")}
    if not wrapped_in:
        return neat_delta(*line.split(), cwd=folder, **environment)
    return subprocess.run(
        [*wrapped_in, str(PROGRAM), *line.split()], cwd=folder, capture_output=True, text=True, check=False,
        timeout=300, env=environment, errors="replace",
    )  # fmt: skip


def state_of(scenario: Scenario, folder: Path) -> dict[str, str]:
    """What lies at the outputs' places, each file by what it says; hidden files are drafts, and nobody's output."""
    if scenario.server == "http":
        return _imports_of(folder / "shop" / "jobs.sqlite")
    found: dict[str, str] = {}
    for output in scenario.outputs:
        place = folder / output
        for path in sorted(place.rglob("*")) if place.is_dir() else [place] * place.exists():
            hidden = any(part.startswith(".") for part in path.relative_to(folder).parts)
            if path.is_file() and not hidden:
                found[DATED.sub("", path.relative_to(folder).as_posix())] = _said_by(path)
    return found


def _imports_of(jobs: Path) -> dict[str, str]:
    """Each import that a shop has made, and how often; what still waits has its turn first."""
    with closing(sqlite3.connect(jobs, timeout=60)) as base:
        while base.execute("SELECT count(*) FROM jobs WHERE state IN ('waiting', 'running')").fetchone()[0]:
            time.sleep(0.05)
        made = base.execute("SELECT action, data, state, count(*) FROM jobs GROUP BY action, data, state").fetchall()
    return {f"{action} {hashlib.sha256(data).hexdigest()}": f"{state} {times}" for action, data, state, times in made}


def _said_by(path: Path) -> str:
    data = path.read_bytes()
    if data[:4] == b"PK\x03\x04":
        with zipfile.ZipFile(path) as archive:
            data = b"".join(archive.read(name) for name in sorted(archive.namelist()) if name not in FOR_PEOPLE)
    return hashlib.sha256(VOLATILE.sub(b"", data)).hexdigest()


def history_of(folder: Path) -> list[tuple[str, str]]:
    """What the history says of each file: its name and how far it is; an error of the database is one of ours."""
    path = folder / "history.sqlite"
    if not path.exists() or not path.stat().st_size:
        return []
    base = sqlite3.connect(path)
    try:
        (whole,) = base.execute("PRAGMA integrity_check").fetchone()
        assert whole == "ok", whole
        if not base.execute("SELECT name FROM sqlite_master WHERE name = 'files'").fetchone():
            return []
        return base.execute("SELECT name, state FROM files ORDER BY entry, number").fetchall()
    finally:
        base.close()


def make_files(folder: Path) -> dict[str, Path]:
    """The files that the commands read."""
    here = os.getcwd()  # noqa: PTH109 (it may be gone later)
    try:
        return seeds.make(folder)
    finally:
        os.chdir(here)

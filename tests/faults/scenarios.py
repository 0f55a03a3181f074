"""Commands that write something, each with what must be there afterwards: the old or the new, never anything between."""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import sqlite3
import subprocess
import zipfile
from dataclasses import dataclass
from typing import TYPE_CHECKING

from fuzz import seeds
from helpers import PROGRAM

if TYPE_CHECKING:
    from pathlib import Path

# What differs between two runs that did the same: times, and what is derived from them.
VOLATILE = re.compile(
    rb"\d{4}-\d\d-\d\dT\d\d:?\d\d:?\d\d(\.\d+)?(Z|\+00:00)?|[0-9a-f]{64}|20\d\d-\d\d-\d\d \d\d:\d\d(:\d\d)?( [A-Z]+)?"
)
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


SCENARIOS = (
    Scenario("write", "write c.changes.jsonl -o w", ("w",)),
    Scenario("write over another", "write c.changes.jsonl -o w --overwrite --pack fewest-files", ("w",),
             ("write adjust.changes.jsonl -o w",)),
    Scenario("undo", "undo c.changes.jsonl -o w", ("w",)),
    Scenario("compare", "compare live.csv edited.csv -o n.jsonl --problems p.xlsx", ("n.jsonl",)),
    Scenario("compare over another", "compare live.csv edited.csv --add-new -o n.jsonl --overwrite", ("n.jsonl",),
             ("compare live.csv edited.csv -o n.jsonl",)),
    Scenario("sheet", "sheet live.csv -o s.xlsx", ("s.xlsx",)),
    Scenario("sheet over another", "sheet live.csv -o s.csv --overwrite", ("s.csv",), ("sheet edited.csv -o s.csv",)),
    Scenario("page and workbook", "preview c.changes.jsonl --page p.html --review r.xlsx", ("p.html",)),
    Scenario("setup", "setup live.csv -o t.toml", ("t.toml",)),
    Scenario("send to a folder", "send update --to inbox", ("inbox",), (), "send update --to inbox --resume"),
    Scenario("run", "run run.toml", ("inbox",), (), "run run.toml"),
    Scenario("kept exports", "inspect live.csv", ()),
)  # fmt: skip


def prepare(scenario: Scenario, files: dict[str, Path], folder: Path) -> None:
    """A fresh folder in which the command can be run."""
    shutil.rmtree(folder, ignore_errors=True)
    source = next(iter(files.values())).parent
    shutil.copytree(source, folder)
    for name in ("history.sqlite", "w", "inbox"):
        path = folder / name
        shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)
    (folder / "inbox").mkdir()
    for line in scenario.before:
        assert run(line, folder).returncode in (0, 1)


def run(line: str, folder: Path, wrapped_in: tuple[str, ...] = ()) -> subprocess.CompletedProcess[str]:
    """Run a command of the program, perhaps under another program that disturbs it."""
    environment = os.environ | {"NEAT_DELTA_DATA": ".", "POLARS_MAX_THREADS": "1", "PYTHONDONTWRITEBYTECODE": "1"}
    return subprocess.run(
        [*wrapped_in, str(PROGRAM), *line.split()], cwd=folder, capture_output=True, text=True, check=False,
        timeout=300, env=environment, errors="replace",
    )  # fmt: skip


def state_of(scenario: Scenario, folder: Path) -> dict[str, str]:
    """What lies at the outputs' places, each file by what it says; hidden files are drafts, and nobody's output."""
    found: dict[str, str] = {}
    for output in scenario.outputs:
        place = folder / output
        for path in sorted(place.rglob("*")) if place.is_dir() else [place] * place.exists():
            hidden = any(part.startswith(".") for part in path.relative_to(folder).parts)
            if path.is_file() and not hidden:
                found[path.relative_to(folder).as_posix()] = _said_by(path)
    return found


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

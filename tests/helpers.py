"""What several tests need: files of any form, a shop that imports updates by the book, the installed program."""

from __future__ import annotations

import base64
import csv
import gzip
import io
import os
import re
import shlex
import subprocess
import sys
import sysconfig
from pathlib import Path

from rich.cells import cell_len

from forked import run_forked
from in_process import run_here

Table = list[list[str]]
# No command takes as long, in seconds, however busy the machine is.
LONGEST = 900
PROGRAM = Path(sysconfig.get_path("scripts")) / "neat-delta"


def examples(number: int) -> int:
    """How many examples a law is tried on: so many each day, and twenty times as many in the long run."""
    return number * (20 if os.environ.get("NEAT_DELTA_TESTS") == "long" else 1)


def write_table(
    path: Path,
    table: Table,
    *,
    delimiter: str = ",",
    charset: str = "utf-8",
    line_end: str = "\n",
    quote_all: bool = False,
) -> Path:
    def written(cell: str) -> str:
        plain = not quote_all and not set(cell) & {delimiter, '"', "\n", "\r"}
        return cell if plain else '"' + cell.replace('"', '""') + '"'

    text = "".join(delimiter.join(map(written, row)) + line_end for row in table)
    path.write_bytes(text.encode(charset))
    return path


def read_rows(path: Path, *, delimiter: str = ",", charset: str = "utf-8") -> Table:
    text = io.StringIO(path.read_bytes().decode(charset), newline="")
    return list(csv.reader(text, delimiter=delimiter))


def import_into(table: Table, files: list[Path], *, key: str = "sku", **form: str) -> Table:
    """A shop that takes each row's cells, blank ones too, for the item of that key; nothing of ours is used.

    A file's name says whether its items are new, change, or leave.
    """
    header, *rows = [list(row) for row in table]
    items = {row[header.index(key)]: row for row in rows}
    for path in files:
        columns, *changes = read_rows(path, **form)
        for change in changes:
            code = change[columns.index(key)]
            if "removals" in path.name:
                del items[code]
                continue
            assert (code in items) != ("new-items" in path.name)
            item = items.setdefault(code, [""] * len(header))
            for column, cell in zip(columns, change, strict=True):
                item[header.index(column)] = cell
    return [header, *items.values()]


def page_data(page: Path) -> str:
    """What a page has packed in it, as JSON."""
    packed = re.search(r'id="data">([^<]*)<', page.read_text("utf-8"))
    assert packed
    return gzip.decompress(base64.b64decode(packed[1])).decode()


def update_files(folder: Path) -> list[Path]:
    ours = ("receipt.json", "update.changes.jsonl", "sent.json")
    return sorted(path for path in folder.iterdir() if path.name not in ours and path.is_file())


def neat_delta(*args: str | Path, cwd: Path, **environment: str) -> subprocess.CompletedProcess[str]:
    """Run the installed program as a person or a schedule would, from its arguments, folder and environment on."""
    here = run_here([str(PROGRAM), *(str(word) for word in args)], cwd, _settled(environment))
    return here or own_process(*args, cwd=cwd, **environment)


def own_process(*args: str | Path, cwd: Path, **environment: str) -> subprocess.CompletedProcess[str]:
    """The same in a process of its own, for what that process itself does: its terminal, streams and children."""
    env = _settled(environment)
    done = run_forked([str(PROGRAM), *(str(word) for word in args)], cwd, env)
    return done or subprocess.run(
        [PROGRAM, *args], cwd=cwd, env=env, capture_output=True, text=True, check=False, timeout=LONGEST
    )


def _settled(environment: dict[str, str]) -> dict[str, str]:
    settled = {name: value for name, value in os.environ.items() if name not in ("NO_COLOR", "FORCE_COLOR", "COLUMNS")}
    return settled | environment


def run_code(code: str, *args: str | Path, cwd: Path, **environment: str) -> subprocess.CompletedProcess[str]:
    """Run a piece of Python in a process of its own, which may end it as it likes."""
    env = os.environ | environment
    words = [str(word) for word in args]
    done = run_forked(["-c", *words], cwd, dict(env), code)
    return done or subprocess.run(
        [sys.executable, "-c", code, *words], cwd=cwd, env=env, capture_output=True, text=True, check=False
    )


def python_m(*args: str, cwd: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "neat_delta", *args],
        cwd=cwd,
        capture_output=True,
        text=True,
        check=False,
        timeout=LONGEST,
    )


def files_in(folder: Path) -> dict[str, bytes]:
    """The files of a folder, but for the exports that are kept whatever else a command does."""
    files = (path for path in folder.rglob("*") if path.is_file() and path.parent.name != "exports")
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in files}


def names_in(folder: Path) -> set[str]:
    """What lies in a folder, but for the exports that are kept whatever else a command does."""
    return {path.name for path in folder.iterdir()} - {"exports"}


def refused(work: Path, command: str) -> str:
    """What a command says that ends with a refusal and leaves every file as it was."""
    before = files_in(work)
    done = neat_delta(*shlex.split(command), cwd=work)
    assert done.returncode in (2, 3, 4), done.stdout
    assert files_in(work) == before
    return done.stderr


def widest(output):
    """The width of the widest line but for commands, which are whole on any screen so that they can be pasted."""
    return max(cell_len(line) for line in output.splitlines() if "neat-delta" not in line)

"""The installed program in the process of the test: what it does from its arguments, folder and environment on.

Most of a command's time on small files is spent on loading and on what a new process does first; the tests of the
process itself (signals, terminals, streams, kills) begin it as people do.
"""

from __future__ import annotations

import contextlib
import io
import os
import subprocess
import sys
import threading
import time
import warnings
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

# What the interpreter or a library reads when it begins; a command with any of them is begun in the usual way.
READ_AT_START = ("PYTHON", "POLARS", "LC_", "LANG", "MPL", "RAYON", "TZ")
_lock = threading.Lock()


def run_here(words: list[str], cwd: Path, env: dict[str, str]) -> subprocess.CompletedProcess[str] | None:
    """What the command gives; ``None`` if it must be begun in a process of its own."""
    special = [name for name in env if name.startswith(READ_AT_START) and env[name] != os.environ.get(name)]
    if special or threading.current_thread() is not threading.main_thread() or not _lock.acquire(blocking=False):
        return None
    try:
        with _as_its_process(words, cwd, env) as (out, err):
            ended = _ended(words[1:])
            for stream in (sys.stdout, sys.stderr):
                stream.flush()
            texts = [stream.getvalue().decode(errors="replace").replace("\r\n", "\n") for stream in (out, err)]
        return subprocess.CompletedProcess(words, ended, *texts)
    finally:
        _lock.release()


def _ended(words: list[str]) -> int:
    from neat_delta.cli import app

    try:
        code = app.run(words)
    except SystemExit as left:
        code = left.code if isinstance(left.code, int) else 1
    app.finish_keeping(stopped=False)
    return code


@contextlib.contextmanager
def _as_its_process(words: list[str], cwd: Path, env: dict[str, str]) -> Iterator[tuple[io.BytesIO, io.BytesIO]]:
    """Folder, environment, arguments and streams as a process of its own has them."""
    from neat_delta.base.frame_schema import FrameSchema

    kept = (os.getcwd(), dict(os.environ), sys.argv, sys.stdin, sys.stdout, sys.stderr)  # noqa: PTH109
    looked = FrameSchema.looks_at_values
    out, err = io.BytesIO(), io.BytesIO()
    with open(os.devnull, encoding="utf-8") as nothing, warnings.catch_warnings():  # noqa: PTH123
        warnings.simplefilter("ignore")
        os.chdir(cwd)
        _set_environment(env)
        sys.argv, sys.stdin = words, nothing
        sys.stdout, sys.stderr = (io.TextIOWrapper(stream, "utf-8", "replace") for stream in (out, err))
        FrameSchema.looks_at_values = False
        try:
            yield out, err
        finally:
            FrameSchema.looks_at_values = looked
            folder, environment, sys.argv, sys.stdin, sys.stdout, sys.stderr = kept
            _set_environment(environment)
            os.chdir(folder)


def _set_environment(env: dict[str, str]) -> None:
    os.environ.clear()
    os.environ.update(env)
    time.tzset()

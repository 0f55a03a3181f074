"""The installed program in a process that was forked, not begun: its packages are loaded once for a worker's tests.

Half of a command's time on small files is spent on loading; otherwise it runs as it always does, from its arguments,
folder and environment to its exit code, in a process of its own.
"""

from __future__ import annotations

import atexit
import json
import os
import socket
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pathlib import Path

# What the interpreter or a library reads when it begins; a command with any of them is begun in the usual way.
READ_AT_START = ("PYTHON", "POLARS", "LC_", "LANG", "MPL", "RAYON")
_lock = threading.Lock()
_server: tuple[int, socket.socket, subprocess.Popen[bytes]] | None = None


def can_fork(env: dict[str, str]) -> bool:
    """Whether a command with this environment may run in a process that was forked."""
    special = [name for name in env if name.startswith(READ_AT_START) and env[name] != os.environ.get(name)]
    return hasattr(os, "fork") and not special


def run_forked(
    words: list[str], cwd: Path, env: dict[str, str], code: str | None = None
) -> subprocess.CompletedProcess[str] | None:
    """What the command gives, or a piece of code with these words; ``None`` if it must be begun in the usual way."""
    if not can_fork(env) or not _lock.acquire(blocking=False):
        return None
    try:
        with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err, open(os.devnull) as nothing:  # noqa: PTH123
            ended = _run(words, cwd, env, code, [nothing.fileno(), out.fileno(), err.fileno()])
            texts = []
            for file in (out, err):
                file.seek(0)
                texts.append(file.read().decode(errors="replace").replace("\r\n", "\n"))
        return subprocess.CompletedProcess(words, ended, *texts)
    finally:
        _lock.release()


def run_on_terminal(words: list[str], cwd: Path, env: dict[str, str], terminal: int) -> int:
    """The exit code of a command whose three streams are a terminal."""
    with _lock:
        return _run(words, cwd, env, None, [terminal] * 3)


def _run(words: list[str], cwd: Path, env: dict[str, str], code: str | None, streams: list[int]) -> int:
    asked = json.dumps({"argv": words, "cwd": str(cwd), "env": env, "code": code}).encode()
    server = _started()
    socket.send_fds(server, [len(asked).to_bytes(4, "big")], streams)
    server.sendall(asked)
    return int.from_bytes(_received(server, 4), "big", signed=True)


def _started() -> socket.socket:
    """The connection to the process that forks; it is one of this process and ends with it."""
    global _server
    if _server is None or _server[0] != os.getpid():
        ours, theirs = socket.socketpair()
        call = [sys.executable, __file__, str(theirs.fileno())]
        begun = subprocess.Popen(call, pass_fds=[theirs.fileno()], stdin=subprocess.DEVNULL)
        theirs.close()
        _server = (os.getpid(), ours, begun)
        atexit.register(_end, ours, begun)
    return _server[1]


def _end(connection: socket.socket, begun: subprocess.Popen[bytes]) -> None:
    connection.close()
    begun.wait()


def _received(connection: socket.socket, size: int) -> bytes:
    data = b""
    while len(data) < size:
        piece = connection.recv(size - len(data))
        if not piece:
            raise EOFError
        data += piece
    return data


def _serve(connection: socket.socket) -> None:
    """Fork for each command that is asked for, until nobody asks any more."""
    _load()
    while True:
        size, fds, _, _ = socket.recv_fds(connection, 4, 3)
        if len(size) < 4:
            return
        asked = json.loads(_received(connection, int.from_bytes(size, "big")))
        child = os.fork()
        if child == 0:
            _become(asked, fds)
        for number in fds:
            os.close(number)
        connection.sendall(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]).to_bytes(4, "big", signed=True))


def _load() -> None:
    """Load what commands load when they are called: every one's action, and what these load only where they need it."""
    import encodings
    import gc
    import importlib
    import pkgutil

    import neat_delta.cli.actions as actions
    from neat_delta.cli import app
    from neat_delta.tables.field_types import field_types

    for action in pkgutil.iter_modules(actions.__path__):
        importlib.import_module(f"{actions.__name__}.{action.name}")
    for name in ("checks", "workflows.compare", "reading.workbook", "reading.read", "expressions.compiler"):
        importlib.import_module(f"neat_delta.{name}")
    drawing = ("jinja2", "matplotlib.figure", "matplotlib.backends.backend_svg", "matplotlib.backends.backend_agg")
    others = ("xlsxwriter", "sqlalchemy", "httpx", "python_calamine", "sqlglot", "msgspec.json", "charset_normalizer")
    for package in (*drawing, *others):
        importlib.import_module(package)
    for codec in pkgutil.iter_modules(encodings.__path__):
        if codec.name not in ("mbcs", "oem"):  # (of another system)
            importlib.import_module(f"encodings.{codec.name}")
    for name in app.COMMANDS:
        app.cli.get_command(None, name)
    field_types()
    # (A command that is to see other plug-ins has another PYTHONPATH, and is not forked.)
    from neat_delta.base.plugins import CHECKS, DESTINATIONS, FIELD_TYPES, FORMATS, plugins

    for group in (CHECKS, DESTINATIONS, FIELD_TYPES, FORMATS):
        plugins(group)
    # What is here stays where it is: no process that is forked need look through it, and so copy it.
    gc.collect()
    gc.freeze()


def _become(asked: dict, fds: list[int]) -> None:
    """Be the program, in its folder and with its environment; this does not come back."""
    for stream, number in enumerate(fds):
        os.dup2(number, stream)
    os.chdir(asked["cwd"])
    os.environ.clear()
    os.environ.update(asked["env"])
    time.tzset()
    sys.argv = asked["argv"]
    # (The program puts its own in their place, and must not close them by that.)
    streams = [open(number, mode, encoding="utf-8", closefd=False) for number, mode in enumerate("rww")]  # noqa: SIM115
    sys.stdin, sys.stdout, sys.stderr = streams
    ended = 70
    try:
        if asked["code"] is not None:
            exec(compile(asked["code"], "<code>", "exec"), {"__name__": "__main__"})
            ended = 0
        else:
            from neat_delta.cli import main

            main()
    except SystemExit as left:
        ended = left.code if isinstance(left.code, int) else 1
    except BaseException:  # noqa: BLE001 (as the interpreter does at the end of a program)
        traceback.print_exc()
        ended = 1
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(ended)


if __name__ == "__main__":
    _serve(socket.socket(fileno=int(sys.argv[1])))

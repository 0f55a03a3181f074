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
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pathlib import Path

# What the interpreter or a library reads when it begins; a command with any of them is begun in the usual way.
READ_AT_START = ("PYTHON", "POLARS", "LC_", "LANG", "MPL", "RAYON")
_lock = threading.Lock()
_server: tuple[int, socket.socket, subprocess.Popen[bytes]] | None = None


def run_forked(
    program: Path, args: list[str], cwd: Path, env: dict[str, str]
) -> subprocess.CompletedProcess[str] | None:
    """What the command gives; ``None`` if it must be begun in the usual way."""
    special = [name for name in env if name.startswith(READ_AT_START) and env[name] != os.environ.get(name)]
    if not hasattr(os, "fork") or special or not _lock.acquire(blocking=False):
        return None
    try:
        with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
            asked = json.dumps({"argv": [str(program), *args], "cwd": str(cwd), "env": env}).encode()
            server = _started()
            socket.send_fds(server, [len(asked).to_bytes(4, "big")], [out.fileno(), err.fileno()])
            server.sendall(asked)
            code = int.from_bytes(_received(server, 4), "big", signed=True)
            texts = []
            for file in (out, err):
                file.seek(0)
                texts.append(file.read().decode(errors="replace").replace("\r\n", "\n"))
        return subprocess.CompletedProcess([str(program), *args], code, *texts)
    finally:
        _lock.release()


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
        size, fds, _, _ = socket.recv_fds(connection, 4, 2)
        if len(size) < 4:
            return
        asked = json.loads(_received(connection, int.from_bytes(size, "big")))
        child = os.fork()
        if child == 0:
            _become(asked, *fds)
        for number in fds:
            os.close(number)
        connection.sendall(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]).to_bytes(4, "big", signed=True))


def _load() -> None:
    """Load what commands load when they are called: every one's action, and what these load only where they need it."""
    import importlib
    import pkgutil

    import neat_delta.cli.actions as actions

    for action in pkgutil.iter_modules(actions.__path__):
        importlib.import_module(f"{actions.__name__}.{action.name}")
    for name in ("checks", "workflows.compare", "reading.workbook", "reading.read", "expressions.compiler"):
        importlib.import_module(f"neat_delta.{name}")
    drawing = ("jinja2", "matplotlib.figure", "matplotlib.backends.backend_svg", "matplotlib.backends.backend_agg")
    for package in (*drawing, "xlsxwriter", "sqlalchemy", "httpx", "python_calamine", "sqlglot"):
        importlib.import_module(package)
    # (A command that is to see other plug-ins has another PYTHONPATH, and is not forked.)
    from neat_delta.base.plugins import CHECKS, DESTINATIONS, FIELD_TYPES, FORMATS, plugins

    for group in (CHECKS, DESTINATIONS, FIELD_TYPES, FORMATS):
        plugins(group)


def _become(asked: dict, out: int, err: int) -> None:
    """Be the program, in its folder and with its environment; this does not come back."""
    for number, stream in ((os.open(os.devnull, os.O_RDONLY), 0), (out, 1), (err, 2)):
        os.dup2(number, stream)
    os.chdir(asked["cwd"])
    os.environ.clear()
    os.environ.update(asked["env"])
    time.tzset()
    sys.argv = asked["argv"]
    # (The program puts its own in their place, and must not close them by that.)
    streams = [open(number, mode, encoding="utf-8", closefd=False) for number, mode in enumerate("rww")]  # noqa: SIM115
    sys.stdin, sys.stdout, sys.stderr = streams
    try:
        from neat_delta.cli import main

        main()
    except SystemExit as left:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(left.code if isinstance(left.code, int) else 1)
    finally:
        os._exit(70)


if __name__ == "__main__":
    _serve(socket.socket(fileno=int(sys.argv[1])))

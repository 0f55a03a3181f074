"""A plug-in for pytest: which lines each test runs, in the program's own processes too, and how long it takes.

Loaded by mutants.py (``-p touched_lines``), which names the folder for what is found in ``TOUCHED_LINES``. The first
test of a module that a process runs stands for all tests of the module: what the module's own fixtures run is laid
to it.
"""

from __future__ import annotations

import json
import os
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

import coverage
import pytest

if TYPE_CHECKING:
    from collections.abc import Iterator

FOLDER = Path(os.environ["TOUCHED_LINES"])
SOURCE = os.environ["TOUCHED_SOURCE"]
# The test that runs; the program's processes are told by it.
TEST = "TOUCHED_TEST"
seconds: dict[str, float] = {}
modules: set[str] = set()
measured: coverage.Coverage | None = None


def measure(context: str | None = None) -> coverage.Coverage:
    """Begin to watch this process."""
    watched = coverage.Coverage(
        data_file=str(FOLDER / "lines"), data_suffix=True, include=[f"{SOURCE}/*"], context=context, config_file=False
    )
    watched.start()
    return watched


def pytest_sessionstart(session: pytest.Session) -> None:
    """Watch each process that runs tests, and the one that becomes the program."""
    global measured
    if hasattr(session.config, "workerinput") or not session.config.getoption("numprocesses", None):
        measured = measure()
        import forked

        forked.__file__ = __file__


@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    """One test, by its name, or by its module's if it is the module's first here."""
    module = item.nodeid.partition("::")[0]
    context = item.nodeid if module in modules else module
    modules.add(module)
    os.environ[TEST] = context
    if measured:
        measured.switch_context(context)
    begun = time.perf_counter()
    yield
    seconds[item.nodeid] = time.perf_counter() - begun


def pytest_sessionfinish() -> None:
    """Write down what was found."""
    if measured:
        measured.stop()
        measured.save()
    (FOLDER / f"seconds-{os.getpid()}.json").write_text(json.dumps(seconds))


def _serve(number: int) -> None:
    """Be the process that becomes the program, as forked.py is, and watch each program."""
    import socket

    import forked

    become, leave = forked._become, os._exit

    def watched(asked: dict[str, Any], *fds: int) -> None:
        lines = measure(asked["env"][TEST])

        def end(code: int) -> None:
            lines.stop()
            lines.save()
            leave(code)

        os._exit = end  # type: ignore[assignment]
        become(asked, *fds)

    forked._become = watched
    forked._serve(socket.socket(fileno=number))


if __name__ == "__main__":
    sys.path[:0] = [str(Path(SOURCE).parents[1] / "tests")]
    _serve(int(sys.argv[1]))

"""A plug-in for pytest: tests that are loaded once, and run again and again in forked processes with changed code.

Loaded by mutants.py (``-p warm_tests``), which asks at the socket whose number ``WARM_TESTS`` has: one line of JSON
with the file of a module, its changed text, and the tests to run, in this order. The answer is one line, "caught" if a
test fails or does not end, else "survived". The change is put into the functions that are loaded.
"""

from __future__ import annotations

import contextlib
import gc
import json
import os
import signal
import socket
import time
from types import CodeType, FunctionType
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Iterator

    import pytest


def pytest_collectstart() -> None:
    """Nobody looks for the smallest example."""
    from hypothesis import Phase, settings

    settings.register_profile("mutants", parent=settings(), phases=[Phase.explicit, Phase.generate], database=None)
    settings.load_profile("mutants")


def pytest_runtestloop(session: pytest.Session) -> bool:
    """Answer what is asked, until nobody asks any more."""
    items = {item.nodeid: item for item in session.items}
    with socket.socket(fileno=int(os.environ["WARM_TESTS"])) as connection, connection.makefile("rw") as lines:
        for line in lines:
            asked = json.loads(line)
            lines.write("caught\n" if _fails(asked, items) else "survived\n")
            lines.flush()
    return True


def _fails(asked: dict[str, Any], items: dict[str, pytest.Item]) -> bool:
    """Whether one of the tests fails with the changed code, or does not end in time."""
    child = os.fork()
    if child == 0:
        os.setsid()
        _put(asked["file"], asked["text"])
        _run([items[name] for name in asked["tests"]])
    end = time.monotonic() + asked["seconds"]
    while time.monotonic() < end:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            break
        time.sleep(0.01)
    with contextlib.suppress(ProcessLookupError):
        os.killpg(child, signal.SIGKILL)
    if not done:
        os.waitpid(child, 0)
    return not done or status != 0


def _put(file: str, text: str) -> None:
    """Let the loaded functions of a module do what its changed text says."""
    new = {(code.co_qualname, code.co_firstlineno): code for code in _codes(compile(text, file, "exec"))}
    for function in gc.get_objects():
        if isinstance(function, FunctionType) and function.__code__.co_filename == file:
            code = new.get((function.__code__.co_qualname, function.__code__.co_firstlineno))
            if code is not None:
                function.__code__ = code


def _codes(code: CodeType) -> Iterator[CodeType]:
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield constant
            yield from _codes(constant)


def _run(items: list[pytest.Item]) -> None:
    """Run tests until one fails; this does not come back."""
    from _pytest.runner import runtestprotocol

    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
    failed = True
    try:
        following = [*items[1:], None]
        failed = any(
            report.failed
            for item, after in zip(items, following, strict=True)
            for report in runtestprotocol(item, log=False, nextitem=after)
        )
    finally:
        os._exit(int(failed))

"""How much memory a command may take; nothing heavy is imported here.

What is far from that much is held in memory. Larger files stay where they are and are read piece by piece; what has to
be unpacked or recoded to be read is put into a temporary file, which is gone when the program is.
"""

from __future__ import annotations

import os
import re
import sys
from contextlib import contextmanager, suppress
from contextvars import ContextVar
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterator

UNITS = {"": 1, "K": 1 << 10, "M": 1 << 20, "G": 1 << 30, "T": 1 << 40}
# This share of what the machine has is left to others.
LEFT = 0.25
# What is assumed where the machine does not say.
USUAL = 4 << 30
# A control group's limit (Linux, cgroup version 2).
GROUP_LIMIT = Path("/sys/fs/cgroup/memory.max")
# The shares of the limit that one file's bytes, and one file's parsed columns, may take.
FILE_SHARE, COLUMNS_SHARE = 16, 6

# What a cell of a column takes, in bytes.
BYTES_A_CELL = 60

_limit: ContextVar[int | None] = ContextVar("memory_limit", default=None)


def memory_limit() -> int:
    """The bytes that may be taken: as given for this context, else what the machine has, less a quarter."""
    given = _limit.get()
    return int(_machine_memory() * (1 - LEFT)) if given is None else given


def largest_file_held() -> int:
    """The size up to which a file's bytes are held in memory."""
    return memory_limit() // FILE_SHARE


def largest_columns_held() -> int:
    """How many bytes of a file's columns are kept once they are parsed."""
    return memory_limit() // COLUMNS_SHARE


def columns_at_once(rows: int) -> int:
    """How many columns of so many rows may be held at a time, one at least; long texts are few."""
    return max(1, largest_columns_held() // max(1, rows * BYTES_A_CELL))


@contextmanager
def limited_to(size: int | None) -> Iterator[None]:
    """Within this context no more than so many bytes should be taken; ``None`` changes nothing."""
    token = _limit.set(_limit.get() if size is None else size)
    try:
        yield
    finally:
        _limit.reset(token)


def parse_size(text: str) -> int:
    """A size such as "8GB", "512 MB" or "8000000000" in bytes (units are powers of 1,024).

    Raises:
        ValueError: it is none.
    """
    size = re.fullmatch(r"\s*([0-9]+(?:\.[0-9]+)?)\s*([KMGT]?)(?:i?B)?\s*", text, re.IGNORECASE)
    if not size:
        raise ValueError(text)
    return int(float(size[1]) * UNITS[size[2].upper()])


def _windows_memory() -> int:
    """The memory of a machine with Windows (GlobalMemoryStatusEx); ``USUAL`` on any other."""
    if sys.platform != "win32":
        return USUAL
    import ctypes

    class Status(ctypes.Structure):
        _fields_ = (
            ("length", ctypes.c_ulong),
            ("load", ctypes.c_ulong),
            *(
                (name, ctypes.c_ulonglong)
                for name in ("total", "free", "pages", "free_pages", "own", "free_own", "more")
            ),
        )

    status = Status(length=ctypes.sizeof(Status))
    is_known = ctypes.windll.kernel32.GlobalMemoryStatusEx(ctypes.byref(status))
    return int(status.total) if is_known else USUAL


def _machine_memory() -> int:
    size = USUAL
    with suppress(AttributeError, OSError):
        size = _windows_memory()
    with suppress(AttributeError, ValueError, OSError):  # (not every system tells)
        size = os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    with suppress(OSError, ValueError):
        size = min(size, int(GROUP_LIMIT.read_text("ascii")))
    return size

"""Processes of the program's own: by Python, or, where it is one program file, by that file itself."""

from __future__ import annotations

import sys

# What the program file takes for this work instead of a command (scripts/make_program.py).
DECODE_PARQUET = "decode-parquet"


def is_one_file() -> bool:
    """Whether this is one program file, which has its Python inside."""
    return bool(getattr(sys, "frozen", False))


def command_words(*words: str) -> list[str]:
    """What starts a command of this program in a process of its own."""
    return [sys.executable, *words] if is_one_file() else [sys.executable, "-m", "neat_delta", *words]


def decoding_words(*words: str) -> list[str]:
    """What starts the decoding of a Parquet file in a process of its own."""
    if is_one_file():
        return [sys.executable, DECODE_PARQUET, *words]
    code = "from neat_delta.reading.parquet import decode_for_parent; decode_for_parent()"
    return [sys.executable, "-c", code, *words]

"""Commands that can be pasted: quoted for the user's shell, with names that are still free."""

from __future__ import annotations

import os
import re
import shlex
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence

SH, POWERSHELL, CMD = "sh", "powershell", "cmd"
# A room that no command fills.
ONE_LINE = 100_000
# What ends a line that goes on.
CONTINUED = {SH: "\\", POWERSHELL: "`", CMD: "^"}
# Words that no shell changes.
PLAIN = re.compile(r"[A-Za-z0-9_@+=:,./…-]+")
PLAIN_ON_WINDOWS = re.compile(r"[A-Za-z0-9_+=:./\\…-]+")


def user_shell() -> str:
    """The shell that commands are most likely pasted into.

    On Windows, cmd sets PROMPT for the programs that it starts, and PowerShell does not.
    """
    if os.name != "nt":
        return SH
    return CMD if "PROMPT" in os.environ else POWERSHELL


def quoted(word: str, shell: str) -> str:
    """A word of a command line as a person would quote it for this shell."""
    if shell == SH:
        if PLAIN.fullmatch(word):
            return word
        return shlex.quote(word) if set(word) & set('"$`\\!') else f'"{word}"'
    if PLAIN_ON_WINDOWS.fullmatch(word):
        return word
    if shell == POWERSHELL:
        return "'" + word.replace("'", "''") + "'"
    # Programs on Windows part their words by themselves: a quote is escaped by a backslash, and so are those before it.
    escaped = re.sub(r'(\\*)"', r'\1\1\\"', word)
    return '"' + re.sub(r"(\\+)\Z", r"\1\1", escaped) + '"'


def command_line(words: Sequence[str], room: int, shell: str | None = None) -> list[str]:
    """A command on as many lines as it takes, broken in front of options in the way that its shell understands.

    Args:
        words: the words, not quoted.
        room: the width of a line.
        shell: the shell; the user's, if it is not given.
    """
    shell = shell or user_shell()
    safe = [quoted(word, shell) for word in words]
    if shell == POWERSHELL and safe[0].startswith("'"):
        safe[0] = f"& {safe[0]}"  # (a quoted word alone is a text there, and not a program)
    if len(" ".join(safe)) <= room:
        return [" ".join(safe)]
    lines: list[str] = []
    for word, plain in zip(safe, words, strict=True):
        if plain.startswith("-") and lines:
            lines.append(f"  {word}")
        elif lines:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return [*(f"{line} {CONTINUED[shell]}" for line in lines[:-1]), lines[-1]]


def free_name(name: str) -> str:
    """This name, or it with the first number behind it that no file or folder has yet."""
    path = Path(name)
    number = 1
    while os.path.lexists(path):
        number += 1
        path = Path(name).with_name(f"{Path(name).stem}-{number}{Path(name).suffix}")
    return str(path)

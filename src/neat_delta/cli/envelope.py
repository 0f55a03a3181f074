"""What --json prints: one envelope for every command and every error, with the exit code that the command ends with."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import click

from neat_delta.base.errors import InvalidSettings, NeatDeltaError
from neat_delta.cli.hints import error_text
from neat_delta.files.output_paths import standard_output_taken

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.changeset.changeset import ChangeSet

VERSION = 2
# A change set may have a problem on each of a million rows; the workbook and the change set have them all.
MOST_PROBLEMS = 1_000


@dataclass
class Envelope:
    """What a command has to say: its result, what is wrong, and the commands to run next."""

    result: Any = None
    problems: list[dict[str, Any]] = field(default_factory=list)
    next_commands: list[str] = field(default_factory=list)
    filled: bool = False


_current = Envelope()


def begin() -> None:
    """Start with an empty envelope."""
    global _current
    _current = Envelope()


def show_json(result: Any, changes: ChangeSet | None = None, next_commands: Sequence[Sequence[str]] = ()) -> None:
    """Put a result into the envelope, which is printed once the command ends.

    Args:
        result: what JSON can hold.
        changes: the change set with the problems.
        next_commands: the commands to run next, in words.
    """
    from neat_delta.base.shell import quoted, user_shell

    _current.result, _current.filled = result, True
    _current.problems = [] if changes is None else _problems_of(changes)
    shell = user_shell()
    _current.next_commands = [" ".join(quoted(word, shell) for word in words) for words in next_commands]


def print_envelope(command: str, exit_code: int, error: BaseException | None, *, as_json: bool) -> None:
    """Print the envelope if a command has filled it, or failed where JSON is wanted."""
    if not (_current.filled or (as_json and error is not None)):
        return
    from neat_delta.base.json_form import json_bytes
    from neat_delta.views.safe_text import safe_json

    envelope = {
        "neat_delta": VERSION,
        "command": command,
        "exit": int(exit_code),
        "problems": [*_current.problems, *_problems_in(error)],
        "result": _current.result,
        "next": _current.next_commands,
    }
    # JSON is UTF-8 (RFC 8259), whatever the terminal's encoding.
    click.echo(safe_json(json_bytes(envelope, indented=True)), err=standard_output_taken())


def _problems_of(changes: ChangeSet) -> list[dict[str, Any]]:
    """Errors and warnings of a change set, the first of very many; each key as its parts."""
    import polars as pl

    from neat_delta.matching import KEY_SEPARATOR
    from neat_delta.tables.line_names import with_own_line

    findings = changes.findings.filter(pl.col("level").is_in(["error", "warning"])).head(MOST_PROBLEMS)
    findings = findings.select("code", "level", "key", "field", "line", "value", "message")
    rows = (with_own_line(row, changes.head.edited.parts) for row in findings.to_dicts())
    return [row | {"key": row["key"].split(KEY_SEPARATOR) if row["key"] else None} for row in rows]


def _problems_in(error: BaseException | None) -> list[dict[str, Any]]:
    if error is None:
        return []
    if isinstance(error, InvalidSettings):
        return [problem for mistake in error.mistakes for problem in _problems_in(mistake)]
    if isinstance(error, NeatDeltaError):
        place = {"line": error.line, "column": error.column, "value": error.value}
        file = None if error.file is None else str(error.file)
        return [{"code": error.code, "level": "error", "file": file, "message": error_text(error)} | place]
    message = error.format_message() if isinstance(error, click.ClickException) else str(error)
    return [
        {"code": "usage" if isinstance(error, click.ClickException) else "error", "level": "error", "message": message}
    ]

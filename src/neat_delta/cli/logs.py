"""What a command writes down of its work: lines for people on standard error, or lines in a file, text or JSON."""

from __future__ import annotations

import json
import logging
import re
import sys
import time
from datetime import UTC, datetime
from typing import TYPE_CHECKING, TypeVar

from neat_delta.base.errors import NeatDeltaError, WriteError
from neat_delta.base.exit_codes import exit_for
from neat_delta.base.redact import redacted
from neat_delta.files.trouble import reason
from neat_delta.views.safe_text import safe_line

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from pathlib import Path

T = TypeVar("T")

LOGGER = logging.getLogger("neat_delta")
# How a line of such a file begins; any other file is somebody's, and is not written to.
OWN_LINE = re.compile(rb'\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z [A-Z]+ |\{"time":')
LONGEST_START = 64


class _Line(logging.Formatter):
    """A line of text, without any secret."""

    def format(self, record: logging.LogRecord) -> str:
        """Time (UTC), level, and what happened."""
        return f"{_time(record)} {record.levelname} {_message(record)}"


class _JsonLine(logging.Formatter):
    """A line of JSON, without any secret."""

    def format(self, record: logging.LogRecord) -> str:
        """An object with time, level, logger and message."""
        line = {"time": _time(record), "level": record.levelname.lower(), "logger": record.name}
        return json.dumps(line | {"message": _message(record)}, ensure_ascii=False)


def _time(record: logging.LogRecord) -> str:
    moment = datetime.fromtimestamp(record.created, UTC)
    return f"{moment:%Y-%m-%dT%H:%M:%S}.{moment.microsecond // 1000:03}Z"


def _message(record: logging.LogRecord) -> str:
    text = record.getMessage()
    if record.exc_info and record.exc_info[1] is not None:
        text += f" ({type(record.exc_info[1]).__name__})"
    return safe_line(redacted(text))


def logged(action: Callable[[], T], words: Sequence[str], verbose: int, file: Path | None, file_format: str) -> T:
    """What an action returns, a command's exit code; what it does is written down.

    Args:
        action: what the command does.
        words: the command as it was typed.
        verbose: 1 for the steps on standard error, 2 for what libraries say as well.
        file: where lines are added.
        file_format: "text" or "json".

    Raises:
        WriteError: the file cannot be written, or is no log.
    """
    handlers = _handlers(verbose, file, file_format)
    root, before = logging.getLogger(), LOGGER.level
    target = root if verbose > 1 else LOGGER
    root_before = root.level
    LOGGER.setLevel(logging.DEBUG)
    if verbose > 1:
        root.setLevel(logging.DEBUG)
    for handler in handlers:
        target.addHandler(handler)
    begun = time.monotonic()
    LOGGER.info("neat-delta %s", " ".join(words))
    code: object = "none"
    try:
        code = outcome = action()
        return outcome
    except NeatDeltaError as error:
        code = int(exit_for(error))
        LOGGER.error("%s", error)
        raise
    except BaseException as error:
        LOGGER.error("ended by %s", type(error).__name__)
        raise
    finally:
        LOGGER.info("ended after %.1f s, exit code %s", time.monotonic() - begun, code)
        for handler in handlers:
            target.removeHandler(handler)
            handler.close()
        LOGGER.setLevel(before)
        root.setLevel(root_before)


def _handlers(verbose: int, file: Path | None, file_format: str) -> list[logging.Handler]:
    handlers: list[logging.Handler] = []
    if verbose:
        handlers.append(logging.StreamHandler(sys.stderr))
        handlers[-1].setFormatter(_Line())
        handlers[-1].setLevel(logging.DEBUG if verbose > 1 else logging.INFO)
    if file is not None:
        _insist_on_log(file)
        try:
            handlers.append(logging.FileHandler(file, encoding="utf-8", errors="replace"))
        except OSError as error:
            raise WriteError(
                f"cannot write the log ({reason(error)})", file=file, hint="Choose another file."
            ) from error
        handlers[-1].setFormatter(_JsonLine() if file_format == "json" else _Line())
        handlers[-1].setLevel(logging.DEBUG if verbose > 1 else logging.INFO)
    return handlers


def _insist_on_log(file: Path) -> None:
    """See that lines are added to a log, or to an empty file, and not to somebody's work."""
    try:
        with file.open("rb") as existing:
            start = existing.read(LONGEST_START)
    except OSError:
        return  # it is not there, or opening it to write says why
    if start and not OWN_LINE.match(start):
        raise WriteError("this file is no log of neat-delta", file=file, hint="Choose another name.")


def is_logging() -> bool:
    """Whether what is done is written down."""
    return LOGGER.isEnabledFor(logging.INFO) and LOGGER.hasHandlers()


def log_step(what: str) -> None:
    """Write down a step."""
    LOGGER.info("%s", what)

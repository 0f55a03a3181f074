"""What goes wrong between two machines, and trying again where it may pass."""

from __future__ import annotations

import errno
import socket
import ssl
import time
from typing import TYPE_CHECKING, TypeVar

from neat_delta.base.redact import redacted
from neat_delta.remote.secrets import UNENCRYPTED, may_go_unencrypted

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

T = TypeVar("T")

TRIES, FIRST_PAUSE = 4, 0.25
# Seconds until a silent machine is given up.
SILENCE_TIME = 30.0


class TransferError(Exception):
    """A transfer failed: ``what`` says why; one that is ``transient`` may be gone in a moment, and is tried again."""

    def __init__(self, what: str, *, transient: bool = False, hint: str | None = None) -> None:
        super().__init__(what)
        self.what = redacted(what)
        self.transient = transient
        self.hint = hint
        self.never_left = False
        """Whether it is sure that nothing has left this machine, for there was no connection at any time."""


class NotFound(TransferError):
    """There is no such file."""


def require_encryption(host: str, what: str, encrypted: str) -> None:
    """See that a secret does not go over a line that others can read; ``encrypted`` is how an address should begin.

    Raises:
        TransferError: it would.
    """
    if not may_go_unencrypted(host):
        raise TransferError(
            f"{what} would go to {host} without encryption, so nothing was sent",
            hint=f"Use an address with {encrypted}, or put {host} into the variable {UNENCRYPTED}.",
        )


def retry(action: Callable[[], T]) -> T:
    """What an action gives, which is tried again after passing trouble, a little later each time.

    Raises:
        TransferError: it does not pass, or not soon enough.
    """
    connected = False
    for attempt in range(TRIES):
        try:
            return action()
        except TransferError as trouble:
            connected |= not never_connected(trouble)
            trouble.never_left = not connected
            if not trouble.transient or attempt == TRIES - 1:
                raise
        time.sleep(FIRST_PAUSE * 2**attempt)
    raise AssertionError


CUT_OFF = "transfer interrupted"
SILENT = "timed out"
UNKNOWN_HOST = "unknown host"
# What kinds of failure mean, the particular before the general.
MEANINGS: tuple[tuple[type[BaseException], str], ...] = (
    (TimeoutError, SILENT),
    (socket.gaierror, UNKNOWN_HOST),
    (ConnectionRefusedError, "the connection was refused"),
    (ConnectionResetError, CUT_OFF),
    (BrokenPipeError, CUT_OFF),
    (EOFError, CUT_OFF),
    (ssl.SSLEOFError, CUT_OFF),
)
UNREACHABLE = (errno.EHOSTUNREACH, errno.ENETUNREACH, errno.EHOSTDOWN)
# Libraries have one kind of error for many things; by these words of theirs it is given what people read, no more.
WORDINGS = {
    "banner": SILENT,
    "timed out": SILENT,
    "timeout": SILENT,
    "incomplete": CUT_OFF,
    "without sending complete": CUT_OFF,
    "eof": CUT_OFF,
    "no existing session": "connection closed by the server",
    "without response": "connection closed by the server",
}


def causes(error: BaseException) -> Iterator[BaseException]:
    """An error and what it came from, each once."""
    seen: set[int] = set()
    waiting: list[BaseException | None] = [error]
    while waiting:
        one = waiting.pop(0)
        if one is not None and id(one) not in seen:
            seen.add(id(one))
            yield one
            waiting += [one.__cause__, one.__context__]


def plain(error: Exception) -> str:
    """What went wrong with a connection, in a few words."""
    chain = list(causes(error))
    for one in chain:
        if isinstance(one, ssl.SSLCertVerificationError):
            return f"invalid certificate ({one})"
        if isinstance(one, OSError) and one.errno in UNREACHABLE:
            return "server not reachable"
    for one in chain:
        for kind, message in MEANINGS:
            if isinstance(one, kind):
                return message
    text = str(error) or type(error).__name__
    return next((message for sign, message in WORDINGS.items() if sign in text.lower()), text)


def never_connected(error: BaseException) -> bool:
    """Whether there was no connection at all, so that nothing can have left this machine."""
    return any(
        isinstance(one, ConnectionRefusedError | socket.gaierror)
        or (isinstance(one, OSError) and one.errno in UNREACHABLE)
        for one in causes(error)
    )


def is_permanent(error: Exception) -> bool:
    """Whether trouble with a connection will not pass by itself: a certificate that does not hold, an unknown name."""
    return any(
        isinstance(one, ssl.SSLCertVerificationError)
        or (isinstance(one, socket.gaierror) and one.errno != socket.EAI_AGAIN)
        for one in causes(error)
    )

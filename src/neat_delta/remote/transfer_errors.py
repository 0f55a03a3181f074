"""What goes wrong between two machines, and trying again where it may pass."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, TypeVar

from neat_delta.redact import redacted
from neat_delta.remote.secrets import UNENCRYPTED, may_go_unencrypted

if TYPE_CHECKING:
    from collections.abc import Callable

T = TypeVar("T")

TRIES, FIRST_PAUSE = 4, 0.25
# Seconds until a silent machine is given up.
SILENCE_TIME = 30.0


class TransferError(Exception):
    """A transfer failed: ``what`` says why; ``passing`` trouble may be gone in a moment, and is worth another try."""

    def __init__(self, what: str, *, passing: bool = False, hint: str | None = None) -> None:
        super().__init__(what)
        self.what = redacted(what)
        self.passing = passing
        self.hint = hint


class NotFound(TransferError):
    """There is no such file."""


def require_encryption(host: str, what: str, encrypted: str) -> None:
    """See that a secret does not go over a line that others can read; ``encrypted`` is how an address should begin.

    Raises:
        Trouble: it would.
    """
    if not may_go_unencrypted(host):
        raise TransferError(
            f"{what} would go to {host} over a line that others can read, so nothing was sent",
            hint=f"Begin the address with {encrypted}, or put {host} into the variable {UNENCRYPTED}.",
        )


def retry(action: Callable[[], T]) -> T:
    """What an action gives, which is tried again after passing trouble, a little later each time.

    Raises:
        Trouble: it does not pass, or not soon enough.
    """
    for attempt in range(TRIES):
        try:
            return action()
        except TransferError as trouble:
            if not trouble.passing or attempt == TRIES - 1:
                raise
        time.sleep(FIRST_PAUSE * 2**attempt)
    raise AssertionError


def plain(error: Exception) -> str:
    """What went wrong with a connection, in a few words."""
    text = str(error) or type(error).__name__
    known = {
        "certificate": f"its certificate does not hold ({text})",
        "banner": "it was silent too long",
        "refused": "the connection was refused",
        "unreachable": "the machine cannot be reached",
        "timed out": "it was silent too long",
        "timeout": "it was silent too long",
        "not known": "no machine of that name is known",
        "name resolution": "no machine of that name is known",
        "incomplete": "it was cut off half way",
        "without sending complete": "it was cut off half way",
        "no existing session": "it hung up without an answer",
        "without response": "it hung up without an answer",
        "eof": "it was cut off half way",
        "reset by peer": "it was cut off half way",
        "broken pipe": "it was cut off half way",
    }
    return next((message for sign, message in known.items() if sign in text.lower()), text)


def is_permanent(error: Exception) -> bool:
    """Whether trouble with a connection will not pass by itself."""
    return any(sign in str(error).lower() for sign in ("certificate", "not known", "hostname"))

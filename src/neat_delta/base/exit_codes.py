"""Exit codes, which scheduled runs rely on."""

from __future__ import annotations

from enum import IntEnum
from typing import TYPE_CHECKING

from neat_delta.base.errors import AmbiguousKey, DeliveryError, InvalidOption, NetworkError, NotInstalled

if TYPE_CHECKING:
    from neat_delta.base.errors import NeatDeltaError


class Exit(IntEnum):
    """How a run ended; after USAGE, UNUSABLE and NETWORK nothing was done.

    DONE: nothing needs attention. ATTENTION: done, but something was not sent or not applied. USAGE: wrong command or
    option. UNUSABLE: a file or an answer cannot be read or used. NETWORK: the shop, a server or the network.
    INTERRUPTED: stopped from outside.
    """

    DONE = 0
    ATTENTION = 1
    USAGE = 2
    UNUSABLE = 3
    NETWORK = 4
    INTERRUPTED = 130


def exit_for(error: NeatDeltaError) -> Exit:
    """The exit code that an error ends a command with."""
    if isinstance(error, InvalidOption | AmbiguousKey | NotInstalled):
        return Exit.USAGE
    if isinstance(error, NetworkError | DeliveryError):
        return Exit.NETWORK
    return Exit.UNUSABLE

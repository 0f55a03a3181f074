"""Exit codes, which scheduled runs rely on."""

from enum import IntEnum


class Exit(IntEnum):
    """How a run ended.

    DONE: nothing stands in the way. ATTENTION: done, but something was held back and needs a person. FAILED: wrong
    call, unreadable input, or nothing could be done. INTERRUPTED: stopped from outside, nothing is half written.
    """

    DONE = 0
    ATTENTION = 1
    FAILED = 2
    INTERRUPTED = 130

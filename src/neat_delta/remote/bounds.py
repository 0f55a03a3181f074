"""How much a machine may send and how slowly, so that none can fill the memory or keep a schedule waiting for ever."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, TypeVar

from neat_delta.files.memory import memory_limit
from neat_delta.remote.transfer_errors import TransferError

if TYPE_CHECKING:
    from collections.abc import Callable

T = TypeVar("T")

# More than any export, in bytes; and what packed answers may unpack to, as archives may.
MOST_BYTES, MOST_TIMES, HARMLESS = 4 << 30, 500, 64 << 20
# A machine that does not bring so many bytes in so many seconds is given up, even if it is never silent for long.
# What comes is in memory twice for a moment, beside other things.
MEMORY_SHARE = 8
FEWEST_BYTES, SLOW_TIME = 4096, 60.0
LOOK = 0.5


@dataclass
class Meter:
    """Counts what comes and goes in a transfer; both are signs that it is alive."""

    received: int = 0
    moved: int = 0
    most: int = MOST_BYTES
    stop: Callable[[], None] = field(default=lambda: None)

    def count(self, size: int) -> None:
        """Note that so many bytes have come.

        Raises:
            TransferError: they are more than any file has.
        """
        self.received += size
        self.moved += size
        if self.received > self.most:
            raise TransferError(
                f"the answer is larger than {self.most >> 20:,} MB, which is the limit here",
                hint="Allow more memory, or get the file in another way.",
            )

    def sent(self, size: int) -> None:
        """Note that so many bytes have gone."""
        self.moved += size

    def insist_on_unpacked(self, unpacked: int) -> None:
        """See that what has come is no small thing made to fill the memory (a Content-Encoding bomb).

        Raises:
            TransferError: it is.
        """
        if unpacked > max(HARMLESS, self.received * MOST_TIMES) or unpacked > self.most:
            raise TransferError("the answer is too large when unpacked", hint="Ask the server administrator.")


def most_bytes() -> int:
    """How many bytes may come from a machine at most: a part of the memory that may be used."""
    return min(MOST_BYTES, max(HARMLESS, memory_limit() // MEMORY_SHARE))


def within_bounds(action: Callable[[Meter], T], most: int | None = None) -> T:
    """What an action gives that moves bytes over a line, as long as it moves enough of them.

    The action works in a thread of its own, for a library waits as long as a byte comes now and then. If it is given
    up, what its meter has to ``stop`` it is called, and nobody waits for it any more.

    Raises:
        TransferError: it is too slow.
        BaseException: whatever the action raises.
    """
    meter = Meter(most=most_bytes() if most is None else most)
    done = threading.Event()
    values: list[T] = []
    failed: list[BaseException] = []

    def work() -> None:
        try:
            values.append(action(meter))
        except BaseException as error:  # noqa: BLE001 (raised again where it is waited for)
            failed.append(error)
        finally:
            done.set()

    threading.Thread(target=work, daemon=True).start()
    begun, before = time.monotonic(), 0
    while not done.wait(LOOK):
        if meter.moved - before >= FEWEST_BYTES:
            begun, before = time.monotonic(), meter.moved
        elif time.monotonic() - begun > SLOW_TIME:
            meter.stop()
            raise TransferError(f"too slow: less than {FEWEST_BYTES} bytes in {SLOW_TIME:.0f} seconds")
    if failed:
        raise failed[0]
    return values[0]

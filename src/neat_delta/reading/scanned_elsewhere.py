"""Records that the workers of a cluster looked for, stretch by stretch; whether they are records is decided here."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from neat_delta.files.content import ContentOnDisk
from neat_delta.files.workers import workers
from neat_delta.reading.record_scan import Candidates, scan_range

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.files.content import Content

# A worker looks at so many bytes at a time.
STRETCH = 1 << 24


class ScannedElsewhere:
    """The candidates of a text in the order of its stretches, of which one is held at a time."""

    def __init__(self, stretches: Iterator[tuple[int, Candidates]]) -> None:
        self.stretches = stretches
        self._begin: int = 0
        self._found: Candidates | None = None
        self._go_on()

    def at(self, start: int) -> Candidates | None:
        """The candidates from this position on, if one begins there, to the end of its stretch.

        Positions must be asked for in ascending order.
        """
        while self._found is not None and self._begin + self._found.rest <= start:
            self._go_on()
        if self._found is None or start < self._begin:
            return None
        at = int(np.searchsorted(self._found.start, start - self._begin))
        if at >= len(self._found) or self._found.start[at] != start - self._begin:
            return None
        return self._found.after(at)

    def _go_on(self) -> None:
        self._begin, self._found = next(self.stretches, (0, None))


def scanned_elsewhere(text: Content, delimiter: str) -> ScannedElsewhere | None:
    """What the workers find in a text; ``None`` where there are none, or they cannot reach it."""
    those = workers()
    if not those.elsewhere or not isinstance(text, ContentOnDisk) or text.is_temporary:
        return None
    tasks = ((text, start, min(start + STRETCH, len(text)), delimiter) for start in range(0, len(text), STRETCH))
    return ScannedElsewhere(those.each(scan_range, tasks))

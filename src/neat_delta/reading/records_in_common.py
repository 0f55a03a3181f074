"""Records of a file that are, one after another, those of another file: found by comparing bytes, not looked at again.

An edited copy is mostly its live export, record for record. What differs between two stretches in common is looked at
by itself, and must be whole records; where it is not, nothing is taken for granted.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from neat_delta.reading.record_blocks import RecordSpans

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from neat_delta.files.content import Content
    from neat_delta.reading.csv_rows import CsvRows

# So many bytes are compared at first, and at most; where the next record in common begins is looked for in so many.
LEAST, MOST, NEAR = 1 << 13, 1 << 20, (1 << 12, 1 << 16)
# A record is known again by so many bytes of its start.
ANCHOR = 80
# The records that may come next in the other file: the one behind a changed one, the same one behind a new one, or one
# behind some that were taken out.
NEXT = (1, 0, 2, 3, 4)
# Where after so many gaps more than this share of the bytes is in them, the files have too little in common.
ENOUGH_GAPS, MOSTLY_GAPS = 500, 0.3


@dataclass(frozen=True)
class Gap:
    """A stretch of the other file that is not in common, and the line on which it begins."""

    start: int
    end: int
    line: int


@dataclass
class InCommon:
    """What two files have in common: stretches of rows of one (first, behind the last), and where they are in another.

    ``starts`` and ``lines`` tell for each stretch where it begins in the other file, and on which line.
    """

    like: CsvRows
    rows: list[tuple[int, int]] = field(default_factory=list)
    starts: list[int] = field(default_factory=list)
    lines: list[int] = field(default_factory=list)
    gaps: list[Gap] = field(default_factory=list)

    def spans(self) -> tuple[NDArray[np.int64], RecordSpans]:
        """The rows in common, and where they are in the other file."""
        spans = self.like.spans
        lengths = np.array([stop - first for first, stop in self.rows], np.int64)
        firsts = np.array([first for first, _ in self.rows], np.int64)
        rows = np.repeat(firsts - np.cumsum(lengths) + lengths, lengths) + np.arange(int(lengths.sum()))
        moved = np.repeat(np.array(self.starts, np.int64) - spans.start[firsts], lengths)
        lines = np.repeat(np.array(self.lines, np.int64) - spans.line[firsts], lengths)
        line = (spans.line[rows] + lines).astype(np.uint32)
        return rows, RecordSpans(spans.start[rows] + moved, spans.end[rows] + moved, line)


def records_in_common(like: CsvRows, text: Content, start: int, line: int) -> InCommon | None:
    """The stretches in common of a file's rows and another text from a position on, which is the start of this line.

    ``None`` where they have too little in common for it to save time.
    """
    common = InCommon(like)
    breaks = np.flatnonzero(like.spans.start[1:] != like.spans.end[:-1] + 1) + 1
    row, in_gaps = 0, 0
    begin = start
    while start < len(text) and row < len(like):
        at = int(np.searchsorted(breaks, row, side="right"))
        stop = int(breaks[at]) if at < len(breaks) else len(like)
        behind = _behind_equal(like, row, stop, text, start)
        if behind > row:
            common.rows.append((row, behind))
            common.starts.append(start)
            common.lines.append(line)
            size = int(like.spans.end[behind - 1] - like.spans.start[row]) + 1
            line += _lines_of(like, row, behind)
            start, row = start + size, behind
        if start >= len(text) or row >= len(like):
            break
        again = _next_in_common(like, row, text, start)
        if again is None:
            break
        after, row = again
        if after > start:
            common.gaps.append(Gap(start, after, line))
            line += text.read(start, after).count(b"\n")
            in_gaps += after - start
            start = after
        if len(common.gaps) > ENOUGH_GAPS and in_gaps > MOSTLY_GAPS * (start - begin):
            return None
    if start < len(text):
        common.gaps.append(Gap(start, len(text), line))
        in_gaps += len(text) - start
    return None if in_gaps > MOSTLY_GAPS * (len(text) - begin) else common


def _lines_of(like: CsvRows, row: int, behind: int) -> int:
    """How many lines some rows take that stand side by side."""
    spans = like.spans
    last = like.text.read(int(spans.start[behind - 1]), int(spans.end[behind - 1])).count(b"\n") + 1
    return int(spans.line[behind - 1]) - int(spans.line[row]) + last


def _behind_equal(like: CsvRows, row: int, stop: int, text: Content, start: int) -> int:
    """The row behind the last of those from one on that the text has from a position on, with their line ends."""
    spans = like.spans
    begin, end = int(spans.start[row]), int(spans.end[stop - 1]) + 1
    at, size = 0, LEAST
    while begin + at < end:
        size = min(size, end - begin - at)
        ours, theirs = like.text.read(begin + at, begin + at + size), text.read(start + at, start + at + size)
        if ours != theirs:
            height = min(len(ours), len(theirs))
            differ = np.frombuffer(ours, np.uint8)[:height] != np.frombuffer(theirs, np.uint8)[:height]
            at += int(differ.argmax()) if differ.any() else height
            break
        at += len(ours)
        if len(ours) < size:  # the end of both
            at += 1
            break
        size = min(2 * size, MOST)
    return row + int(np.searchsorted(spans.end[row:stop], begin + at - 1, side="right"))


def _next_in_common(like: CsvRows, row: int, text: Content, start: int) -> tuple[int, int] | None:
    """Where in the text, from a position on, one of the next rows begins, and which."""
    spans = like.spans
    for near in NEAR:
        window = text.read(start - 1, start + near)
        for step in NEXT:
            if row + step >= len(like):
                continue
            first = int(spans.start[row + step])
            anchor = b"\n" + like.text.read(first, min(int(spans.end[row + step]), first + ANCHOR))
            at = window.find(anchor, 0 if step else 1)  # (this very row is not in common)
            if at >= 0:
                return start + at, row + step
    return None

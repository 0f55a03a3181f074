"""Where each record of a delimited text begins and ends, how many cells it has, and whether its quotes are sound.

RFC 4180: a cell is in quotes or has none; quotes inside a quoted cell are doubled, and delimiters and line ends there
are the cell's own. Delimiters, quotes and line ends of a block are found by NumPy over its bytes; what a run of quotes
does depends on its length and its neighbours, and on whether the text before it is inside a cell. As a quote with a
delimiter on one side only can but open, or close, one that somebody forgot misleads no further than to the next cell.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from neat_delta.files.content import Content

QUOTE, LINE_FEED, RETURN = (ord(sign) for sign in '"\n\r')


@dataclass(frozen=True)
class Candidates:
    """What may be the records of a block, in order; each is one if it is ``sound`` and has the right number of cells.

    ``start`` and ``end`` are positions in the block, without the line feed; ``lines`` counts the lines in the block
    before each record, ``first`` is its first byte; it is ``empty`` if it is nothing but the end of a line. The rest
    of the block from ``rest`` on, behind ``lines_before_rest``, has no end.
    """

    start: NDArray[np.int64]
    end: NDArray[np.int64]
    lines: NDArray[np.int64]
    cells: NDArray[np.int64]
    sound: NDArray[np.bool_]
    first: NDArray[np.uint8]
    empty: NDArray[np.bool_]
    rest: int
    lines_before_rest: int

    def __len__(self) -> int:
        return len(self.start)

    def after(self, at: int) -> Candidates:
        """Those from this one on, as if the block began with it."""
        start, line = int(self.start[at]), int(self.lines[at])
        return Candidates(
            self.start[at:] - start, self.end[at:] - start, self.lines[at:] - line, self.cells[at:], self.sound[at:],
            self.first[at:], self.empty[at:], self.rest - start, self.lines_before_rest - line,
        )  # fmt: skip


def scan_block(data: bytes | memoryview, delimiter: str, *, last: bool) -> Candidates:
    """The records of a block that begins with one; ``last``: the text ends with the block.

    In the last block, what stands behind the last line feed is a record as well.
    """
    signs = np.frombuffer(data, np.uint8)
    positions = _positions(signs, ord(delimiter))
    kinds = signs[positions]
    line_feeds = np.flatnonzero(kinds == LINE_FEED)
    delimiters = np.cumsum(kinds == ord(delimiter), dtype=np.int64)
    quotes = np.flatnonzero(kinds == QUOTE)
    runs = None if not len(quotes) else _Runs.of(signs, positions[quotes], delimiters[quotes], ord(delimiter))
    outside = np.ones(len(line_feeds), np.bool_) if runs is None else ~runs.inside_at(positions[line_feeds])
    ends, counts = positions[line_feeds][outside], delimiters[line_feeds][outside]
    before = np.flatnonzero(outside) + 1
    rest = int(ends[-1]) + 1 if len(ends) else 0
    unclosed = False
    if last and rest < len(data):
        ends, counts = np.append(ends, len(data)), np.append(counts, delimiters[-1] if len(delimiters) else 0)
        unclosed = runs is not None and bool(runs.after[-1])
        rest = len(data)
    starts = np.concatenate(([0], ends[:-1] + 1))[: len(ends)]
    # The last line of a text may do without a line feed.
    behind = len(line_feeds) + 1 if len(ends) > len(before) else int(before[-1]) if len(before) else 0
    lines = np.concatenate(([0], before))[: len(ends)]
    cells = np.diff(counts, prepend=0) + 1
    sound = np.ones(len(ends), np.bool_)
    if runs is not None and len(ends):
        cells -= runs.delimiters_inside(ends)
        sound[runs.unsound_records(ends)] = False
        sound[-1] &= not unclosed
    first = signs[np.minimum(starts, len(signs) - 1)]
    length = ends - starts
    empty = (length == 0) | ((length == 1) & (first == RETURN))
    return Candidates(starts, ends, lines, cells, sound, first, empty, rest, behind)


def scan_range(text: Content, start: int, stop: int, delimiter: str) -> tuple[int, Candidates]:
    """What may be the records that begin in a stretch of a text, and where the first of them does.

    It begins with the stretch's first line, which may be inside a record: only those candidates are records that stand
    where the record before them ends.
    """
    begin = start + len(text.line(start - 1, stop - start)) if start else 0
    return begin, scan_block(text.view(begin, max(begin, stop)), delimiter, last=stop >= len(text))


def _positions(signs: NDArray[np.uint8], delimiter: int) -> NDArray[np.int64]:
    """Where the delimiters, quotes and line feeds are."""
    hit = signs == delimiter
    hit |= signs == QUOTE
    hit |= signs == LINE_FEED
    return np.flatnonzero(hit)


@dataclass(frozen=True)
class _Runs:
    """Runs of quotes that stand side by side, in order.

    ``first`` is where each begins, ``delimiters`` how many delimiters are before it, ``after`` whether the text behind
    it is inside a quoted cell, ``turns`` whether that differs from before if all is well, ``sound`` whether it may
    stand where it does.
    """

    first: NDArray[np.int64]
    delimiters: NDArray[np.int64]
    before: NDArray[np.bool_]
    after: NDArray[np.bool_]
    turns: NDArray[np.bool_]
    sound: NDArray[np.bool_]

    @classmethod
    def of(
        cls, signs: NDArray[np.uint8], quotes: NDArray[np.int64], delimiters: NDArray[np.int64], delimiter: int
    ) -> _Runs:
        begins = np.flatnonzero(np.diff(quotes, prepend=-2) != 1)
        first, last = quotes[begins], quotes[np.append(begins[1:], len(quotes)) - 1]
        turns = (last - first) % 2 == 0  # (an odd number of quotes)
        opens, closes = _at_cell_start(signs, first, delimiter), _at_cell_end(signs, last, delimiter)
        enters, leaves = turns & opens & ~closes, turns & ~opens & closes
        after = _states(enters, leaves, turns & opens & closes)
        before = np.concatenate(([False], after[:-1]))
        sound = np.where(before, ~turns | closes, np.where(turns, opens, opens & closes))
        return cls(first, delimiters[begins], before, after, turns, sound)

    def inside_at(self, places: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which places, in order, are inside a quoted cell."""
        runs_before = np.searchsorted(self.first, places)
        return np.concatenate(([False], self.after))[runs_before]

    def delimiters_inside(self, ends: NDArray[np.int64]) -> NDArray[np.int64]:
        """How many delimiters are inside the quoted cells of each record, if it is sound."""
        within = self.turns & (self.first < ends[-1])
        change = np.where(self.before, self.delimiters, -self.delimiters)[within]
        records = np.searchsorted(ends, self.first[within])
        # (Sums of whole numbers are exact in binary below 2**53.)
        return np.bincount(records, weights=change, minlength=len(ends)).astype(np.int64)

    def unsound_records(self, ends: NDArray[np.int64]) -> NDArray[np.int64]:
        """Which records, by position, have a quote that cannot stand where it does."""
        faults = np.searchsorted(ends, self.first[~self.sound])
        return faults[faults < len(ends)]


def _at_cell_start(signs: NDArray[np.uint8], first: NDArray[np.int64], delimiter: int) -> NDArray[np.bool_]:
    left = signs[first - 1]
    return np.asarray((first == 0) | (left == delimiter) | (left == LINE_FEED))


def _at_cell_end(signs: NDArray[np.uint8], last: NDArray[np.int64], delimiter: int) -> NDArray[np.bool_]:
    end = len(signs)
    right, second = (signs[np.minimum(last + step, end - 1)] for step in (1, 2))
    at_line_end = (right == LINE_FEED) | ((right == RETURN) & ((second == LINE_FEED) | (last + 2 >= end)))
    return np.asarray(at_line_end | (right == delimiter) | (last + 1 >= end))


def _states(enters: NDArray[np.bool_], leaves: NDArray[np.bool_], toggles: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Whether the text behind each run is inside a cell: as the last one says that says so, and each toggle since."""
    numbers = np.arange(len(enters))
    decided = np.maximum.accumulate(np.where(enters | leaves, numbers, -1))
    turned = np.cumsum(toggles)
    is_decided = decided >= 0
    at = np.maximum(decided, 0)
    odd_since = (turned - np.where(is_decided, turned[at], 0)) % 2 == 1
    return np.asarray((enters[at] & is_decided) ^ odd_since)

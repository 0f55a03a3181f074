"""Blocks of records: their text, their cells, and a number for each; pure functions, so that others may do the work."""

from __future__ import annotations

import codecs
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
import polars as pl

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from neat_delta.files.content import Content

# A sign that hardly any text holds, and one that stands for line feeds inside records.
NO_SEPARATOR, LINE_FEED_INSIDE = "\x01", 2
LINE_FEED = ord("\n")


@dataclass(frozen=True)
class RecordSpans:
    """Where records are in a text (bytes, without the line feed), and the line on which each begins, from 1."""

    start: NDArray[np.int64]
    end: NDArray[np.int64]
    line: NDArray[np.uint32]

    def __len__(self) -> int:
        return len(self.start)

    def followed_by(self, others: RecordSpans) -> RecordSpans:
        """These and others behind them."""
        return RecordSpans(
            np.concatenate((self.start, others.start)),
            np.concatenate((self.end, others.end)),
            np.concatenate((self.line, others.line)),
        )

    def __getitem__(self, rows: NDArray[np.generic] | slice) -> RecordSpans:
        return RecordSpans(self.start[rows], self.end[rows], self.line[rows])


@dataclass(frozen=True)
class RecordBlock:
    """Some records of a text; ``mended`` has by its start each one that has to be read as another text."""

    text: Content
    spans: RecordSpans
    mended: Mapping[int, bytes] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.spans)

    def records(self) -> list[bytes]:
        """The text of each record."""
        read = self._record if self.mended else self.text.read
        return list(map(read, self.spans.start.tolist(), self.spans.end.tolist()))

    def sizes(self) -> NDArray[np.int64]:
        """How many bytes the text of each record has."""
        sizes = self.spans.end - self.spans.start
        for at in np.flatnonzero(self._are_mended()).tolist():
            sizes[at] = len(self.mended[int(self.spans.start[at])])
        return sizes

    def joined(self) -> bytes:
        """The text of all, with a line feed behind each but the last; neighbours are taken at once."""
        spans = self.spans
        apart = spans.start[1:] != spans.end[:-1] + 1
        is_mended = self._are_mended()
        apart |= is_mended[1:] | is_mended[:-1]
        first = np.concatenate(([0], np.flatnonzero(apart) + 1))
        starts, ends = spans.start[first], spans.end[np.append(first[1:], len(spans)) - 1]
        read = self._record if self.mended else self.text.read
        return b"\n".join(map(read, starts.tolist(), ends.tolist()))

    def _are_mended(self) -> NDArray[np.bool_]:
        return np.isin(self.spans.start, np.fromiter(self.mended, np.int64, len(self.mended)))

    def _record(self, start: int, end: int) -> bytes:
        mended = self.mended.get(start)
        return self.text.read(start, end) if mended is None else mended


def parse_block(block: RecordBlock, columns: Sequence[int], delimiter: str) -> pl.DataFrame:
    """The cells of a block's records in the columns at these positions, in ascending order; blank ones as ``""``."""
    data = block.joined()
    frame = pl.read_csv(
        # Polars would drop a byte-order mark in front, which is the first cell's here.
        codecs.BOM_UTF8 + data if data.startswith(codecs.BOM_UTF8) else data,
        has_header=False,
        separator=delimiter,
        infer_schema=False,
        empty_string_is_null=False,
        columns=columns,
    )
    if len(frame) != len(block):
        raise AssertionError(f"{len(block)} records were parsed as {len(frame)}")
    return frame


def hash_block(block: RecordBlock) -> pl.Series:
    """A number for the text of each of a block's records; equal texts have equal numbers."""
    return _lines(_one_line_each(block)).select(pl.col("raw").hash()).to_series()


def _one_line_each(block: RecordBlock) -> bytes:
    """The text of records without line feeds inside them."""
    signs = np.frombuffer(bytearray(block.joined()), np.uint8)
    signs[signs == LINE_FEED] = LINE_FEED_INSIDE
    signs[np.cumsum(block.sizes() + 1)[:-1] - 1] = LINE_FEED
    return signs.tobytes()


def _lines(data: bytes) -> pl.DataFrame:
    """The lines of a text (frame of raw).

    A table of one column without quotes is just that, and is cut by all the processor's cores; only the sign that
    would part its columns must not occur.
    """
    if NO_SEPARATOR.encode() in data:
        return pl.read_lines(data, name="raw")
    return pl.read_csv(
        data,
        has_header=False,
        new_columns=["raw"],
        separator=NO_SEPARATOR,
        quote_char=None,
        infer_schema=False,
        empty_string_is_null=False,
    )

"""Which records of two delimited files are the same text, so that their cells need not be parsed to be compared."""

from __future__ import annotations

import operator
from typing import TYPE_CHECKING

import numpy as np
import polars as pl

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from neat_delta.reading.csv_rows import CsvRows
    from neat_delta.reading.record_blocks import RecordSpans

# So many bytes at a time are compared.
PIECE = 1 << 16
# So many records at a time are compared one by one.
AT_ONCE = 1 << 14
# Where fewer of the first records are equal in place, the rows stand in another order, or are written otherwise.
SAMPLE, FEWEST_EQUAL = 20_000, 0.5


def equal_in_place(one: CsvRows, other: CsvRows) -> pl.Series:
    """For each place that both files have, whether the records there are the same text.

    Where few of the first ones are, all are told to be unequal: what follows then is quicker done another way.
    """
    if id(other.spans) not in one.equal_to:
        one.equal_to[id(other.spans)] = other.spans, pl.Series(_equal_or_told_so(one, other))
    return one.equal_to[id(other.spans)][1]


def _equal_or_told_so(one: CsvRows, other: CsvRows) -> NDArray[np.bool_]:
    height = min(len(one), len(other))
    sample = _equal(one, other, min(height, SAMPLE))
    if height <= SAMPLE or sample.sum() < FEWEST_EQUAL * len(sample):
        return np.append(sample, np.zeros(height - len(sample), np.bool_))
    return _equal(one, other, height)


def equal_records(one: CsvRows, rows: pl.Series, other: CsvRows, others: pl.Series) -> pl.Series:
    """For pairs of rows, given by their positions in the two files, whether they are the same text."""
    equal: list[bool] = []
    for at in range(0, len(rows), AT_ONCE):
        equal += map(operator.eq, one.records(rows[at : at + AT_ONCE]), other.records(others[at : at + AT_ONCE]))
    return pl.Series(equal, dtype=pl.Boolean)


def _equal(one: CsvRows, other: CsvRows, height: int) -> NDArray[np.bool_]:
    """Which of the first records are equal: stretches of records of one length are compared at once."""
    spans, others = one.spans[:height], other.spans[:height]
    alike: NDArray[np.bool_] = (spans.end - spans.start) == (others.end - others.start)
    for rows in (one, other):
        if rows.mended:
            alike &= ~np.isin(rows.spans.start[:height], np.fromiter(rows.mended, np.int64, len(rows.mended)))
    if not alike.any():
        return alike
    places = np.flatnonzero(alike)
    breaks = (np.diff(places) != 1) | ~_side_by_side(spans)[places[1:] - 1] | ~_side_by_side(others)[places[1:] - 1]
    pieces = spans.start[places] // PIECE
    first = np.concatenate(([0], np.flatnonzero(breaks | (np.diff(pieces) != 0)) + 1))
    begins, ends = places[first], places[np.append(first[1:], len(places)) - 1]
    for begin, end in zip(begins.tolist(), ends.tolist(), strict=True):
        mine = one.text.view(spans.start[begin], spans.end[end])
        theirs = other.text.view(others.start[begin], others.end[end])
        differing = np.flatnonzero(np.frombuffer(mine, np.uint8) != np.frombuffer(theirs, np.uint8))
        if len(differing):
            at = np.searchsorted(spans.start[begin : end + 1], differing + spans.start[begin], side="right") - 1
            alike[begin + at] = False
    return alike


def _side_by_side(spans: RecordSpans) -> NDArray[np.bool_]:
    """Whether each record but the last stands right before the next one."""
    return np.asarray(spans.start[1:] == spans.end[:-1] + 1)

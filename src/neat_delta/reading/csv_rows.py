"""Rows of a delimited file that know where each record is, and parse only what somebody asks for."""

from __future__ import annotations

import codecs
import threading
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np
import polars as pl

from neat_delta.memory import largest_columns_held

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    from numpy.typing import NDArray

    from neat_delta.file_content import Content

# Records are parsed in blocks of so many bytes.
BLOCK = 1 << 24
# So few rows are parsed by themselves; of more the columns are parsed whole.
FEW = 0.1
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

    def __getitem__(self, rows: NDArray[np.generic] | slice) -> RecordSpans:
        return RecordSpans(self.start[rows], self.end[rows], self.line[rows])


@dataclass(frozen=True)
class CsvRows:
    """Records of a delimited text with this many cells each; columns beyond are blank.

    ``mended`` has by its start each record that has to be read as another text. Columns that were asked for whole are
    kept in ``parsed``, for they are asked for again, as far as there is ``room`` (bytes); so are the rows that were
    asked for last, and which records are equal to another file's.
    """

    text: Content
    spans: RecordSpans
    columns: tuple[str, ...]
    delimiter: str
    width: int
    mended: Mapping[int, bytes] = field(default_factory=dict)
    room: int = field(default_factory=largest_columns_held)
    parsed: dict[str, pl.Series] = field(default_factory=dict, compare=False, repr=False)
    turn: threading.RLock = field(default_factory=threading.RLock, compare=False, repr=False)
    chosen: list[tuple[pl.Series, pl.DataFrame]] = field(default_factory=list, compare=False, repr=False)
    equal_to: dict[int, tuple[CsvRows, pl.Series]] = field(default_factory=dict, compare=False, repr=False)

    def __len__(self) -> int:
        return len(self.spans)

    @property
    def line(self) -> pl.Series:
        """Line on which each row begins."""
        return pl.Series(self.spans.line)

    def cells(self, names: Sequence[str], rows: pl.Series | None = None) -> pl.DataFrame:
        """The named columns as text, empty cells as ``""``; of the rows at these positions, or of all."""
        with self.turn:
            if rows is not None and all(name in self.parsed for name in names):
                return pl.DataFrame([self.parsed[name].gather(rows) for name in names])
            if rows is not None and len(rows) <= FEW * len(self):
                return self._some(rows).select(names)
            whole = self._whole(names)
        return whole if rows is None or self._is_every(rows) else whole[rows]

    def _whole(self, names: Sequence[str]) -> pl.DataFrame:
        """Columns of all rows."""
        missing = [name for name in dict.fromkeys(names) if name not in self.parsed]
        if missing:
            self.parsed.update(self._parse(self.spans, missing).to_dict())
        whole = pl.DataFrame([self.parsed[name] for name in names])
        self._let_go(names)
        return whole

    def without(self, rows: pl.Series) -> CsvRows:
        """The rows but for those at these positions."""
        kept = np.ones(len(self), np.bool_)
        kept[rows.to_numpy()] = False
        parsed = {name: cells.filter(pl.Series(kept)) for name, cells in self.parsed.items()}
        return replace(self, spans=self.spans[kept], parsed=parsed, equal_to={}, chosen=[])

    def renamed(self, names: Mapping[str, str]) -> CsvRows:
        """The same rows with some columns under other names."""
        columns = tuple(names.get(name, name) for name in self.columns)
        parsed = {names.get(name, name): cells for name, cells in self.parsed.items()}
        parsed = {name: cells.alias(name) for name, cells in parsed.items()}
        return replace(self, columns=columns, parsed=parsed, chosen=[])

    def records(self, rows: pl.Series) -> list[bytes]:
        """The text of the rows at these positions."""
        spans = self.spans[rows.to_numpy()]
        return [self._record(start, end) for start, end in zip(spans.start.tolist(), spans.end.tolist(), strict=True)]

    def hashes(self, rows: pl.Series) -> pl.Series:
        """A number for the text of each of the rows at these positions: equal texts have equal numbers."""
        parts = [
            _lines(_one_line_each(data, part)).select(pl.col("raw").hash()).to_series()
            for part, data in self._blocks(self.spans[rows.to_numpy()])
        ]
        return pl.concat(parts) if parts else pl.Series(dtype=pl.UInt64)

    def _let_go(self, used: Sequence[str]) -> None:
        """Keep no more columns than there is room for; those go first that were parsed first, the used ones last."""
        sizes = {name: cells.estimated_size() for name, cells in self.parsed.items()}
        for name in sorted(sizes, key=lambda name: name in used):
            if sum(sizes.values()) <= self.room:
                return
            del self.parsed[name], sizes[name]

    def _some(self, rows: pl.Series) -> pl.DataFrame:
        """All columns of some rows; the last ones are kept, for they are asked for field by field."""
        if not self.chosen or not self.chosen[0][0].equals(rows):
            self.chosen[:] = [(rows, self._parse(self.spans[rows.to_numpy()], self.columns))]
        return self.chosen[0][1]

    def _is_every(self, rows: pl.Series) -> bool:
        """Whether these positions are simply all rows in their order, which can be parsed as they are."""
        return len(rows) == len(self) and bool((rows == pl.int_range(len(self), eager=True)).all())

    def _record(self, start: int, end: int) -> bytes:
        found = self.mended.get(start)
        return self.text.read(start, end) if found is None else found

    def _blocks(self, spans: RecordSpans) -> Iterator[tuple[RecordSpans, bytes]]:
        """Pieces of the spans and the text of their records, with a line feed behind each but the last."""
        size = np.cumsum(spans.end - spans.start + 1)
        at = 0
        while at < len(spans):
            stop = int(np.searchsorted(size, (size[at - 1] if at else 0) + BLOCK)) + 1
            part = spans[at:stop]
            yield part, self._joined(part)
            at = stop

    def _joined(self, spans: RecordSpans) -> bytes:
        """The text of records; those that stand behind each other are taken at once."""
        apart = spans.start[1:] != spans.end[:-1] + 1
        if self.mended:
            own = np.isin(spans.start, np.fromiter(self.mended, np.int64, len(self.mended)))
            apart |= own[1:] | own[:-1]
        first = np.concatenate(([0], np.flatnonzero(apart) + 1))
        starts, ends = spans.start[first], spans.end[np.append(first[1:], len(spans)) - 1]
        return b"\n".join(map(self._record, starts.tolist(), ends.tolist()))

    def _parse(self, spans: RecordSpans, names: Sequence[str]) -> pl.DataFrame:
        beyond = [name for name in names if self.columns.index(name) >= self.width]
        there = [name for name in names if name not in beyond]
        parts = [self._parse_block(data, len(part), there) for part, data in self._blocks(spans)] if there else []
        frame = pl.concat(parts, rechunk=False) if parts else pl.DataFrame(schema=dict.fromkeys(there, pl.String))
        blank = pl.repeat("", len(spans), dtype=pl.String, eager=True)
        return frame.with_columns(blank.alias(name) for name in beyond).select(names)

    def _parse_block(self, data: bytes, height: int, names: Sequence[str]) -> pl.DataFrame:
        wanted = {self.columns.index(name): name for name in names}
        frame = pl.read_csv(
            # Polars would drop a byte-order mark in front, which is the first cell's here.
            codecs.BOM_UTF8 + data if data.startswith(codecs.BOM_UTF8) else data,
            has_header=False,
            separator=self.delimiter,
            infer_schema=False,
            empty_string_is_null=False,
            columns=sorted(wanted),
        )
        if len(frame) != height:
            raise AssertionError(f"{height} records were parsed as {len(frame)}")
        return frame.rename(dict(zip(frame.columns, (wanted[at] for at in sorted(wanted)), strict=True))).select(names)


def _one_line_each(data: bytes, spans: RecordSpans) -> bytes:
    """The text of records without line feeds inside them."""
    signs = np.frombuffer(bytearray(data), np.uint8)
    signs[signs == LINE_FEED] = LINE_FEED_INSIDE
    signs[np.cumsum(spans.end - spans.start + 1)[:-1] - 1] = LINE_FEED
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

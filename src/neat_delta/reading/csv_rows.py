"""Rows of a delimited file that know where each record is, and parse only what somebody asks for."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np
import polars as pl

from neat_delta.files.content import Content, ContentInMemory, ContentOnDisk
from neat_delta.files.memory import largest_columns_held
from neat_delta.files.workers import HERE, Workers, workers
from neat_delta.reading.record_blocks import RecordBlock, RecordSpans, hash_block, parse_block

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence


# Records are parsed in blocks of so many bytes.
BLOCK = 1 << 24
# So few rows are parsed by themselves; of more the columns are parsed whole.
FEW = 0.1


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
    begin: int = 0
    room: int = field(default_factory=largest_columns_held)
    workers: Workers = field(default_factory=workers)
    parsed: dict[str, pl.Series] = field(default_factory=dict, compare=False, repr=False)
    turn: threading.RLock = field(default_factory=threading.RLock, compare=False, repr=False)
    chosen: list[tuple[pl.Series, pl.DataFrame]] = field(default_factory=list, compare=False, repr=False)
    equal_to: dict[int, tuple[RecordSpans, pl.Series]] = field(default_factory=dict, compare=False, repr=False)

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

    def header(self) -> bytes:
        """The text between the start of the header, where the table begins, and the first row; nothing without one."""
        return self.text.read(self.begin, int(self.spans.start[0])) if len(self) else b""

    def records(self, rows: pl.Series) -> list[bytes]:
        """The text of the rows at these positions."""
        return RecordBlock(self.text, self.spans[rows.to_numpy()], self.mended).records()

    def hashes(self, rows: pl.Series) -> pl.Series:
        """A number for the text of each of the rows at these positions: equal texts have equal numbers."""
        blocks = self._blocks(self.spans[rows.to_numpy()])
        parts = list(self._workers_for(rows).each(hash_block, ((block,) for block in blocks)))
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

    def _workers_for(self, rows: pl.Series | RecordSpans) -> Workers:
        """Who parses so many rows: others only where it is much, and they can reach the file."""
        reachable = isinstance(self.text, ContentOnDisk) and not self.text.is_temporary
        return self.workers if reachable and len(rows) > FEW * len(self) else HERE

    def _blocks(self, spans: RecordSpans) -> Iterator[RecordBlock]:
        """The records of the spans in blocks."""
        size = np.cumsum(spans.end - spans.start + 1)
        at = 0
        while at < len(spans):
            stop = int(np.searchsorted(size, (size[at - 1] if at else 0) + BLOCK)) + 1
            part = spans[at:stop]
            yield RecordBlock(self.text, part, self._mended_of(part))
            at = stop

    def _mended_of(self, spans: RecordSpans) -> Mapping[int, bytes]:
        if not self.mended or isinstance(self.text, ContentInMemory):
            return self.mended
        first, last = int(spans.start.min()), int(spans.start.max())
        return {start: text for start, text in self.mended.items() if first <= start <= last}

    def _parse(self, spans: RecordSpans, names: Sequence[str]) -> pl.DataFrame:
        positions = sorted(at for at in map(self.columns.index, dict.fromkeys(names)) if at < self.width)
        tasks = ((block, positions, self.delimiter) for block in self._blocks(spans))
        parts = list(self._workers_for(spans).each(parse_block, tasks)) if positions else []
        present = [self.columns[at] for at in positions]
        frame = pl.DataFrame(schema=dict.fromkeys(present, pl.String))
        if parts:
            frame = pl.concat(parts, rechunk=False).rename(dict(zip(parts[0].columns, present, strict=True)))
        blank = pl.repeat("", len(spans), dtype=pl.String, eager=True)
        return frame.with_columns(blank.alias(name) for name in names if name not in present).select(names)

"""Files of the same form, one below the other: their bytes are one text, which is read as one file is."""

from __future__ import annotations

import csv
from dataclasses import replace
from typing import TYPE_CHECKING

from neat_delta.files.content import ContentInMemory, gathered, pieces
from neat_delta.files.memory import largest_file_held
from neat_delta.reading.archives import Payload
from neat_delta.reading.charset import encoded
from neat_delta.reading.csv_records import header_end
from neat_delta.reading.dialect import decimal_mark
from neat_delta.reading.opening import Delimited, Opened, SeveralParts, open_payload
from neat_delta.tables import ASCII, FilePart, field_name

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence

    from neat_delta.files.content import Content
    from neat_delta.locations import Location
    from neat_delta.tables.read_options import ReadOptions

UTF_8 = (ASCII, "utf-8")
BYTE_ORDER_MARK = b"\xef\xbb\xbf"
# So many bytes of a file show its decimal separator.
SAMPLE_BYTES = 1 << 14


class _OtherForm(Exception):
    """A file does not begin as the first one does, or is written in another way."""


def stacked_as_they_come(
    path: Location, loads: Sequence[Callable[[], Payload]], names: Sequence[str], options: ReadOptions
) -> Opened | None:
    """Files in UTF-8 that begin with the very same header, as one; ``None`` where they are not all like this.

    Each is loaded once, and let go of before the next. What such files are is seen from them all together, so they
    need not be looked at one by one.
    """
    first = loads[0]()
    opened = open_payload(path, first, options)
    if not isinstance(opened.table, Delimited) or not opened.table.dialect.header_line:
        return None
    text = opened.table.text
    if text.encoding not in UTF_8 or text.line_end:
        return None
    header = text.text.read(0, header_end(text, opened.table.dialect))
    stack = _Stack(header, opened.table.dialect.delimiter)
    try:
        content = gathered(stack.bytes(first.content, loads, names), path, largest_file_held())
    except _OtherForm:
        return None
    packing = first.packing and first.packing.partition(",")[0]
    whole = open_payload(path, Payload(content, packing), options)
    if not isinstance(whole.table, Delimited) or whole.table.text.encoding not in UTF_8 or whole.guessed:
        return None
    # (One byte that is no UTF-8 may mean another character set from there on.)
    if whole.table.text.undecodable:
        return None
    return replace(whole, several=SeveralParts(tuple(stack.parts)))


class _Stack:
    """Files below each other, of which all but the first lose their header; and where each of them is."""

    def __init__(self, header: bytes, delimiter: str) -> None:
        self.header, self.delimiter = header, delimiter
        self.parts: list[FilePart] = []
        self.marks: set[str] = set()

    def bytes(
        self, first: Content, loads: Sequence[Callable[[], Payload]], names: Sequence[str]
    ) -> Iterator[bytes | memoryview]:
        """All bytes, piece by piece.

        Raises:
            _OtherForm: a file begins otherwise, or writes numbers otherwise.
        """
        line = 1
        for at, name in enumerate(names):
            content = loads[at]().content if at else first
            begin = self._start_of_rows(content)
            skipped = self.header.count(b"\n") if at else 0
            self.parts.append(FilePart(name, line, line - 1 - skipped))
            start = begin if at else 0
            if isinstance(content, ContentInMemory):
                line += content.data.count(b"\n", start)
                yield content.view(start, len(content))
            else:
                for piece in pieces(content.behind(start)):
                    line += piece.count(b"\n")
                    yield piece
            if len(content) > start and content.read(len(content) - 1, len(content)) != b"\n":
                line += 1
                yield b"\n"

    def _start_of_rows(self, content: Content) -> int:
        mark = len(BYTE_ORDER_MARK) if content.read(0, len(BYTE_ORDER_MARK)) == BYTE_ORDER_MARK else 0
        begin = mark + len(self.header)
        sample = content.read(mark, begin + SAMPLE_BYTES)
        if not sample.startswith(self.header):
            raise _OtherForm
        rows = csv.reader(sample[len(self.header) :].decode(errors="replace").splitlines(), delimiter=self.delimiter)
        try:
            decimal = decimal_mark([cell for row in rows for cell in row])
        except csv.Error:
            decimal = None
        self.marks |= {decimal} if decimal else set()
        if len(self.marks) > 1:
            raise _OtherForm
        return begin


def can_be_one_text(opened: Sequence[Opened]) -> bool:
    """Whether all are delimited texts with the same delimiter, the same columns in order, and one character set."""
    tables = [one.table for one in opened]
    if not all(isinstance(table, Delimited) for table in tables):
        return False
    texts = [table for table in tables if isinstance(table, Delimited)]
    forms = {(table.dialect.delimiter, bool(table.dialect.header_line), _names(table)) for table in texts}
    encodings = {table.text.encoding for table in texts}
    plain = encodings - {ASCII}
    # (The letters of ASCII are the same bytes in any other character set, but for those of two bytes a letter.)
    mixed = ASCII in encodings and any(name.startswith("utf-16") or name == "iso2022_jp" for name in plain)
    ends = {table.text.line_end for table in texts}
    return len(forms) == 1 and len(plain) <= 1 and not mixed and len(ends) == 1


def stacked(opened: Sequence[Opened], names: Sequence[str]) -> tuple[Payload, tuple[FilePart, ...]]:
    """The bytes of all files as those of one, without the headers of all but the first; and where each file is in it.

    A byte-order mark stays where the first file has one. The last line of each file ends.
    """
    starts, parts, line = [], [], 1
    for at, (one, name) in enumerate(zip(opened, names, strict=True)):
        assert isinstance(one.table, Delimited)
        text = one.table.text.text
        start = header_end(one.table.text, one.table.dialect) if at else 0
        skipped = text.read(0, start).count(b"\n")
        starts.append(start)
        parts.append(FilePart(name, line, line - 1 - skipped))
        total = sum(piece.count(b"\n") for piece in pieces(text))
        ends = not len(text) or text.read(len(text) - 1, len(text)) == b"\n"
        line += total - skipped + (not ends)
    content = gathered(_bytes(opened, starts), opened[0].path, largest_file_held())
    packing = opened[0].payload.packing
    return Payload(content, packing and packing.partition(",")[0]), tuple(parts)


def _names(table: Delimited) -> tuple[str, ...]:
    return tuple(field_name(column) for column in table.dialect.header)


def _bytes(opened: Sequence[Opened], starts: Sequence[int]) -> Iterator[bytes]:
    for one, start in zip(opened, starts, strict=True):
        assert isinstance(one.table, Delimited)
        text, raw = one.table.text, one.payload.content
        above = encoded(text.text.read(0, start), text, mark=True) if start else b""
        yield from pieces(raw.behind(len(above)))
        end = encoded(b"\n", text)
        if len(raw) and raw.read(len(raw) - len(end), len(raw)) != end:
            yield end

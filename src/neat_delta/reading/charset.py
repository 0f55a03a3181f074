"""Bytes to lines of text, whatever the character set; undecodable lines are named, not guessed."""

from __future__ import annotations

import codecs
from dataclasses import dataclass

from neat_delta.catalogue import ASCII

# What a spreadsheet program on a Western desktop writes when it does not write UTF-8.
FALLBACK = "cp1252"
SLICE = 1 << 20
LABELS = {"utf-8": "UTF-8", "utf-16-le": "UTF-16", "utf-16-be": "UTF-16", "cp1252": "Windows-1252"}


@dataclass(frozen=True)
class Text:
    """A file as UTF-8 bytes without a byte-order mark, and how it was coded.

    ``undecodable`` maps line numbers (from 1) to the reason; those lines hold U+FFFD where a byte was no text.
    ``line_end`` is set where lines did not end in a line feed.
    """

    utf8: bytes
    charset: str
    bom: bool
    undecodable: dict[int, str]
    line_end: str | None = None


def decode(data: bytes, charset: str | None = None) -> Text:
    """Recognise the character set by its byte-order mark, else ASCII, UTF-8 or Windows-1252; or take the stated one.

    A file in which some lines are proper UTF-8 beyond ASCII and others are no UTF-8 at all is UTF-8 with damaged
    lines; one with no proper UTF-8 beyond ASCII is Windows-1252.
    """
    for mark, name in _MARKS.items():
        if data.startswith(mark):
            return _decoded(data[len(mark) :], name, bom=True)
    if charset is not None:
        return _decoded(data, charset, bom=False)
    if data.isascii():
        return Text(data, ASCII, False, {})
    if _is_utf8(data) or any(_proper(line) for line in data.split(b"\n")):
        return _decoded(data, "utf-8", bom=False)
    return _decoded(data, FALLBACK, bom=False)


_MARKS = {codecs.BOM_UTF8: "utf-8", codecs.BOM_UTF16_LE: "utf-16-le", codecs.BOM_UTF16_BE: "utf-16-be"}


def _is_utf8(data: bytes) -> bool:
    if data.isascii():
        return True
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        # In slices, so that a large file is not held a second time as Python text.
        for start in range(0, len(data), SLICE):
            decoder.decode(data[start : start + SLICE], final=start + SLICE >= len(data))
    except UnicodeDecodeError:
        return False
    return True


def _proper(line: bytes) -> bool:
    """Whether a line holds text beyond ASCII that is good UTF-8."""
    return not line.isascii() and _is_utf8(line)


def _decoded(data: bytes, charset: str, *, bom: bool) -> Text:
    if charset == "utf-8" and _is_utf8(data):
        return Text(data, charset, bom, {})
    text = data.decode(charset, errors="replace")
    undecodable = {
        number: f"the line holds bytes that are no {LABELS.get(charset, charset)} text"
        for number, line in enumerate(text.split("\n"), start=1)
        if "\ufffd" in line
    }
    if undecodable and charset.startswith("utf-16") and len(data) % 2:
        undecodable[max(undecodable)] += ", the file may be cut off"
    return Text(text.encode(), charset, bom, undecodable)

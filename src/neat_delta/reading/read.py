"""The way in: a path becomes a Catalogue."""

from __future__ import annotations

import hashlib
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue import Catalogue, Form, Rows, Source, name_fields
from neat_delta.errors import Unreadable
from neat_delta.reading.charset import Text, decode
from neat_delta.reading.dialect import SAMPLE_BYTES, Dialect, decimal_mark, sniff
from neat_delta.reading.records import Records, read_records, split_lines
from neat_delta.voice import SILENCE, Voice

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from pathlib import Path

MARK_SAMPLE_ROWS = 1_000
LINE_END_SAMPLE_BYTES = 1 << 20
CONTROLS = bytes(byte for byte in range(32) if byte not in b"\t\n\r")

_OTHER_FORMS = {
    b"PK\x03\x04": "a workbook or zip archive",
    b"\xd0\xcf\x11\xe0": "an old workbook",
    b"\x1f\x8b": "a gzip archive",
}


def fingerprint(data: bytes) -> str:
    """The SHA-256 of a file's bytes, in hexadecimal."""
    return hashlib.sha256(data).hexdigest()


def read_bytes(path: Path) -> bytes:
    """A file's bytes.

    Raises:
        Unreadable: there is no such file, it is a folder, or it may not be read.
    """
    try:
        return path.read_bytes()
    except FileNotFoundError as error:
        raise Unreadable("there is no such file", file=path, remedy="Check the name and the folder.") from error
    except IsADirectoryError as error:
        raise Unreadable("this is a folder, not a file", file=path, remedy="Name a file in it.") from error
    except OSError as error:
        raise Unreadable(f"the file cannot be opened ({error.strerror})", file=path) from error


def read_catalogue(path: Path, voice: Voice = SILENCE, form: Form | None = None) -> Catalogue:
    """Read a delimited text file as it is.

    Delimiter, character set and line ends are recognised, unless ``form`` states how whoever takes this file
    will read it.

    Raises:
        Unreadable: there is no such file, it is no text table, or its header cannot be used.
    """
    voice.step(f"reading {path.name}")
    return _catalogue(_open(path, form), _Hashing())


def read_both(live: Path, edited: Path, voice: Voice = SILENCE) -> tuple[Catalogue, Catalogue]:
    """Read two files at once, which saves time twice.

    Much of the work is one thread's, and lines of the edited sheet that stand in the live export need no second
    inspection.
    """
    voice.step(f"reading {live.name} and {edited.name}")
    with ThreadPoolExecutor(max_workers=2) as openers:
        ours, theirs = openers.submit(_open, live), openers.submit(_open, edited)
        opened = ours.result(), theirs.result()
    hashing = _Hashing()
    first = _catalogue(opened[0], hashing)
    return first, _catalogue(opened[1], hashing, like=first.rows)


@dataclass(frozen=True)
class _Opened:
    """A file's text and lines before anything is known of its rows."""

    path: Path
    data: bytes
    text: Text
    lines: pl.DataFrame
    dialect: Dialect


class _Hashing:
    """One thread that works out fingerprints, without the interpreter's lock, while everything else goes on."""

    def __init__(self) -> None:
        self._beside = ThreadPoolExecutor(max_workers=1)

    def begin(self, data: bytes) -> Callable[[], str]:
        """Start on a file; the function returned waits for its fingerprint."""
        return self._beside.submit(fingerprint, data).result


def _open(path: Path, form: Form | None = None) -> _Opened:
    data = read_bytes(path)
    for magic, what in _OTHER_FORMS.items():
        if data.startswith(magic):
            raise Unreadable(f"this is {what}, not a text table", file=path, remedy="Save the sheet as CSV first.")
    text = _with_line_feeds(decode(data, form.writing_charset if form else None))
    if not text.utf8 or text.utf8.isspace():
        raise Unreadable("the file is empty", file=path, remedy="Export it again.")
    if _is_binary(text.utf8[:SAMPLE_BYTES]):
        raise Unreadable("this is no text, so it is no table", file=path, remedy="Name the export or the sheet.")
    dialect = sniff(text.utf8, form.delimiter if form else None)
    return _Opened(path, data, text, split_lines(text.utf8), dialect)


def _catalogue(opened: _Opened, hashing: _Hashing, like: Rows | None = None) -> Catalogue:
    path, dialect = opened.path, opened.dialect
    fields = name_fields(dialect.header, path.name)
    columns = tuple(field.name if field else f" {at}" for at, field in enumerate(fields))
    alike = (
        like if isinstance(like, Records) and (like.delimiter, like.columns) == (dialect.delimiter, columns) else None
    )
    reading = read_records(opened.text, opened.lines, columns, dialect.delimiter, alike)
    if len(reading.bad) and reading.bad["line"][0] < reading.header_line:
        line, _, say = reading.bad.row(0)
        raise Unreadable(f"the header row cannot be read: {say}", file=path, line=line, remedy="Mend that row first.")
    return Catalogue(
        source=Source(path, hashing.begin(opened.data)),
        form=_form(opened.text, dialect, reading.records),
        fields=tuple(field for field in fields if field),
        rows=reading.records,
        bad=reading.bad,
        unnamed=sum(field is None for field in fields),
    )


def _is_binary(sample: bytes) -> bool:
    """Whether more than one in a hundred characters is a control character; stray ones occur in honest tables."""
    controls = len(sample) - len(sample.translate(None, CONTROLS))
    return controls > max(3, len(sample) // 100)


def _with_line_feeds(text: Text) -> Text:
    if b"\n" in text.utf8 or b"\r" not in text.utf8:
        return text
    return replace(text, utf8=text.utf8.replace(b"\r", b"\n"), line_end="\r")


def _form(text: Text, dialect: Dialect, records: Records) -> Form:
    sample = text.utf8[:LINE_END_SAMPLE_BYTES]
    mostly_crlf = sample.count(b"\r\n") * 2 > sample.count(b"\n")
    return Form(
        delimiter=dialect.delimiter,
        charset=text.charset,
        bom=text.bom,
        line_end=text.line_end or ("\r\n" if mostly_crlf else "\n"),
        quote_all=dialect.quote_all,
        mark=_mark(records),
    )


def _mark(records: Records) -> str | None:
    first = pl.int_range(min(len(records), MARK_SAMPLE_ROWS), eager=True)
    named = [name for name in records.columns if not name.startswith(" ")]
    cells = records.cells(named, first)
    return decimal_mark(_distinct(cells.get_columns()))


def _distinct(columns: Sequence[pl.Series]) -> list[str]:
    return [cell for column in columns for cell in column.unique().to_list()]

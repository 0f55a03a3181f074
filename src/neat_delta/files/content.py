"""The bytes of a file, in memory or left where they are; nothing heavy is imported here."""

from __future__ import annotations

import io
import os
import tempfile
import threading
import weakref
from pathlib import Path
from typing import IO, TYPE_CHECKING, Protocol

from neat_delta.base.errors import InvalidInput

if TYPE_CHECKING:
    from collections.abc import Iterator

    from typing_extensions import Buffer

# Lines are looked for in pieces of so many bytes; files are gone through in larger ones.
LINE_PIECE, PIECE = 1 << 12, 1 << 20


class Content(Protocol):
    """Some bytes, wherever they lie; positions are counted from 0."""

    def __len__(self) -> int: ...

    def read(self, start: int, stop: int) -> bytes:
        """The bytes from one position to another, as far as there are any."""

    def view(self, start: int, stop: int) -> bytes | memoryview:
        """The same, to look at and not to keep."""

    def line(self, start: int, most: int) -> bytes:
        """The bytes from a position to the next line feed, or to the end; more than so many only in part."""

    def behind(self, offset: int) -> Content:
        """The same without so many bytes in front."""


class ContentInMemory:
    """Bytes that are in memory as they are."""

    def __init__(self, data: bytes) -> None:
        self.data = data

    def __len__(self) -> int:
        return len(self.data)

    def read(self, start: int, stop: int) -> bytes:
        """The bytes from one position to another, as far as there are any."""
        return self.data[start:stop]

    def view(self, start: int, stop: int) -> memoryview:
        """The same, to look at and not to keep."""
        return memoryview(self.data)[start:stop]

    def line(self, start: int, most: int) -> bytes:
        """The bytes from a position to the next line feed, or to the end; more than so many only in part."""
        end = self.data.find(b"\n", start)
        return self.data[start : end if end >= 0 else len(self.data)]

    def behind(self, offset: int) -> ContentInMemory:
        """The same without so many bytes in front."""
        return ContentInMemory(self.data[offset:])


class _OpenFile:
    """A file that is closed when nobody asks for it any more."""

    def __init__(self, file: IO[bytes]) -> None:
        self.file = file
        weakref.finalize(self, file.close)


class ContentOnDisk:
    """Bytes of a file that is read piece by piece; from ``offset`` on, where what is before does not count.

    The file must stay as it is: it is looked at again with each piece. Sent to another process, it is opened there.
    """

    def __init__(
        self, path: object, opened: _OpenFile | None = None, offset: int = 0, status: tuple[int, int] | None = None
    ) -> None:
        self.path, self.offset, self._opened = path, offset, opened
        self._status = status or _status(self.file)
        self._turn = threading.Lock()

    def __reduce__(self) -> tuple[type[ContentOnDisk], tuple[object, ...]]:
        return ContentOnDisk, (Path(str(self.path)).absolute(), None, self.offset, self._status)

    @property
    def file(self) -> IO[bytes]:
        """The file, which is opened when it is asked for the first time."""
        if self._opened is None:
            self._opened = _OpenFile(Path(str(self.path)).open("rb"))  # noqa: SIM115 (closed with the object)
        return self._opened.file

    def __len__(self) -> int:
        return self._status[0] - self.offset

    @property
    def is_temporary(self) -> bool:
        """Whether it is a file without a name, which nobody else can reach."""
        return isinstance(self.file.name, int)

    def behind(self, offset: int) -> ContentOnDisk:
        """The same without so many bytes in front."""
        return ContentOnDisk(self.path, self._opened, self.offset + offset, self._status)

    def read(self, start: int, stop: int) -> bytes:
        """The bytes from one position to another, as far as there are any.

        Raises:
            InvalidInput: the file is not what it was, or cannot be read any more.
        """
        stop = min(stop, len(self))
        try:
            data = self._piece(self.offset + start, max(0, stop - start))
        except FileNotFoundError:  # (on another machine)
            raise
        except OSError as error:
            raise InvalidInput(f"cannot read the file ({error.strerror})", file=self.path, hint="Try again.") from error
        if len(data) < stop - start or _status(self.file) != self._status:
            raise InvalidInput(
                "the file was changed while it was read", file=self.path, hint="Try again when nobody writes to it."
            )
        return data

    def view(self, start: int, stop: int) -> bytes:
        """The same, to look at and not to keep."""
        return self.read(start, stop)

    def line(self, start: int, most: int) -> bytes:
        """The bytes from a position to the next line feed, or to the end; more than so many only in part."""
        size = LINE_PIECE
        while True:
            data = self.read(start, start + size)
            end = data.find(b"\n")
            if end >= 0 or start + len(data) >= len(self) or size > most:
                return data[:end] if end >= 0 else data
            size *= 4

    def _piece(self, start: int, length: int) -> bytes:
        if hasattr(os, "pread"):
            parts = []
            while length and (part := os.pread(self.file.fileno(), length, start)):
                parts.append(part)
                start, length = start + len(part), length - len(part)
            return parts[0] if len(parts) == 1 else b"".join(parts)
        with self._turn:
            self.file.seek(start)
            return self.file.read(length)


class ContentReader(io.RawIOBase):
    """A content as a file that can be read, for those who unpack."""

    def __init__(self, content: Content) -> None:
        super().__init__()
        self.content, self.at = content, 0

    def readable(self) -> bool:
        """It is."""
        return True

    def seekable(self) -> bool:
        """It is."""
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        """Go to a position."""
        start = {io.SEEK_SET: 0, io.SEEK_CUR: self.at, io.SEEK_END: len(self.content)}[whence]
        self.at = max(0, start + offset)
        return self.at

    def readinto(self, buffer: Buffer) -> int:
        """Fill a buffer as far as there are bytes."""
        room = memoryview(buffer).cast("B")
        data = self.content.read(self.at, self.at + len(room))
        room[: len(data)] = data
        self.at += len(data)
        return len(data)


def _status(file: IO[bytes]) -> tuple[int, int]:
    status = os.fstat(file.fileno())
    return status.st_size, status.st_mtime_ns


def on_disk(path: Path) -> ContentOnDisk:
    """A file's content, left on disk; raises ``OSError`` if it cannot be opened."""
    return ContentOnDisk(path, _OpenFile(path.open("rb")))


def pieces(content: Content) -> Iterator[bytes]:
    """All of it, piece by piece."""
    for start in range(0, len(content), PIECE):
        yield content.read(start, start + PIECE)


def gathered(parts: Iterator[bytes | memoryview], path: object, most: int) -> Content:
    """Bytes that come piece by piece: in memory up to so many, in a temporary file without a name if there are more.

    Raises:
        InvalidInput: there is no room for the temporary file.
    """
    held: list[bytes | memoryview] = []
    size = 0
    for part in parts:
        held.append(part)
        size += len(part)
        if size > most:
            return _spilled(held, parts, path)
    return ContentInMemory(b"".join(held))


def _spilled(held: list[bytes | memoryview], parts: Iterator[bytes | memoryview], path: object) -> ContentOnDisk:
    try:
        file = tempfile.TemporaryFile()  # noqa: SIM115 (it is open as long as it is asked for)
        file.writelines(held)
        held.clear()
        file.writelines(parts)
        file.flush()
    except OSError as error:
        raise InvalidInput(
            f"no room to unpack it in {tempfile.gettempdir()} ({error.strerror})",
            file=path,
            hint="Free space there, or name another folder in the variable TMPDIR.",
        ) from error
    return ContentOnDisk(path, _OpenFile(file))

"""What a file holds: its bytes as they are, or out of gzip, zstd or a zip archive of tables."""

from __future__ import annotations

import gzip
import io
import zipfile
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput
from neat_delta.files.content import PIECE, ContentInMemory, ContentReader, gathered
from neat_delta.files.memory import largest_file_held
from neat_delta.locations.listing import natural, tables_among
from neat_delta.locations.prefetch import read_bytes
from neat_delta.reading.parse_errors import parse_errors_as

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from neat_delta.files.content import Content
    from neat_delta.locations import Location

GZIP = b"\x1f\x8b"
ZIP = b"PK\x03\x04"
# A frame of Zstandard, and one that it skips (RFC 8878, section 3.1).
ZSTD = (b"\x28\xb5\x2f\xfd", *(bytes([at, 0x2A, 0x4D, 0x18]) for at in range(0x50, 0x60)))
# More than any catalogue unpacks to, and less than would fill a machine's memory.
LARGEST = 8 << 30
# Text packs to a tenth or a twentieth, blank columns to a hundredth; what unpacks to more is made to do harm.
MOST_TIMES = 100
HARMLESS = 256 << 20
AGAIN = "Download or export it again."
DAMAGED = "the zip archive or workbook is damaged"
SOME_NAMES = 5
# APPNOTE 4.4.4: a member of a zip archive that needs a password.
ENCRYPTED = 0x1


@dataclass(frozen=True)
class Payload:
    """What a file holds, with the packing it was in named for people."""

    content: Content
    packing: str | None = None

    @property
    def data(self) -> bytes:
        """All its bytes."""
        return self.content.read(0, len(self.content))


def fetch(path: Location) -> Payload:
    """Read a file, or standard input for ``-``, and unpack it.

    Raises:
        InvalidInput: file not found, it may not be read, or it cannot be unpacked safely.
    """
    return decompress(ContentInMemory(read_bytes(path)), path)


def decompress(content: Content, path: Location) -> Payload:
    """What a file holds; ``path`` is for messages. What unpacks to much is put into a temporary file.

    Raises:
        InvalidInput: it cannot be unpacked safely, there is no room for it, or it holds several files.
    """
    payloads = unpack(content, path)
    if len(payloads) != 1:
        names = ", ".join(name for name, _ in payloads[:SOME_NAMES])
        raise InvalidInput(
            f"the zip archive holds {len(payloads)} files ({names})",
            file=path,
            hint="Unpack it and give one of the files.",
        )
    return payloads[0][1]


def unpack(content: Content, path: Location) -> list[tuple[str, Payload]]:
    """What a file holds: itself, what is packed in it, or the tables of a zip archive under their names.

    Raises:
        InvalidInput: it cannot be unpacked safely, or there is no room for it.
    """
    head = content.read(0, len(ZIP))
    if head.startswith(GZIP):
        return [("", Payload(_gunzip(content, path), "gzip"))]
    if head.startswith(ZIP):
        return _unzip(content, path)
    if head.startswith(ZSTD):
        return [("", Payload(_unzstd(content, path), "zstd"))]
    return [("", Payload(content))]


def _unzstd(content: Content, path: Location) -> Content:
    from neat_delta.files.zstd import ZstdFile

    with ZstdFile(io.BufferedReader(ContentReader(content))) as packed:
        return _unpacked(packed.read, "the zstd file is damaged or cut off", len(content), path)


def _gunzip(content: Content, path: Location) -> Content:
    with gzip.GzipFile(fileobj=io.BufferedReader(ContentReader(content))) as packed:
        return _unpacked(packed.read, "the gzip file is damaged or cut off", len(content), path)


def _unpacked(read: Callable[[int], bytes], what: str, packed: int, path: Location) -> Content:
    """Everything that a reader gives, piece by piece."""

    def parts() -> Iterator[bytes]:
        size = 0
        while True:
            with parse_errors_as(what, path, AGAIN):
                part = read(PIECE)
            if not part:
                return
            size += len(part)
            _insist_on_size(size, packed, path)
            yield part

    return gathered(parts(), path, largest_file_held())


def _unzip(content: Content, path: Location) -> list[tuple[str, Payload]]:
    """A workbook, which is a zip by itself, or the tables that a zip archive holds."""
    with parse_errors_as(DAMAGED, path, AGAIN):
        archive = zipfile.ZipFile(io.BufferedReader(ContentReader(content)))
        parts = [part for part in archive.infolist() if not part.is_dir()]
    _insist_on_size(sum(part.file_size for part in parts), len(content), path)
    if {"[Content_Types].xml", "mimetype"} & {part.filename for part in parts}:
        return [("", Payload(content))]
    for part in parts:
        _insist_on_inside(part.filename, path)
    tables = [part for part in parts if not part.filename.startswith(("__MACOSX/", "."))]
    if len(tables) > 1:
        names = set(tables_among([part.filename for part in tables]))
        tables = [part for part in tables if part.filename in names]
    if not tables:
        raise InvalidInput("the zip archive holds no table", file=path, hint="Unpack it and give one of the files.")
    members = sorted(tables, key=lambda part: natural(part.filename))
    return [(part.filename, Payload(*_member(archive, part, len(content), path))) for part in members]


def _member(archive: zipfile.ZipFile, part: zipfile.ZipInfo, packed: int, path: Location) -> tuple[Content, str]:
    """What a member of an archive holds, and how it is packed in words for people."""
    if part.flag_bits & ENCRYPTED:
        raise InvalidInput("the zip archive has a password", file=path, hint="Unpack it and give the file in it.")
    with parse_errors_as(DAMAGED, path, AGAIN):
        member = archive.open(part)
    return _unpacked(member.read, DAMAGED, packed, path), f"zip, {part.filename}"


def _insist_on_inside(name: str, path: Location) -> None:
    """Refuse a member whose name leads out of the archive: nobody with good intentions makes one."""
    plain = name.replace("\\", "/")
    if plain.startswith("/") or ".." in plain.split("/"):
        raise InvalidInput("the zip archive has a file with a path outside of it", file=path, value=name, hint=AGAIN)


def unzipped(archive: zipfile.ZipFile, part: zipfile.ZipInfo, path: Location) -> bytes:
    """What a member of an archive holds, no more of it than the archive says that it is.

    Raises:
        InvalidInput: it is damaged, or packed in a way that nobody here knows.
    """
    with parse_errors_as(DAMAGED, path, AGAIN), archive.open(part) as packed:
        return packed.read(part.file_size + 1)


def _allowed(packed: int) -> int:
    return min(LARGEST, max(HARMLESS, packed * MOST_TIMES))


def _insist_on_size(unpacked: int, packed: int, path: Location) -> None:
    if unpacked > _allowed(packed):
        raise InvalidInput(
            f"archive too large when unpacked (more than {_allowed(packed) >> 20} MB)",
            file=path,
            hint="If you trust it, unpack it yourself.",
        )

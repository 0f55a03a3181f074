"""What a file holds: its bytes as they are, or out of gzip, zstd or a zip with one table in it."""

from __future__ import annotations

import gzip
import io
import zipfile
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.errors import InvalidInput
from neat_delta.prefetch import read_bytes
from neat_delta.reading.parse_errors import parse_errors_as

if TYPE_CHECKING:
    from neat_delta.remote import Location

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
# APPNOTE 4.4.4: a member of a zip archive that needs a password.
ENCRYPTED = 0x1


@dataclass(frozen=True)
class Payload:
    """What a file holds, with the packing it was in named for people."""

    data: bytes
    packing: str | None = None


def fetch(path: Location) -> Payload:
    """Read a file, or standard input for ``-``, and unpack it.

    Raises:
        InvalidInput: file not found, it may not be read, or it cannot be unpacked safely.
    """
    return decompress(read_bytes(path), path)


def decompress(data: bytes, path: Location) -> Payload:
    """What a file's bytes hold; ``path`` is for messages.

    Raises:
        InvalidInput: it cannot be unpacked safely.
    """
    if data.startswith(GZIP):
        return Payload(_gunzip(data, path), "gzip")
    if data.startswith(ZIP):
        return _unzip(data, path)
    if data.startswith(ZSTD):
        return Payload(_unzstd(data, path), "zstd")
    return Payload(data)


def _unzstd(data: bytes, path: Location) -> bytes:
    import zstandard

    with parse_errors_as("the zstd file is damaged or cut off", path, AGAIN):
        reader = zstandard.ZstdDecompressor().stream_reader(data, read_across_frames=True)
        inner: bytes = reader.read(_allowed(len(data)) + 1)
    _insist_on_size(len(inner), len(data), path)
    return inner


def _gunzip(data: bytes, path: Location) -> bytes:
    with (
        parse_errors_as("the gzip file is damaged or cut off", path, AGAIN),
        gzip.GzipFile(fileobj=io.BytesIO(data)) as packed,
    ):
        inner = packed.read(_allowed(len(data)) + 1)
    _insist_on_size(len(inner), len(data), path)
    return inner


def _unzip(data: bytes, path: Location) -> Payload:
    """A workbook, which is a zip by itself, or the one table that a zip archive holds."""
    with parse_errors_as("the zip archive or workbook is damaged", path, AGAIN):
        archive = zipfile.ZipFile(io.BytesIO(data))
        parts = [part for part in archive.infolist() if not part.is_dir()]
    _insist_on_size(sum(part.file_size for part in parts), len(data), path)
    if {"[Content_Types].xml", "mimetype"} & {part.filename for part in parts}:
        return Payload(data)
    tables = [part for part in parts if not part.filename.startswith(("__MACOSX/", "."))]
    if len(tables) != 1:
        names = ", ".join(part.filename for part in tables[:5])
        raise InvalidInput(
            f"the zip archive holds {len(tables)} files ({names})",
            file=path,
            hint="Unpack it and give one of the files.",
        )
    if tables[0].flag_bits & ENCRYPTED:
        raise InvalidInput("the zip archive has a password", file=path, hint="Unpack it and give the file in it.")
    inner = unzipped(archive, tables[0], path)
    _insist_on_size(len(inner), len(data), path)
    return Payload(inner, f"zip, {tables[0].filename}")


def unzipped(archive: zipfile.ZipFile, part: zipfile.ZipInfo, path: Location) -> bytes:
    """What a member of an archive holds, no more of it than the archive says that it is.

    Raises:
        InvalidInput: it is damaged, or packed in a way that nobody here knows.
    """
    with parse_errors_as("the zip archive or workbook is damaged", path, AGAIN), archive.open(part) as packed:
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

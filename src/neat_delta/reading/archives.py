"""What a file holds: its bytes as they are, or out of gzip, zstd or a zip with one table in it."""

from __future__ import annotations

import gzip
import io
import zipfile
import zlib
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.errors import InvalidInput
from neat_delta.prefetch import read_bytes

if TYPE_CHECKING:
    from neat_delta.remote import Location

GZIP = b"\x1f\x8b"
ZIP = b"PK\x03\x04"
# A frame of Zstandard, and one that it skips (RFC 8878, section 3.1).
ZSTD = (b"\x28\xb5\x2f\xfd", *(bytes([at, 0x2A, 0x4D, 0x18]) for at in range(0x50, 0x60)))
# More than any catalogue unpacks to, and less than would fill a machine's memory.
LARGEST = 8 << 30
# Text packs to a tenth or a twentieth; a small file that unpacks to a thousand times its size is made to do harm.
MOST_TIMES = 500
HARMLESS = 64 << 20


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

    try:
        reader = zstandard.ZstdDecompressor().stream_reader(data, read_across_frames=True)
        inner: bytes = reader.read(_allowed(len(data)) + 1)
    except (zstandard.ZstdError, MemoryError) as error:
        raise InvalidInput(
            "the zstd file is damaged or cut off", file=path, hint="Download or export it again."
        ) from error
    _insist_on_size(len(inner), len(data), path)
    return inner


def _gunzip(data: bytes, path: Location) -> bytes:
    try:
        with gzip.GzipFile(fileobj=io.BytesIO(data)) as packed:
            inner = packed.read(_allowed(len(data)) + 1)
    except (OSError, EOFError, zlib.error) as error:
        raise InvalidInput(
            "the gzip file is damaged or cut off", file=path, hint="Download or export it again."
        ) from error
    _insist_on_size(len(inner), len(data), path)
    return inner


def _unzip(data: bytes, path: Location) -> Payload:
    """A workbook, which is a zip by itself, or the one table that a zip archive holds."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
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
            return Payload(archive.read(tables[0]), f"zip, {tables[0].filename}")
    except (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError) as error:
        raise InvalidInput(
            f"the zip archive or workbook is damaged ({error})", file=path, hint="Download or export it again."
        ) from error


def _allowed(packed: int) -> int:
    return min(LARGEST, max(HARMLESS, packed * MOST_TIMES))


def _insist_on_size(unpacked: int, packed: int, path: Location) -> None:
    if unpacked > _allowed(packed):
        raise InvalidInput(
            f"archive too large when unpacked (more than {_allowed(packed) >> 20} MB)",
            file=path,
            hint="If you trust it, unpack it yourself.",
        )

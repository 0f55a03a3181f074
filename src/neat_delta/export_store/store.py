"""One folder of kept exports, each a file of its own that any program for Zstandard unpacks.

A file is named by the time at which the export was first read and by the SHA-256 of its bytes. In front of them is a
skippable frame (RFC 8878, section 3.1.2) with a JSON text about them. When an export is read again, its file's time is
set anew; by this time files go when there are too many.
"""

from __future__ import annotations

import os
import struct
import time
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import chain
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput, NeatDeltaError
from neat_delta.base.json_form import WrongForm, from_json, json_text
from neat_delta.base.path_text import path_text
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.content import PIECE, pieces
from neat_delta.files.user_data import data_folder, make_folder
from neat_delta.locations.prefetch import sha256_hex

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from neat_delta.files.content import Content
    from neat_delta.tables import Source
    from neat_delta.tables.settings_sections import StoreSettings

FOLDER = "exports"
SUFFIX = ".zst"
# The sheets as plain text, a JSON text on each line, of which the newest are looked at.
SHEETS = "sheets.jsonl"
MOST_SHEETS = 500
SKIPPABLE = struct.pack("<I", 0x184D2A50)
LONGEST_ABOUT = 1 << 16
# The fastest level: an export is kept beside other work, and more would not make it much smaller.
LEVEL = 1
TIME = "%Y%m%dT%H%M%SZ"
DAY = 24 * 3600  # in seconds


@dataclass(frozen=True)
class _About:
    """What stands in front of a kept export."""

    sha256: str
    name: str
    made: str | None
    size: int


@dataclass(frozen=True)
class _Sheet:
    """A line about a sheet as plain text."""

    path: str
    columns: tuple[str, ...]
    sha256: str


@dataclass(frozen=True)
class KeptExport:
    """A kept export: the checksum of its bytes, its file's name and time as it was read, and when that was first.

    ``size`` is that of the export, ``packed`` that of the kept file, in bytes; all times are UTC.
    """

    sha256: str
    name: str
    made: datetime | None
    first_read: datetime
    last_read: datetime
    size: int
    packed: int
    path: Path

    @property
    def time(self) -> datetime:
        """When the export was made, or as soon as anybody knows of it."""
        return self.made or self.first_read


@dataclass(frozen=True)
class NotedSheet:
    """A sheet as plain text: where it was written, its columns, and the checksum of the export it was made from."""

    path: Path
    columns: tuple[str, ...]
    sha256: str


@dataclass(frozen=True)
class ExportStore:
    """A folder of kept exports, and how much of them is kept."""

    folder: Path
    settings: StoreSettings

    def keep(self, content: Content, sha256: str, name: str, made: datetime | None) -> None:
        """Keep an export, or set the time anew of one that is kept already; then let go of what is too much.

        Raises:
            WriteError, OSError: the disk refuses; nothing is half-written.
        """
        kept = self._path_of(sha256)
        if kept is not None and _is_whole(kept, len(content)):
            os.utime(kept)
            return
        make_folder(self.folder)
        now = datetime.now(UTC)
        head = json_text(_About(sha256, name, made.isoformat() if made else None, len(content))).encode()
        path = self.folder / f"{now.strftime(TIME)}-{sha256}{SUFFIX}"
        about = SKIPPABLE + struct.pack("<I", len(head)) + head
        write_atomic(path, chain([about], _packed(content)), replace=True)
        if kept is not None and kept != path:
            kept.unlink(missing_ok=True)  # (it is damaged)
        self.prune()

    def note_sheet(self, path: Path, columns: Sequence[str], sha256: str) -> None:
        """Remember from which export a sheet as plain text was made, for it cannot say so itself.

        Raises:
            OSError: the disk refuses.
        """
        make_folder(self.folder)
        line = json_text(_Sheet(path_text(path.resolve()), tuple(columns), sha256))
        with (self.folder / SHEETS).open("ab") as file:
            file.write(line.encode() + b"\n")

    def sheets(self) -> list[NotedSheet]:
        """The sheets as plain text that were made from kept exports, the newest first."""
        lines: list[bytes] = []
        with suppress(OSError):  # there is none yet, or it cannot be read
            lines = (self.folder / SHEETS).read_bytes().splitlines()[-MOST_SHEETS:]
        sheets = []
        for line in reversed(lines):
            with suppress(WrongForm):  # another program's line, or one that was cut off
                noted = from_json(line, _Sheet)
                sheets.append(NotedSheet(Path(noted.path), noted.columns, noted.sha256))
        return sheets

    def find(self, sha256: str) -> KeptExport | None:
        """The kept export with this checksum; ``None`` if there is none."""
        path = self._path_of(sha256)
        return None if path is None else _about(path)

    def exports(self) -> list[KeptExport]:
        """All kept exports, the newest first."""
        exports = [_about(path) for path in self._paths()]
        return sorted((one for one in exports if one), key=lambda one: (one.time, one.first_read), reverse=True)

    def data(self, export: KeptExport) -> bytes:
        """The bytes of a kept export.

        Raises:
            InvalidInput: the kept file is damaged.
        """
        from neat_delta.files.zstd import ZstdError, ZstdFile

        try:
            with ZstdFile(export.path) as packed:
                data = packed.read(export.size + 1)
        except (OSError, MemoryError, OverflowError, EOFError, ZstdError) as error:
            raise _damaged(export) from error
        if sha256_hex(data) != export.sha256:
            raise _damaged(export)
        return data

    def prune(self) -> list[KeptExport]:
        """Let go of the exports beyond the limits, those first that were read the longest ago; returns them.

        The newest one is always kept.
        """
        self._clear_drafts()
        oldest = datetime.now(UTC) - timedelta(days=self.settings.days)
        size, gone = 0, []
        for number, export in enumerate(sorted(self.exports(), key=lambda one: one.last_read, reverse=True)):
            size += export.packed
            too_much = number >= self.settings.number or size > self.settings.megabytes << 20
            if number and (too_much or export.last_read < oldest):
                with suppress(OSError):
                    export.path.unlink()
                    gone.append(export)
        return gone

    def _clear_drafts(self) -> None:
        """Delete what runs that were killed have left; no run takes as long as a day."""
        for draft in self.folder.glob(f".*{SUFFIX}.*.draft"):
            with suppress(OSError):
                if time.time() - draft.stat().st_mtime > DAY:
                    draft.unlink()

    def _paths(self) -> list[Path]:
        return sorted(self.folder.glob(f"*-*{SUFFIX}")) if self.folder.is_dir() else []

    def _path_of(self, sha256: str) -> Path | None:
        return next((path for path in self._paths() if path.name.endswith(f"-{sha256}{SUFFIX}")), None)


def store_of(settings: StoreSettings) -> ExportStore:
    """The export store that is configured, else the one of this user."""
    if settings.folder is not None:
        return ExportStore(Path(settings.folder).expanduser(), settings)
    return ExportStore(data_folder() / FOLDER, settings)


def keep_source(store: ExportStore, source: Source) -> str | None:
    """Keep the export from which a table was read; a reason if that is not possible, for nobody must wait for it."""
    if source.content is None or not store.settings.keep:
        return None
    try:
        store.keep(source.content(), source.sha256, source.name, source.made)
    except (NeatDeltaError, OSError, MemoryError) as error:
        return str(error)
    return None


def _packed(content: Content) -> Iterator[bytes]:
    """A frame of Zstandard, part by part."""
    from neat_delta.files.zstd import CompressionParameter, ZstdCompressor

    ways: dict[int, int] = {CompressionParameter.compression_level: LEVEL, CompressionParameter.checksum_flag: 1}
    packer = ZstdCompressor(options=ways)
    packer.set_pledged_input_size(len(content))
    for piece in pieces(content):
        yield packer.compress(piece)
    yield packer.flush()


def _is_whole(path: Path, size: int) -> bool:
    """Whether a kept file can be unpacked to so many bytes; its frame has a checksum of what it holds."""
    from neat_delta.files.zstd import ZstdError, ZstdFile

    if _about(path) is None:
        return False
    try:
        with ZstdFile(path) as packed:
            return sum(len(piece) for piece in iter(lambda: packed.read(PIECE), b"")) == size
    except (OSError, MemoryError, EOFError, ZstdError):
        return False


def _about(path: Path) -> KeptExport | None:
    """What a kept file says of its export; ``None`` for a file that is none of ours."""
    try:
        status = path.stat()
        with path.open("rb") as file:
            magic, length = file.read(4), file.read(4)
            if magic != SKIPPABLE or len(length) < 4:
                return None
            (size,) = struct.unpack("<I", length)
            about = from_json(file.read(size) if size <= LONGEST_ABOUT else b"", _About)
        first_read = datetime.strptime(path.name.partition("-")[0], TIME).replace(tzinfo=UTC)
        made = datetime.fromisoformat(about.made).astimezone(UTC) if about.made else None
        last_read = datetime.fromtimestamp(status.st_mtime, UTC)
        return KeptExport(
            about.sha256, about.name, made, first_read, last_read, about.size, status.st_size, path,
        )  # fmt: skip
    except (OSError, ValueError, OverflowError):
        return None


def _damaged(export: KeptExport) -> InvalidInput:
    return InvalidInput(
        f"the kept export of {export.name} is damaged", file=export.path, hint="Delete it, and export again."
    )

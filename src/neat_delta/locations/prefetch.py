"""Files whose reading has begun: one thread fetches them and works out their fingerprints while others go on.

Nothing heavy is imported here, so that a command can begin with its files while it loads the packages it needs.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import sys
import threading
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput
from neat_delta.database.address import DatabaseTable
from neat_delta.files.content import ContentInMemory, on_disk
from neat_delta.files.memory import largest_file_held
from neat_delta.files.output_paths import note_input
from neat_delta.files.trouble import reason, remedy
from neat_delta.files.workers import workers
from neat_delta.locations import FileSet, single

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.files.content import Content
    from neat_delta.locations import Location

STANDARD_INPUT = Path("-")
# Each piece takes the interpreter's lock once.
HASHED_AT_ONCE = 1 << 24
# A niceness that leaves a busy core to others and is far from the last in line.
GIVES_WAY = 10


class FilePrefetch:
    """The content and the SHA-256 of some files, each to be waited for when it is needed.

    Reading and hashing take no part in the interpreter's lock, and one after another they disturb nobody. Without
    ``fingerprints`` these are only worked out when somebody asks. A file too large to be held stays where it is.
    """

    def __init__(self, *paths: Location, fingerprints: bool = True) -> None:
        beside = self._beside = ThreadPoolExecutor(max_workers=1)
        # (Workers elsewhere take what they can reach themselves.)
        most = 0 if workers().elsewhere else largest_file_held()
        self._most, self._fingerprints = most, fingerprints
        # (Which files a set of files stands for is looked up when it is read.)
        alone = (path for path in dict.fromkeys(paths) if not isinstance(path, FileSet))
        self._content: dict[Location, Future[Content]] = {
            path: beside.submit(read_content, path, most) for path in alone
        }
        prints = self._content.items() if fingerprints else ()
        self._prints = {path: beside.submit(_sha256_of, content) for path, content in prints}

    @classmethod
    def holding(cls, path: Location, data: bytes) -> FilePrefetch:
        """The same for a file whose bytes are known already."""
        held = cls(fingerprints=False)
        held.put(path, ContentInMemory(data))
        return held

    def put(self, path: Location, content: Content) -> None:
        """Take what a file holds from somebody who has it."""
        self._content[path] = Future()
        self._content[path].set_result(content)
        if self._fingerprints and path not in self._prints:
            self._prints[path] = self._beside.submit(_sha256_of, self._content[path])

    def content(self, path: Location) -> Content:
        """What a file holds.

        Raises:
            InvalidInput: file not found, it is a folder, or it may not be read.
        """
        if path not in self._content:
            self.put(path, read_content(path, self._most))
        return self._content[path].result()

    def sha256(self, path: Location) -> str:
        """A file's checksum in hexadecimal."""
        # (Whoever asks without having had it begun keeps the priority of their thread.)
        return self._prints[path].result() if path in self._prints else content_sha256(self.content(path))


def sha256_hex(data: bytes) -> str:
    """The SHA-256 of a file's bytes, in hexadecimal."""
    return hashlib.sha256(data).hexdigest()


def content_sha256(content: Content) -> str:
    """The SHA-256 of a file's content, in hexadecimal."""
    digest = hashlib.sha256()
    for start in range(0, len(content), HASHED_AT_ONCE):
        digest.update(content.view(start, start + HASHED_AT_ONCE))
    return digest.hexdigest()


def _sha256_of(content: Future[Content]) -> str:
    lower_priority()
    return content_sha256(content.result())


def lower_priority() -> None:
    """Let this thread have what the others leave of the processor, where threads have a priority each.

    A checksum is needed last, when a core is idle anyway; taken at once it would slow down those who wait for rows.
    Where the system does not allow it, or the program has given way further already, nothing changes.
    """
    if sys.platform == "linux":
        with contextlib.suppress(OSError):
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), GIVES_WAY)


def read_content(path: Location, most: int) -> Content:
    """What a file holds; one of more than so many bytes is left on disk, if it lies there.

    Raises:
        InvalidInput: file not found, it is a folder, or it may not be read.
    """
    path = single(path)
    if isinstance(path, DatabaseTable):
        from neat_delta.database.reading import read_database

        return read_database(path)
    if isinstance(path, Path) and path != STANDARD_INPUT:
        note_input(path)
        with _opening(path):
            if path.is_file() and path.stat().st_size > most:
                return on_disk(path)
    return ContentInMemory(read_bytes(path))


def read_bytes(path: Location) -> bytes:
    """A file's bytes, fetched if it lies elsewhere, or those of standard input for ``-``.

    Raises:
        InvalidInput: file not found, it is a folder, or it may not be read.
    """
    path = single(path)
    if isinstance(path, DatabaseTable):
        content = read_content(path, largest_file_held())
        return content.read(0, len(content))
    if not isinstance(path, Path):
        from neat_delta.remote.transfer import fetch

        return fetch(path)
    note_input(path)
    with _opening(path):
        return sys.stdin.buffer.read() if path == STANDARD_INPUT else path.read_bytes()


@contextlib.contextmanager
def _opening(path: Path) -> Iterator[None]:
    try:
        yield
    except FileNotFoundError as error:
        raise InvalidInput("file not found", file=path, hint="Check the name and the folder.") from error
    except IsADirectoryError as error:
        raise InvalidInput("this is a folder, not a file", file=path, hint="Give a file in it.") from error
    except OSError as error:
        raise InvalidInput(f"cannot open the file ({reason(error)})", file=path, hint=remedy(error)) from error
    except ValueError as error:
        raise InvalidInput(f"no file can have this name ({error})", file=path) from error

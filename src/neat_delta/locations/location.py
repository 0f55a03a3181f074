"""What a person means by the text for a table: a file, an address, or several files that are one table."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.base.path_text import path_text
from neat_delta.database.address import DatabaseTable, is_database, parse_database
from neat_delta.remote.address import Address, parse_address

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

NEWEST = "newest:"
WILDCARDS = re.compile(r"[*?]|\[[^\]]+\]")
# Between addresses, which may hold a plus sign themselves, it is set apart or followed by the next address.
BETWEEN_ADDRESSES = re.compile(r"\s+\+\s+|\+(?=[A-Za-z][A-Za-z0-9.-]*://)")
# Only of file servers is a path that ends so a folder; on the web it may be any file.
FOLDER_END = "/"
WEB = ("http", "https")


@dataclass(frozen=True)
class FileSet:
    """Several files that are one table: patterns, folders and single files, or the newest of these.

    ``text`` is what was written; which files there are is looked up when they are read.
    """

    text: str
    parts: tuple[Place, ...]
    newest: bool = False

    def __str__(self) -> str:
        return self.text

    @property
    def name(self) -> str:
        """The names of its parts without their folders, but for patterns that fit nearly any name."""
        return "+".join(_short(part) for part in self.parts)

    @property
    def suffix(self) -> str:
        """The end of the last part's name from its last point on."""
        return self.parts[-1].suffix

    @property
    def is_folder(self) -> bool:
        """Whether it is just one folder."""
        return not self.newest and len(self.parts) == 1 and is_folder(self.parts[0])


def _short(part: Place) -> str:
    name = path_text(part.name)
    folder = path_text(part.parent.name) if isinstance(part, Path) and WILDCARDS.match(name) else ""
    return f"{folder}/{name}" if folder else name


Place = Path | Address | DatabaseTable
Location = Place | FileSet


def parse_place(text: str) -> Place:
    """A file or folder of this machine, or an address; nothing in the text stands for several.

    Raises:
        InvalidOption: it is an address of a sort we do not know, has a password in it, or makes no sense.
    """
    if is_database(text):
        return parse_database(text)
    return parse_address(text) if "://" in text else Path(text)


def parse_location(text: str, folder: Path = Path()) -> Location:
    """What a person means by a text: a file of this machine, an address, or several files.

    A file of exactly this name comes first. Otherwise ``a.csv+b.csv`` are several files, ``*``, ``?`` and ``[…]``
    make a pattern of names, a folder stands for the tables in it, and ``newest:`` in front for the newest one.
    Relative paths are meant from ``folder``.

    Raises:
        InvalidOption: it is an address of a sort we do not know, has a password in it, or makes no sense.
    """
    if not text.strip(" ."):
        return folder / text
    if text.startswith(NEWEST):
        if not text.removeprefix(NEWEST).strip():
            raise InvalidOption("the newest of what?", file=text, hint="Example: newest:exports, newest:kelp-*.csv.")
        inner = parse_location(text.removeprefix(NEWEST), folder)
        return FileSet(text, inner.parts if isinstance(inner, FileSet) else (inner,), newest=True)
    if text == "-" or _there(Path.is_file, folder / text):
        return Path(text) if text == "-" else folder / text
    pieces = _pieces(text, folder)
    if len(pieces) > 1:
        inner_parts = [parse_location(piece, folder) for piece in pieces]
        flat = [
            flat_part for part in inner_parts for flat_part in (part.parts if isinstance(part, FileSet) else (part,))
        ]
        return FileSet(text, tuple(flat))
    if is_database(text):
        return place_beside(parse_database(text), folder)
    part = parse_address(text) if "://" in text else folder / text
    return FileSet(text, (part,)) if is_pattern(part) or is_folder(part) else part


def _there(asked: Callable[[Path], bool], path: Path) -> bool:
    """What a path is asked; nothing is there under a name that no file can have."""
    try:
        return asked(path)
    except (OSError, ValueError):
        return False


def is_pattern(part: Place) -> bool:
    """Whether a path or an address stands for all names that fit it."""
    if isinstance(part, DatabaseTable):
        return False
    if isinstance(part, Address):
        return "*" in part.name
    return bool(WILDCARDS.search(str(part))) and not _there(Path.exists, part)


def is_folder(part: Place) -> bool:
    """Whether it is a folder."""
    if isinstance(part, DatabaseTable):
        return False
    if isinstance(part, Address):
        return part.scheme not in WEB and part.path.endswith(FOLDER_END)
    return _there(Path.is_dir, part)


def place_beside(place: Place, folder: Path) -> Place:
    """The same place, a file or the file of a database being meant from a folder."""
    if isinstance(place, DatabaseTable):
        return replace(place, database=str(folder / place.database)) if place.is_file else place
    return folder / place if isinstance(place, Path) else place


def matching(pattern: Path) -> Iterator[Path]:
    """The files and folders of this machine whose paths fit a pattern."""
    start = Path(pattern.anchor)
    try:
        yield from start.glob(str(pattern.relative_to(pattern.anchor) if pattern.anchor else pattern))
    except (ValueError, OSError):  # (no pattern of names, such as "a**b"; or a folder that may not be looked into)
        return


def _pieces(text: str, folder: Path) -> list[str]:
    """The files between plus signs; the text itself where it names one file or pattern with such a sign in it."""
    if is_database(text):  # (a query may have any sign in it)
        return [text]
    if "://" in text:
        return BETWEEN_ADDRESSES.split(text)
    pieces = [piece.strip() for piece in text.split("+")]
    if not all(pieces) or (WILDCARDS.search(text) and any(matching(folder / text))):
        return [text]
    exists = (WILDCARDS.search(piece) or _there(Path.exists, folder / piece) for piece in pieces)
    return pieces if any(exists) else [text]


def single(location: Location) -> Place:
    """The one file that is meant where several cannot be.

    Raises:
        InvalidInput: there are several, or none.
    """
    if not isinstance(location, FileSet):
        return location
    if location.is_folder:
        raise InvalidInput("this is a folder, not a file", file=location.text, hint="Give a file in it.")
    from neat_delta.locations.listing import members_of

    members = members_of(location)
    if len(members) > 1:
        raise InvalidInput(f"these are {len(members)} files; one is needed here", file=location.text, hint="Give one.")
    return members[0].location

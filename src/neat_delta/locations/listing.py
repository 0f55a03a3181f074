"""Which files a set of files stands for: by pattern, in a folder, the newest one; on this machine and elsewhere."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from fnmatch import fnmatchcase
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import quote

from neat_delta.base.errors import InvalidInput
from neat_delta.base.path_text import path_text
from neat_delta.database.address import DatabaseTable
from neat_delta.locations.location import FileSet, Place, is_folder, is_pattern, matching
from neat_delta.remote.address import Address

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

# What a table's file may end in, and what may be packed around it.
TABLES = (".csv", ".tsv", ".tab", ".xlsx", ".xlsm", ".xls", ".ods", ".jsonl", ".ndjson", ".xml", ".parquet", ".zip")
PACKED = (".gz", ".zst")
# A table, if there is none of the others.
PERHAPS = (".txt", ".json")
# Files that programs are still writing, or keep for themselves.
UNFINISHED = re.compile(r"^[.~]|(\.part|\.tmp|\.crdownload|~)$", re.IGNORECASE)
# The dates of ISO 8601, also without or with other signs between; and those with the day in front.
DATE = re.compile(
    r"(?<!\d)(?P<year>\d{4})(?P<sign>[-_.]?)(?P<month>\d{2})(?P=sign)(?P<day>\d{2})"
    r"(?:[-_T. ]?(?P<hour>\d{2})[-_:.]?(?P<minute>\d{2})(?:[-_:.]?(?P<second>\d{2}))?)?(?!\d)"
)
DAY_FIRST = re.compile(r"(?<!\d)(?P<day>\d{2})\.(?P<month>\d{2})\.(?P<year>\d{4})(?!\d)")
PART_OF = re.compile(r"(\d+)([-_ ]?of[-_ ]?)(\d+)", re.IGNORECASE)
# A number with more digits is a date or an identifier, and one with a larger gap no count of parts.
LONGEST_COUNT, LARGEST_GAP = 5, 3


@dataclass(frozen=True)
class Member:
    """A file of a set, by the name it is shown under, with the time of its last change where that is known."""

    location: Place
    name: str
    time: datetime | None = None


def members_of(files: FileSet) -> list[Member]:
    """The files of a set in the order of their names, numbers by their size; of ``newest`` just that one.

    Raises:
        InvalidInput: there is none, a folder cannot be listed, or nobody can tell which is the newest.
    """
    by_place: dict[Place, Member] = {}
    for part in files.parts:
        for member in _of_part(part):
            by_place.setdefault(member.location, member)
    members = list(by_place.values())
    return [newest_of(members, files)] if files.newest else _named_apart(members)


def missing_parts(names: Sequence[str]) -> list[str]:
    """Names that lack in a row of numbered ones: of "items-1", "items-2" and "items-4" it is "items-3"."""
    missing = []
    for name in names:
        whole = PART_OF.search(name)
        if whole and int(whole[3]) <= len(names) + LARGEST_GAP:
            part_names = (f"{number:0{len(whole[1])}}{whole[2]}{whole[3]}" for number in range(1, int(whole[3]) + 1))
            missing += [name[: whole.start()] + text + name[whole.end() :] for text in part_names]
    if not missing:
        missing = _between(names)
    return [name for name in dict.fromkeys(missing) if name not in names]


def newest_of(members: Sequence[Member], files: FileSet) -> Member:
    """The newest file: by the dates in the names where every name has one, else by the time of the last change.

    Raises:
        InvalidInput: some have neither.
    """
    dates = [date_in(member.name) for member in members]
    if all(dates):
        return max(zip(dates, members, strict=True), key=lambda one: (one[0], _time(one[1]), natural(one[1].name)))[1]
    members = [_with_time(member) for member in members]
    if len(members) > 1 and any(member.time is None for member in members):
        raise InvalidInput(
            "cannot tell which file is the newest: not all names have a date, and the server does not tell times",
            file=files.text,
            hint="Use names with a date such as 2026-11-28, or give the file itself.",
        )
    return max(members, key=lambda member: (_time(member), natural(member.name)))


def natural(name: str) -> tuple[tuple[int, int | str], ...]:
    """A name as a key for sorting in which numbers count as such."""
    return tuple((0, int(part)) if part.isdigit() else (1, part.lower()) for part in re.split(r"(\d+)", name) if part)


def tables_among(names: Sequence[str]) -> list[str]:
    """Those names that end like a table's."""
    finished = [name for name in names if not UNFINISHED.search(Path(name).name)]
    for ends in (TABLES, PERHAPS):
        tables = [name for name in finished if _end(name) in ends]
        if tables:
            return tables
    return []


def _end(name: str) -> str:
    path = Path(name.lower())
    return Path(path.stem).suffix if path.suffix in PACKED else path.suffix


def _of_part(part: Place) -> list[Member]:
    if isinstance(part, DatabaseTable):
        return [Member(part, part.name)]
    if is_pattern(part):
        members = list(_matching_address(part) if isinstance(part, Address) else _matching(part))
        if not members:
            raise InvalidInput("no file matches this pattern", file=part, hint="Check the names and the folder.")
    elif is_folder(part):
        entries = {member.name: member for member in (_listed(part) if isinstance(part, Address) else _inside(part))}
        members = [entries[name] for name in tables_among(list(entries))]
        if not members:
            hint = "Give a folder with CSV, XLSX, ODS, JSON Lines, XML or Parquet files."
            raise InvalidInput("no table file in this folder", file=part, hint=hint)
    else:
        return [_local(part) if isinstance(part, Path) else Member(part, part.name)]
    return sorted(members, key=lambda member: natural(member.name))


def _local(path: Path) -> Member:
    exists = path.is_file()
    time = datetime.fromtimestamp(path.stat().st_mtime, UTC) if exists else None
    return Member(path, path_text(path.name), time)


def _inside(folder: Path) -> Iterator[Member]:
    return (_local(path) for path in folder.iterdir() if path.is_file())


def _matching(pattern: Path) -> Iterator[Member]:
    for path in matching(pattern):
        if path.is_file() and not UNFINISHED.search(path.name):
            yield _local(path)


def _matching_address(pattern: Address) -> Iterator[Member]:
    folder = replace(pattern, path=pattern.path.rpartition("/")[0] + "/")
    for member in _listed(folder):
        if fnmatchcase(member.name, pattern.name) and not UNFINISHED.search(member.name):
            yield member


def _listed(folder: Address) -> Iterator[Member]:
    from neat_delta.remote.transfer import list_folder

    for name, time in list_folder(folder):
        yield Member(replace(folder, path=f"{folder.path.rstrip('/')}/{quote(name)}"), name, time)


def _with_time(member: Member) -> Member:
    if member.time is not None or not isinstance(member.location, Address):
        return member
    from neat_delta.remote.transfer import modified_at

    return replace(member, time=modified_at(member.location))


def _named_apart(members: list[Member]) -> list[Member]:
    """Members under names that differ: with their folders where the same name occurs twice."""
    names = [member.name for member in members]
    if len(set(names)) == len(names):
        return members
    return [replace(member, name=path_text(member.location)) for member in members]


def _between(names: Sequence[str]) -> list[str]:
    """The names between numbered ones that differ in one number only."""
    split = [re.split(r"(\d+)", name) for name in names]
    if len(names) < 2 or len({len(parts) for parts in split}) > 1:
        return []
    differing = [at for at, parts in enumerate(zip(*split, strict=True)) if len(set(parts)) > 1]
    if len(differing) != 1 or not all(parts[differing[0]].isdigit() for parts in split):
        return []
    at = differing[0]
    width = min(len(parts[at]) for parts in split)
    numbers = sorted({int(parts[at]) for parts in split})
    gaps = [later - earlier for earlier, later in pairwise(numbers)]
    if max(len(parts[at]) for parts in split) > LONGEST_COUNT or max(gaps, default=0) > LARGEST_GAP:
        return []
    first, *_ = split
    between = range(min(1, numbers[0]), numbers[-1]) if numbers[0] <= LARGEST_GAP else range(numbers[0], numbers[-1])
    lacking = [number for number in between if number not in numbers and number >= 1]
    return ["".join([*first[:at], f"{number:0{width}}", *first[at + 1 :]]) for number in lacking]


def date_in(name: str) -> datetime | None:
    """The last date in a name that there is in the calendar."""
    newest = None
    for pattern in (DATE, DAY_FIRST):
        for match in pattern.finditer(name):
            given = {unit: int(text) for unit, text in match.groupdict().items() if unit != "sign" and text}
            try:
                newest = datetime(**given, tzinfo=UTC)
            except ValueError:
                continue
        if newest:
            return newest
    return None


def _time(member: Member) -> datetime:
    return member.time or datetime.min.replace(tzinfo=UTC)

"""Several files that are one table: parts below each other, files of several systems side by side by their key."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.database.address import DatabaseTable
from neat_delta.files.content import ContentInMemory
from neat_delta.files.memory import largest_file_held
from neat_delta.locations import FileSet
from neat_delta.locations.listing import date_in, members_of, missing_parts
from neat_delta.locations.prefetch import STANDARD_INPUT, FilePrefetch, read_content, sha256_hex
from neat_delta.reading.archives import Payload, decompress, unpack
from neat_delta.reading.joined import below_each_other, rendered, side_by_side
from neat_delta.reading.opening import Opened, SeveralParts, open_payload
from neat_delta.reading.stacked import can_be_one_text, stacked, stacked_as_they_come
from neat_delta.reading.table_of import sample_table, to_table
from neat_delta.tables import Source
from neat_delta.tables.read_options import DEFAULT_OPTIONS, ReadOptions

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.locations import Location
    from neat_delta.remote import Address
    from neat_delta.tables import Table


ALL_DATED = "each name has a date; if these are exports of several days, write newest: in front for the last one"
# What comes from a database is delimited text of this form, and every row of it counts.
AS_STREAMED = ReadOptions(delimiter=",", encoding="utf-8", header_line=1, keep_non_data=True)


def open_file(path: Location, prefetch: FilePrefetch, options: ReadOptions = DEFAULT_OPTIONS) -> Opened:
    """What a file is, or what several files are together.

    Raises:
        InvalidInput: a file is not found or is no table, or they are no table together.
        InvalidOption: an option does not fit such a file.
    """
    if isinstance(path, DatabaseTable):
        opened = open_payload(path, Payload(prefetch.content(path), "database"), options.overridden_by(AS_STREAMED))
        return replace(opened, several=SeveralParts(time=datetime.now(UTC)))
    if not isinstance(path, FileSet):
        members = unpack(prefetch.content(path), path)
        if len(members) == 1:
            return open_payload(path, members[0][1], options)
        loads = [partial(_given, payload) for _, payload in members]
        places = [_inside(path, name) for name, _ in members]
        return _together(path, loads, places, [name for name, _ in members], prefetch, options)
    parts_found = members_of(path)
    if len(parts_found) == 1:
        return open_file(parts_found[0].location, prefetch, options)
    loads = [partial(_loaded, member.location, prefetch) for member in parts_found]
    together = _together(
        path,
        loads,
        [member.location for member in parts_found],
        [member.name for member in parts_found],
        prefetch,
        options,
    )
    times = [member.time for member in parts_found if member.time]
    oldest = min(times) if len(times) == len(parts_found) else None
    return replace(together, several=replace(together.several, time=oldest))


def _loaded(path: Location, prefetch: FilePrefetch) -> Payload:
    """A file's content; what lies elsewhere, or comes but once, is kept, for it may be needed again."""
    once = not isinstance(path, Path) or path == STANDARD_INPUT
    return decompress(prefetch.content(path) if once else read_content(path, largest_file_held()), path)


def _given(payload: Payload) -> Payload:
    return payload


def _inside(archive: Path | Address, name: str) -> Location:
    """A table in an archive, as messages name it."""
    return Path(str(archive)) / name


def _together(
    path: Location,
    loads: Sequence[Callable[[], Payload]],
    places: Sequence[Location],
    names: Sequence[str],
    prefetch: FilePrefetch,
    options: ReadOptions,
) -> Opened:
    """Files as one: their bytes where their form allows it, else their cells."""
    missing = tuple(missing_parts(names))
    remarks = (ALL_DATED,) if isinstance(path, FileSet) and all(date_in(name) for name in names) else ()
    whole = stacked_as_they_come(path, loads, names, options) or _stacked(path, loads, places, names, options)
    if whole is not None:
        if isinstance(path, FileSet):  # (an archive is known by its own bytes)
            prefetch.put(path, whole.payload.content)
        return replace(whole, several=replace(whole.several, missing=missing, remarks=remarks))
    groups: dict[frozenset[str], list[Table]] = {}
    for load, place in zip(loads, places, strict=True):
        table = to_table(open_payload(place, load(), options), FilePrefetch())
        groups.setdefault(frozenset(table.names), []).append(table)
    tables = [below_each_other(group) if len(group) > 1 else group[0] for group in groups.values()]
    made = side_by_side(tables) if len(tables) > 1 else tables[0]
    content = ContentInMemory(rendered(made))
    source = Source(path, lambda: sha256_hex(content.data), lambda: content)
    made = replace(made, source=source, missing_parts=missing, remarks=(*remarks, *made.remarks))
    return Opened(path, Payload(content), made, options)


def _stacked(
    path: Location,
    loads: Sequence[Callable[[], Payload]],
    places: Sequence[Location],
    names: Sequence[str],
    options: ReadOptions,
) -> Opened | None:
    """Delimited files of any one form as one text; ``None`` where they have several."""
    opened = [open_payload(place, load(), options) for load, place in zip(loads, places, strict=True)]
    if not can_be_one_text(opened) or not _same_marks(opened):
        return None
    payload, parts = stacked(opened, names)
    return replace(open_payload(path, payload, options), several=SeveralParts(parts))


def _same_marks(opened: Sequence[Opened]) -> bool:
    """Whether no file shows another decimal separator than the others."""
    marks = {sample_table(one).format.decimal_separator for one in opened}
    return len(marks - {None}) <= 1

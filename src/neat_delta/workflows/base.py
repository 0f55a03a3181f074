"""The base of an edited file: the live values that it was made from, wherever they are to be had."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.errors import InvalidInput, NeatDeltaError
from neat_delta.export_store import store_of
from neat_delta.matching import choose_key
from neat_delta.matching.positions import positions_of
from neat_delta.path_text import path_text
from neat_delta.reading import read_table
from neat_delta.reading.sheet_base import unpacked_base
from neat_delta.tables import field_name
from neat_delta.workflows.inputs import read_kept

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from neat_delta.export_store import ExportStore
    from neat_delta.locations import Location
    from neat_delta.matching import Key
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

CARRIED, KEPT, GIVEN = "carried by the sheet", "from the export store", "given"
# So much of the newest kept exports is looked through for one that a file of so many rows may have been made from.
MOST_BYTES, MOST_ROWS = 64 << 20, 100_000
# An export differs from the live one in some cells; a file that was made from it has its values in nearly all of them.
# Whoever sets three cells right that the shop got wrong has not made the file from an older export; but where a sheet
# with its columns was made from one, a single cell is enough.
NEARLY_ALL, FEWEST, FEWEST_OF_SHEET = 0.8, 4, 1


@dataclass(frozen=True)
class Base:
    """The live values that a file was made from, and how they were found."""

    table: Table
    how: str


def given_base(path: Location, settings: Settings) -> Base:
    """The base that a person has given.

    Raises:
        InvalidInput: it cannot be read as a table.
    """
    return Base(read_table(path, options=settings.export).renamed(settings.names()), GIVEN)


def find_base(
    live: Table, edited: Table, settings: Settings, key: Sequence[str] = (), *, by_content: bool = True
) -> Base | None:
    """What an edited file was made from, if that is another export than the live one; ``None``: not known, or this.

    A sheet of ours carries its values. Any other file is looked for in the export store: by the checksum that it
    names, or, ``by_content``, as the export whose values it has where that export and the live one differ. A list of
    somebody else, which has columns of its own, was not made from an export.

    Raises:
        InvalidInput: the values that the sheet carries are damaged, or a kept export is.
    """
    if edited.base:
        base = unpacked_base(edited.base)
        if base is None:
            raise InvalidInput(
                "the live values in this sheet are damaged",
                file=edited.source.path,
                hint='Delete its worksheet "live values", or make the sheet again.',
                code="damaged-base",
            )
        if base.sha256 == live.source.sha256:
            return None
        return Base(base.table.renamed(settings.names()), CARRIED)
    store = store_of(settings.store)
    if edited.source_sha256 is not None:
        kept = None if edited.source_sha256 == live.source.sha256 else store.find(edited.source_sha256)
        return Base(read_kept(store, kept, settings.export).renamed(settings.names()), KEPT) if kept else None
    return _by_content(store, live, edited, settings, key) if by_content else None


def note_sheet(path: Path, columns: Sequence[str], live: Table, settings: Settings) -> None:
    """Remember from which export a sheet as plain text was made; where that is not possible, nobody must know."""
    if settings.store.keep:
        with suppress(OSError):
            store_of(settings.store).note_sheet(path, columns, live.source.sha256)


def _sheets_like(store: ExportStore, edited: Table) -> list[str]:
    """The checksums of the exports from which sheets with the columns of a file were made, the likeliest first.

    That is the one of the sheet which was written where the file is now, or else of the newest.
    """
    columns = {field_name(field.column) for field in edited.fields}
    alike = [one for one in store.sheets() if set(map(field_name, one.columns)) == columns]
    path = edited.source.path
    here = [one for one in alike if isinstance(path, Path) and str(one.path) == path_text(path.resolve())]
    return list(dict.fromkeys(one.sha256 for one in [*here[:1], *alike]))


def _by_content(store: ExportStore, live: Table, edited: Table, settings: Settings, key: Sequence[str]) -> Base | None:
    """The kept export that explains best what an edited file has where the shop has something else by now."""
    if len(edited) > MOST_ROWS or not store.folder.is_dir():
        return None
    sheets, edited = _sheets_like(store, edited), edited.renamed(settings.names())
    shared = [name for name in live.names if name in edited.names]
    try:
        own = choose_key(live, shared, key or settings.key)
    except NeatDeltaError:
        return None  # whoever compares says so
    if len(shared) < len(edited.names):
        return None
    fields = [name for name in shared if name not in own.fields]
    if sheets and sheets[0] == live.source.sha256:
        return None
    best: tuple[int, Table] | None = None
    for table in _newest_first(store, live, settings):
        if not set(own.fields) <= set(table.names):
            continue
        alike, differing = _agreement(table, live, edited, own, [name for name in fields if name in table.names])
        if best is not None and alike < best[0]:
            break  # the exports before the base have ever less in common with the file
        fewest = FEWEST_OF_SHEET if table.source.sha256 in sheets else FEWEST
        if differing and alike >= max(fewest, NEARLY_ALL * differing):
            best = alike, table
    return None if best is None else Base(best[1], KEPT)


def _newest_first(store: ExportStore, live: Table, settings: Settings) -> Iterator[Table]:
    """The kept exports that are older than the live one, as far as they may be looked through.

    A newer one may hold what the file was made to do: then it would explain all of its changes away.
    """
    made = live.source.made or datetime.now(UTC)
    size = 0
    for export in store.exports():
        if export.sha256 == live.source.sha256 or export.time >= made:
            continue
        size += export.size
        if size > MOST_BYTES:
            return
        try:
            yield read_kept(store, export, settings.export).renamed(settings.names())
        except NeatDeltaError:
            continue


def _agreement(base: Table, live: Table, edited: Table, key: Key, fields: Sequence[str]) -> tuple[int, int]:
    """In how many cells of the file an export differs from the live one, and in how many of these the file has it."""
    keys = key.values(edited)
    in_base, in_live = positions_of(key.values(base), keys), positions_of(key.values(live), keys)
    rows = (in_base.is_not_null() & in_live.is_not_null()).arg_true()
    alike = differing = 0
    own = edited.cells(fields, rows)
    then, now = base.cells(fields, in_base.gather(rows)), live.cells(fields, in_live.gather(rows))
    for name in fields:
        moved = then[name] != now[name]
        if moved.any():
            differing += int(moved.sum())
            alike += int((_plain(own[name].filter(moved)) == _plain(then[name].filter(moved))).sum())
    return alike, differing


def _plain(cells: pl.Series) -> pl.Series:
    """Cells without what a spreadsheet program does to numbers: their decimal separator and zeros at the end."""
    mark = cells.str.strip_chars().str.replace(",", ".", literal=True)
    shorter = mark.str.strip_chars_end("0").str.strip_chars_end(".")
    return pl.select(pl.when(mark.str.contains(r"^-?[0-9]+\.[0-9]+$")).then(shorter).otherwise(mark)).to_series()


def without_base(edited: Table) -> Table:
    """An edited file that is compared as it is."""
    return replace(edited, base=())

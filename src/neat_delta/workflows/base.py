"""The base of an edited file: the live values that it was made from.

A base is believed where the sheet carries it, where ``sheet`` has noted this very file, or where a person gives it.
That a file has the values of a kept export shows nothing for certain: whoever types old prices back, or restores an
export, does the same. Such a likeness is a finding, never a base.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput, InvalidOption, NeatDeltaError
from neat_delta.base.path_text import path_text
from neat_delta.changeset.findings import findings_frame, no_findings
from neat_delta.changeset.problems import LOST_BASE, OLDER_VALUES, OTHER_EXPORT
from neat_delta.export_store import store_of
from neat_delta.matching import choose_key
from neat_delta.matching.positions import positions_of
from neat_delta.reading import read_table
from neat_delta.reading.sheet_base import unpacked_base
from neat_delta.tables import Table, field_name
from neat_delta.workflows.inputs import read_kept

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from neat_delta.export_store import ExportStore, NotedSheet
    from neat_delta.locations import Location
    from neat_delta.matching import Key
    from neat_delta.tables.settings import Settings

CARRIED, KEPT, GIVEN = "carried by the sheet", "from the export store", "given"
# What people say instead of a file: no base at all, or the kept export that the file looks like.
NO_BASE, KEPT_BASE = "none", "kept"
# So much of the newest kept exports is looked through for one that a file of so many rows may have been made from.
MOST_BYTES, MOST_ROWS = 64 << 20, 100_000
# An export differs from the live one in some cells; a file that was made from it has its values in nearly all of them.
# Whoever sets three cells right that the shop got wrong has not made the file from an older export; but where the file
# is older than the live export, or a sheet with its columns was made from a kept one, a single cell is enough.
NEARLY_ALL, FEWEST, FEWEST_OF_OLDER = 0.8, 4, 1


@dataclass(frozen=True)
class Base:
    """The live values that a file was made from, and how they were found."""

    table: Table
    how: str


@dataclass(frozen=True)
class BaseWish:
    """What is said of the base of an edited file.

    Attributes:
        given: a table or where it is; ``NO_BASE``; ``KEPT_BASE``; ``None``: nothing is said.
        origin: where the edited file is for the person, if what is read is a copy of it.
    """

    given: Table | Location | str | None = None
    origin: Path | None = None


@dataclass(frozen=True)
class FoundBase:
    """The base of an edited file, if there is one that is certain; and what is to be said where there is none."""

    base: Base | None = None
    findings: pl.DataFrame = field(default_factory=no_findings)


def base_of(
    live: Table,
    edited: Table,
    settings: Settings,
    key: Sequence[str] = (),
    wish: BaseWish | None = None,
    *,
    mapped: bool = False,
) -> FoundBase:
    """What an edited file was made from, if that is another export than the live one.

    A list of somebody else (``mapped``), which has columns of its own, is not looked for among the kept exports.

    Raises:
        InvalidInput: the base that is given cannot be read, the sheet's own values are damaged, or a kept export is.
        InvalidOption: a kept export is wanted, and the file looks like none.
    """
    wish = wish or BaseWish()
    said = str(wish.given) if isinstance(wish.given, str | Path) else None
    if said == NO_BASE:
        return FoundBase(findings=_other_export(live, edited))
    if said == KEPT_BASE:
        like = _likeness(store_of(settings.store), live, edited, settings, key)
        if like is None:
            raise InvalidOption(
                f"{edited.source.name} looks like none of the kept exports",
                option="base",
                value=KEPT_BASE,
                hint="Give the export that it was made from.",
            )
        return FoundBase(Base(like.export, KEPT))
    if wish.given is not None:
        given = wish.given if isinstance(wish.given, Table) else _read_base(wish.given, settings)
        return FoundBase(None if given.source.sha256 == live.source.sha256 else Base(given, GIVEN))
    if edited.base:
        return FoundBase(_carried(live, edited, settings))
    store = store_of(settings.store)
    sha256 = edited.source_sha256 or _noted_for(store, edited, wish.origin)
    if sha256 is not None:
        return FoundBase() if sha256 == live.source.sha256 else _made_from(store, sha256, live, edited, settings)
    like = None if mapped else _likeness(store, live, edited, settings, key)
    return FoundBase() if like is None else FoundBase(findings=_older_values(like, edited))


def _read_base(given: Location | str, settings: Settings) -> Table:
    from neat_delta.locations import parse_location

    where = parse_location(given) if isinstance(given, str) else given
    return read_table(where, options=settings.export).renamed(settings.names())


def _carried(live: Table, edited: Table, settings: Settings) -> Base | None:
    """The live values that a sheet carries; ``None``: they are those of the live export itself."""
    base = unpacked_base(edited.base)
    if base is None:
        raise InvalidInput(
            "the live values in this sheet are damaged",
            file=edited.source.path,
            hint='Delete its worksheet "live values", or make the sheet again.',
            code="damaged-base",
        )
    return None if base.sha256 == live.source.sha256 else Base(base.table.renamed(settings.names()), CARRIED)


def _made_from(store: ExportStore, sha256: str, live: Table, edited: Table, settings: Settings) -> FoundBase:
    """The kept export with this checksum, from which a file is known to be made."""
    kept = store.find(sha256)
    if kept is not None:
        return FoundBase(Base(read_kept(store, kept, settings.export).renamed(settings.names()), KEPT))
    message = (
        f"{edited.source.name} was made from another export than {live.source.name}, and that one is not kept any "
        "more: the shop's changes between the two would be undone"
    )
    return FoundBase(findings=findings_frame(LOST_BASE, message=message))


def _other_export(live: Table, edited: Table) -> pl.DataFrame:
    """A sheet that names another export, compared without it, undoes what the shop has changed since."""
    if edited.source_sha256 in (None, live.source.sha256):
        return no_findings()
    message = (
        f"{edited.source.name} was made from another export than {live.source.name}; the shop's changes between the "
        "two would be undone. Compare it with the export it was made from"
    )
    return findings_frame(OTHER_EXPORT, message=message)


def note_sheet(path: Path, columns: Sequence[str], live: Table, settings: Settings) -> None:
    """Remember from which export a sheet as plain text was made; where that is not possible, nobody must know."""
    if settings.store.keep:
        with suppress(OSError):
            store_of(settings.store).note_sheet(path, columns, live.source.sha256)


def _noted_for(store: ExportStore, edited: Table, origin: Path | None) -> str | None:
    """The checksum of the export from which ``sheet`` has made this very file: the one of its place and columns."""
    path = origin or edited.source.path
    if not isinstance(path, Path):
        return None
    here = path_text(path.resolve())
    columns = _columns(edited)
    return next(
        (one.sha256 for one in store.sheets() if str(one.path) == here and _columns_of(one) == columns),
        None,
    )


def _columns(edited: Table) -> set[str]:
    return {field_name(field.column) for field in edited.fields}


def _columns_of(sheet: NotedSheet) -> set[str]:
    return set(map(field_name, sheet.columns))


@dataclass(frozen=True)
class _Likeness:
    """A kept export of which a file has the values: in so many of the cells that the shop has changed since."""

    export: Table
    alike: int
    differing: int


def _older_values(like: _Likeness, edited: Table) -> pl.DataFrame:
    """The finding on a file that has older values of the shop, which may be meant or not."""
    made = like.export.source.made
    when = f" of {made.astimezone():%Y-%m-%d %H:%M}" if made else ""
    same = like.export.source.sha256 == edited.source.sha256
    message = (
        f"{edited.source.name} {'is' if same else 'looks like an edited copy of'} {like.export.source.name}{when}: it "
        f"has the older values in {like.alike} of {like.differing} cells that the shop has changed since. They would "
        "go back"
    )
    return findings_frame(OLDER_VALUES, message=message)


def _likeness(
    store: ExportStore, live: Table, edited: Table, settings: Settings, key: Sequence[str]
) -> _Likeness | None:
    """The kept export that explains best what an edited file has where the shop has something else by now."""
    if len(edited) > MOST_ROWS or not store.folder.is_dir():
        return None
    # (Somebody may have added a column of his own to a sheet.)
    sheets = {one.sha256 for one in store.sheets() if _columns_of(one) <= _columns(edited)}
    edited = edited.renamed(settings.names())
    shared = [name for name in live.names if name in edited.names]
    try:
        key_of_live = choose_key(live, shared, key or settings.key)
    except NeatDeltaError:
        return None  # whoever compares says so
    fields = [name for name in shared if name not in key_of_live.fields]
    made, of_live = edited.source.made, live.source.made
    is_older = made is not None and of_live is not None and made < of_live
    best: _Likeness | None = None
    for table in _newest_first(store, live, settings):
        if not set(key_of_live.fields) <= set(table.names):
            continue
        alike, differing = _agreement(
            table, live, edited, key_of_live, [name for name in fields if name in table.names]
        )
        if best is not None and alike < best.alike:
            break  # the exports before the base have ever less in common with the file
        fewest = FEWEST_OF_OLDER if is_older or table.source.sha256 in sheets else FEWEST
        if differing and alike >= max(fewest, NEARLY_ALL * differing):
            best = _Likeness(table, alike, differing)
    return best


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
    edited_cells = edited.cells(fields, rows)
    then, now = base.cells(fields, in_base.gather(rows)), live.cells(fields, in_live.gather(rows))
    for name in fields:
        moved = then[name] != now[name]
        if moved.any():
            differing += int(moved.sum())
            alike += int((_plain(edited_cells[name].filter(moved)) == _plain(then[name].filter(moved))).sum())
    return alike, differing


def _plain(cells: pl.Series) -> pl.Series:
    """Cells without what a spreadsheet program does to numbers: their decimal separator and zeros at the end."""
    mark = cells.str.strip_chars().str.replace(",", ".", literal=True)
    shorter = mark.str.strip_chars_end("0").str.strip_chars_end(".")
    return pl.select(pl.when(mark.str.contains(r"^-?[0-9]+\.[0-9]+$")).then(shorter).otherwise(mark)).to_series()

"""Saved change sets: read together with the live export they were made from, checked again, written, undone."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.approval import approval_path, load_approval
from neat_delta.approval.gate import why_not
from neat_delta.base.errors import InvalidInput, InvalidOption, LiveMismatch, NotApproved
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.invert import invert
from neat_delta.changeset.serialization import load_changes, parse_changes
from neat_delta.checks import recheck
from neat_delta.export_store import store_of
from neat_delta.reading import fetch, read_table
from neat_delta.reconcile.put_back import what_can_be_put_back
from neat_delta.reconcile.refresh import RefreshResult, refresh, require_fresh
from neat_delta.reconcile.verify import without_differences
from neat_delta.tables.read_options import ReadOptions
from neat_delta.update import WriteOptions, write_update
from neat_delta.workflows.inputs import keep, read_kept
from neat_delta.workflows.plan import names_of_images

if TYPE_CHECKING:
    from neat_delta.approval import Approval
    from neat_delta.changeset.changeset import ChangeSet, Overrides
    from neat_delta.locations import Location
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt


def load_with_live(
    changes: Location, live: Location | None, settings: Settings, progress: ProgressReporter, data: bytes | None = None
) -> tuple[ChangeSet, Table]:
    """A kept change set, and the live export it was made from, its columns under the names it gives them.

    ``data`` is the change set's file form, where it is read already.

    Raises:
        LiveMismatch: it was made from another one.
    """
    progress.step(f"reading {changes.name}")
    loaded = load_changes(changes) if data is None else parse_changes(data, changes)
    options = _as_read(loaded, settings.export)
    own = read_table(live, progress, options) if live else _live_of(loaded, changes, settings, options, progress)
    _require_matching_live(loaded, own)
    return loaded, own.renamed(loaded.head.names())


def _as_read(changes: ChangeSet, configured: ReadOptions) -> ReadOptions:
    """How the live export was read when the change set was made; what it does not know is as settings."""
    live = changes.head.live
    as_before = ReadOptions(live.delimiter, live.encoding, live.decimal_separator, live.header_line)
    return configured.overridden_by(as_before)


def read_fresh(changes: ChangeSet, path: Location, settings: Settings, progress: ProgressReporter) -> Table:
    """A newer export of the shop, its columns under the names that a change set gives them."""
    return read_table(path, progress, settings.export).renamed(changes.head.names())


def _require_matching_live(changes: ChangeSet, live: Table) -> None:
    """Insist that this is the live export a change set was made from.

    Raises:
        LiveMismatch: it is another one.
    """
    if changes.head.live.sha256 != live.source.sha256:
        raise LiveMismatch(
            f"this change set was made from another export (checksum {changes.head.live.sha256[:12]}…)",
            file=live.source.path,
            hint="Give the export it was made from, or run compare again.",
            code="another-live-export",
        )


def _live_of(
    changes: ChangeSet, path: Location, settings: Settings, options: ReadOptions, progress: ProgressReporter
) -> Table:
    """The live export of a change set kept at this path: beside it, here, or in the export store.

    Raises:
        InvalidInput: it is in none of these places.
    """
    name, sha256 = changes.head.live.name, changes.head.live.sha256
    # (A change set may come from anywhere; the file is looked for where people keep them, by its plain name.)
    here = Path(Path(name).name)
    places = [path.parent / here, here] if isinstance(path, Path) else [here]
    found, unreadable = [], None
    for place in dict.fromkeys(places):
        try:
            found += [read_table(place, progress, options)] if place.is_file() else []
        except InvalidInput as error:  # (it may be a database, of which a query is kept)
            unreadable = error
    # An export of the same name may be a newer one.
    right = next((table for table in found if table.source.sha256 == sha256), None)
    if right is not None:
        return right
    store = store_of(settings.store)
    export = store.find(sha256)
    if export is not None:
        table = read_kept(store, export, options)
        other = found[0].source.path if found else None
        return replace(table, source=replace(table.source, instead_of=other if isinstance(other, Path) else None))
    if found:
        return found[0]
    if unreadable is not None:
        raise unreadable
    raise InvalidInput(
        "cannot find the export this change set was made from (looked next to it, in this folder, and in the export "
        f"store {store.folder})",
        file=name,
        hint="Give its path.",
        code="live-export-missing",
    )


@dataclass(frozen=True)
class Written:
    """An update from a saved change set: its receipt (``None`` if there is none), the set as checked, the export."""

    receipt: Receipt | None
    changes: ChangeSet
    live: Table


@dataclass(frozen=True)
class SavedFile:
    """A saved change set.

    Attributes:
        path: its file.
        live: its live export, if that is neither beside it nor here.
        images: the folder of images.
        approval: its approval, if that is not beside it.
    """

    path: Location
    live: Location | None = None
    images: Path | None = None
    approval: Location | None = None


def write_saved(
    saved: SavedFile,
    folder: Path,
    settings: Settings,
    options: WriteOptions,
    overrides: Overrides,
    progress: ProgressReporter = NO_PROGRESS,
    *,
    strict: bool = False,
) -> Written:
    """Check a saved change set again and write its update.

    Raises:
        LiveMismatch: the live export is another one, or too old.
        WriteError: the folder is in use, or a cell cannot be written.
        ProofFailed: the files would not do exactly what the change set says.
    """
    data = fetch(saved.path).data
    loaded, live = load_with_live(saved.path, saved.live, settings, progress, data)
    require_fresh(options.as_of or live.source.made, live.source.path, settings)
    progress.step("checking what would change")
    changes = recheck(loaded, live, settings, overrides, names_of_images(saved.images))
    if strict and changes.blocking_count():
        return Written(None, changes, live)
    approval = approval_of(saved, changes, settings)
    options = replace(options, saved=data if changes.equivalent_to(loaded) else None, approval=approval)
    return Written(write_update(changes, live, folder, settings, options, progress), changes, live)


def approval_of(saved: SavedFile, changes: ChangeSet, settings: Settings) -> Approval | None:
    """The approval of a saved change set: as given, else the one beside it; where none is wanted, only one that holds.

    Raises:
        InvalidInput: it is no approval.
        NotApproved: the one that was given does not hold, or there is nothing to check it with.
    """
    path = saved.approval
    if path is None:
        path = approval_path(saved.path) if isinstance(saved.path, Path) else None
        if path is None or not path.is_file():
            return None
    approval = load_approval(path)
    if settings.send.approval is not None:
        return approval  # (whoever writes insists on one that holds)
    if saved.approval is not None:
        if why := why_not(changes, settings.send, approval):
            raise NotApproved(why, file=saved.approval, hint="Leave it out, or have the change set approved again.")
        return approval
    try:
        return None if why_not(changes, settings.send, approval) else approval
    except NotApproved:
        return None


def approval_beside(path: Location, changes: ChangeSet, settings: Settings) -> tuple[Approval, str | None] | None:
    """The approval next to a saved change set, and why it does not hold, or cannot be checked here.

    Raises:
        InvalidInput: what lies there is no approval.
    """
    beside = approval_path(path) if isinstance(path, Path) else None
    if beside is None or not beside.is_file():
        return None
    approval = load_approval(beside)
    try:
        return approval, why_not(changes, settings.send, approval)
    except NotApproved as error:
        return approval, str(error)


def undo_saved(
    saved: SavedFile, folder: Path, settings: Settings, options: WriteOptions, progress: ProgressReporter = NO_PROGRESS
) -> Written:
    """Write the files that put back what a change set has changed, with its own in their undo folder.

    Raises:
        LiveMismatch, WriteError, ProofFailed: as for ``write_saved``.
    """
    changes, live = load_with_live(saved.path, saved.live, settings, progress)
    options = replace(options, inverted=True, gate=False)
    return Written(write_update(changes, live, folder, settings, options, progress), changes, live)


def undo_since(
    changes: ChangeSet,
    fresh: Location,
    folder: Path,
    settings: Settings,
    options: WriteOptions,
    progress: ProgressReporter = NO_PROGRESS,
) -> tuple[Written, RefreshResult]:
    """Undo what has arrived by a newer export and has not moved since.

    Raises:
        InvalidOption: of some items nobody can tell whether their keys have changed.
        WriteError, ProofFailed: as for ``write_saved``.
    """
    live = read_fresh(changes, fresh, settings, progress)
    receipt, result = undo_by_table(changes, live, folder, settings, options, progress)
    keep(live, settings)
    return Written(receipt, result.changes, live), result


def undo_by_table(
    changes: ChangeSet,
    live: Table,
    folder: Path,
    settings: Settings,
    options: WriteOptions,
    progress: ProgressReporter = NO_PROGRESS,
) -> tuple[Receipt | None, RefreshResult]:
    """Undo what has arrived by a newer live table, its columns named as in the change set; it needs no approval.

    Raises:
        InvalidOption: of some items nobody can tell whether their keys have changed.
        WriteError, ProofFailed: as for ``write_saved``.
    """
    result = refresh(invert(changes), live, without_differences(settings))
    if result.ambiguous:
        raise InvalidOption(
            f"cannot tell for {result.ambiguous} items whether their SKUs have changed, so nothing is undone",
            file=live.source.path,
            hint='Set a unique field in catalogue.toml: identity = "FIELD", and run compare or recode again.',
        )
    result = what_can_be_put_back(result, live, settings)
    return write_update(result.changes, live, folder, settings, replace(options, gate=False), progress), result

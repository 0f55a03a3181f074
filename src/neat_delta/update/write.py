"""The update: its files, their proof, the undo, the receipt; in one folder, whole or not at all."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.approval import require_approval
from neat_delta.approval.approval import approval_bytes
from neat_delta.base.errors import LiveMismatch, WriteError
from neat_delta.base.json_form import json_bytes
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.invert import invert
from neat_delta.changeset.schemas import ADD, CHANGE, NONE, RECODE, REMOVE
from neat_delta.changeset.serialization import dump_changes
from neat_delta.files.atomic_write import draft_folder, recover_dir, replace_dir
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.tables.settings import Settings
from neat_delta.update.field_sets import field_sets
from neat_delta.update.files import write_files
from neat_delta.update.import_format import import_format_of
from neat_delta.update.options import WriteOptions
from neat_delta.update.packing import Packing, costs, fill_rules
from neat_delta.update.proof import prove, store_before
from neat_delta.update.receipt import APPROVAL_FILE, CHANGESET_FILE, RECEIPT, UNDO, Receipt, WrittenFile, utc_text
from neat_delta.update.replaceable import check_no_input_in, check_replaceable, remove_replaced

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table

NO_SETTINGS = Settings()


DEFAULTS = WriteOptions()


def write_update(
    changes: ChangeSet,
    live: Table,
    folder: Path,
    settings: Settings = NO_SETTINGS,
    options: WriteOptions = DEFAULTS,
    progress: ProgressReporter = NO_PROGRESS,
) -> Receipt | None:
    """Write the update files of a change set, prove them, and only then put them where they belong.

    They are written as configured for the shop's import, else as the shop exports.

    Returns:
        the receipt; ``None``, with nothing touched, if there is nothing to change.

    Raises:
        LiveMismatch: the change set was made from another live export.
        NotApproved: the settings want an approval, and there is none that holds.
        WriteError: the folder is in use or cannot be made, or a cell cannot be written in the live format.
        ProofFailed: the files would not do exactly what the change set says; they are removed.
    """
    _require_same_live(changes, live)
    _require_known_fields((*changes.head.key, *changes.head.fields), live, "the change set", "Run compare again.")
    _require_known_fields(settings.imports.columns, live, "[import] in catalogue.toml", "Correct its columns.")
    if changes.items["action"].is_in([NONE]).all():
        return None
    if options.gate:
        require_approval(changes, settings, options.approval)
    place = Path(os.path.realpath(folder))
    recover_dir(place, remove_replaced)
    earlier = check_replaceable(place, folder, replace=options.overwrite)
    if earlier is not None:
        check_no_input_in(folder)

    def check(now: Path) -> None:
        if check_replaceable(now, folder, replace=options.overwrite) != earlier:
            raise WriteError("another update was written here at the same time", file=folder, hint="Check it first.")

    with draft_folder(place) as draft:
        receipt = _write_draft(changes, live, folder, draft, settings, options, progress)
        if options.approval is not None:
            (draft / APPROVAL_FILE).write_bytes(approval_bytes(options.approval))
        (draft / RECEIPT).write_bytes(json_bytes(receipt.as_dict(), indented=True) + b"\n")
        replace_dir(draft, place, check, remove_replaced)
    return receipt


def _write_draft(
    changes: ChangeSet,
    live: Table,
    folder: Path,
    draft: Path,
    settings: Settings,
    options: WriteOptions,
    progress: ProgressReporter,
) -> Receipt:
    """All files but the receipt, proved; what need not wait for another step has a thread of its own."""
    progress.step("writing the update")
    import_format = import_format_of(changes, live, settings, options.output_format)
    # What a file fills, a file may not be able to empty again.
    cannot_empty = not settings.imports.can_empty
    irreversible = changes.cells_with_action(CHANGE, RECODE).filter(pl.col("was").is_null() & cannot_empty)
    inverse = invert(changes, irreversible)
    forward, backward = (draft / UNDO, draft) if options.inverted else (draft, draft / UNDO)
    done = inverse if options.inverted else changes
    sets = field_sets(changes)
    packing = Packing(options.strategy, fill_rules(changes, live, settings), sets)
    sets_back = field_sets(inverse) if len(irreversible) or changes.new_keys() else sets.inverted()
    packing_back = replace(packing, sets=sets_back, back=True)
    with ThreadPoolExecutor() as writers:
        saving = writers.submit(_save, done, draft, None if options.inverted else options.saved)
        back = writers.submit(write_files, inverse, live, backward, import_format, packing_back)
        choices = writers.submit(costs, changes, live, settings.imports.columns, packing.holes, sets)
        (files, filled), (undo, _) = write_files(changes, live, forward, import_format, packing), back.result()
        progress.step("proving the update")
        compared = prove(
            store_before(changes, live, import_format),
            changes,
            inverse,
            _paths(forward, files),
            _paths(backward, undo),
            packing.may_fill,
            irreversible,
        )
        files, undo = (undo, files) if options.inverted else (files, undo)
        return Receipt(
            folder=folder,
            made=utc_text(datetime.now(UTC)),
            changes_sha256=saving.result(),
            live=changes.head.live.as_dict() | {"as_of": utc_text(options.as_of or live.source.made)},
            key=changes.head.key,
            files=files,
            undo=undo,
            items=len(done.keys_with_action(CHANGE, RECODE, ADD, REMOVE)),
            cells=len(done.cells),
            compared=compared,
            import_config=settings.imports,
            irreversible=len(irreversible),
            strategy=options.strategy,
            output_format=options.output_format,
            undoes=options.inverted,
            choices=choices.result(),
            filled=filled,
            made_by=changes.head.made_by,
            approval=options.approval,
        )


def _save(changes: ChangeSet, folder: Path, saved: bytes | None) -> str:
    """Put the change set beside the files that bring it about; returns its checksum."""
    data = dump_changes(changes) if saved is None else saved
    (folder / CHANGESET_FILE).write_bytes(data)
    return sha256_hex(data)


def _paths(folder: Path, files: Sequence[WrittenFile]) -> list[tuple[Path, str]]:
    return [(folder / written.file, written.action) for written in files]


def _require_same_live(changes: ChangeSet, live: Table) -> None:
    made_from = changes.head.live
    if made_from.sha256 != live.source.sha256:
        raise LiveMismatch(
            f"this change set was made from another export ({made_from.name} with {made_from.rows} rows, "
            f"checksum {made_from.sha256[:12]}…)",
            file=live.source.path,
            hint="Give the export it was made from, or run compare again.",
            code="another-live-export",
        )


def _require_known_fields(names: Sequence[str], live: Table, whose: str, hint: str) -> None:
    strange = [name for name in names if name not in live.names]
    if strange:
        raise WriteError(f"{whose} has a field that is not in the live export", column=strange[0], hint=hint)

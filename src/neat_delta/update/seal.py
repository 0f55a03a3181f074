"""The seal of a written update: its files do what its change set says, and nothing else, also when it is sent.

Between writing and sending, whoever can write in the folder can exchange a file and its checksum. So the files are read
back and applied to the export that they were made from, as they were when they were proved.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput, ProofFailed
from neat_delta.changeset.invert import invert
from neat_delta.update.field_sets import field_sets
from neat_delta.update.files import requested_cells
from neat_delta.update.import_format import import_format_of
from neat_delta.update.packing import Packing, fill_rules
from neat_delta.update.proof import assert_same, expected, simulate_import, store_before

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
    from neat_delta.update.proof import SimulatedStore
    from neat_delta.update.receipt import LoadedReceipt


def require_unbroken(folder: Path, receipt: LoadedReceipt, changes: ChangeSet, live: Table, settings: Settings) -> None:
    """Insist that the files of an update still do just what its change set says.

    Args:
        folder: the update's folder.
        receipt: its receipt.
        changes: the change set beside the files.
        live: the export that it was made from.
        settings: how the shop reads an update.

    Raises:
        ProofFailed: they do not; the first cell that is not as it should be.
    """
    # Files that undo a whole update begin where that has ended.
    first = invert(changes) if receipt.undoes else changes
    import_format = import_format_of(first, live, settings, receipt.output_format)
    packing = Packing(receipt.strategy, fill_rules(first, live, settings), field_sets(first))
    files = [(folder / file.name, file.action) for file in receipt.files]
    try:
        before = store_before(first, live, import_format)
        if receipt.undoes:
            before = expected(before, first)
        got = _after_import(before, files, changes, packing)
        assert_same(got, expected(before, changes), "the files do not do what the change set says")
    except ProofFailed as error:
        raise ProofFailed(
            f"this update is not as it was proved: {error.what}",
            file=error.file or folder,
            line=error.line,
            column=error.column,
            value=error.value,
            hint="Nothing was sent. Write the update again, and have it approved again where that is wanted.",
        ) from error


def _after_import(
    before: SimulatedStore, files: list[tuple[Path, str]], changes: ChangeSet, packing: Packing
) -> SimulatedStore:
    """The items after the import of the files.

    Raises:
        ProofFailed: a file is none that was written here, whatever is wrong with it.
    """
    try:
        return simulate_import(before, files, requested_cells(changes), packing.may_fill)
    except (InvalidInput, ValueError, LookupError, pl.exceptions.PolarsError) as error:
        raise ProofFailed(f"a file cannot be read as one of it ({type(error).__name__})") from error


def with_imports_of(settings: Settings, receipt: LoadedReceipt) -> Settings:
    """The settings, and how the shop reads the update as it was when that was written."""
    return replace(settings, imports=receipt.imports)


def is_for_this_import(receipt: LoadedReceipt, settings: Settings) -> bool:
    """Whether an update was written for a shop that reads updates as these settings say."""
    return receipt.imports.as_dict() == settings.imports.as_dict()

"""The readers that files from outside meet first, each called alone."""

from __future__ import annotations

import os
import traceback
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING
from unittest.mock import patch

import polars as pl

from neat_delta.approval import load_approval
from neat_delta.approval.gate import why_not
from neat_delta.base.errors import InvalidSettings, NeatDeltaError
from neat_delta.changeset.serialization import dump_changes, load_changes, parse_changes
from neat_delta.delivery.history import History
from neat_delta.export_store.store import ExportStore
from neat_delta.expressions import ExpressionError, parse_expression
from neat_delta.locations import parse_location
from neat_delta.matching.mapping_file import read_mapping_file
from neat_delta.reading import read_table
from neat_delta.reading.sheet_base import unpacked_base
from neat_delta.reconcile.page_decisions import read_page_decisions
from neat_delta.reconcile.review import subset_with_review
from neat_delta.tables.settings_file import load_settings
from neat_delta.tables.settings_sections import SendSettings, StoreSettings
from neat_delta.tables.typed_values import typed_column
from neat_delta.update.receipt import load_receipt
from neat_delta.workflows.scheduled.campaign import load_state, phase
from neat_delta.workflows.scheduled.run_config import load_run

if TYPE_CHECKING:
    from collections.abc import Callable


def _table(path: Path) -> None:
    table = read_table(path)
    cells = table.cells(table.names)
    assert len(cells) == len(table)
    assert table.source.sha256
    unpacked_base(table.base)


def _database(path: Path) -> None:
    table = read_table(parse_location(f"sqlite:///{path}?table=items"))
    assert len(table.cells(table.names)) == len(table)


def _changes(path: Path) -> None:
    data = path.read_bytes()
    changes = parse_changes(data, path)
    again = dump_changes(changes)
    assert parse_changes(again, path).equivalent_to(changes)


def _history(path: Path) -> None:
    history = History(path)
    for entry in history.entries():
        history.change_set(entry)


def _kept(path: Path) -> None:
    """A kept export, known again by its name's checksum, or not taken for one."""
    folder = path.with_name("kept")
    folder.mkdir(exist_ok=True)
    name = Path("kept.name").read_text()
    (folder / name).write_bytes(path.read_bytes())
    store = ExportStore(folder, StoreSettings())
    for export in store.exports():
        store.data(export)


def _receipt(path: Path) -> None:
    folder = path.with_name("some-update")
    folder.mkdir(exist_ok=True)
    (folder / "receipt.json").write_bytes(path.read_bytes())
    load_receipt(folder)


def _decisions(path: Path) -> None:
    changes = load_changes(Path("c.changes.jsonl"))
    review = read_page_decisions(path, changes)
    subset_with_review(changes, review.keep, review, "decisions")


def _approval(path: Path) -> None:
    approval = load_approval(path)
    with patch.dict(os.environ, {"NEAT_DELTA_APPROVAL_SECRET": "a secret of sixteen letters"}):
        why_not(load_changes(Path("c.changes.jsonl")), SendSettings(approval="other"), approval)


def _campaign(path: Path) -> None:
    """The state of a campaign, in its place."""
    config = load_run(Path("jobs.toml"))
    config.folder.mkdir(exist_ok=True)
    (config.folder / "jobs.campaign.json").write_bytes(path.read_bytes())
    phase(config, load_state(config))


READERS: dict[str, Callable[[Path], object]] = {
    **dict.fromkeys(
        ("edited.csv", "semicolons.csv", "utf16.csv", "edited.csv.gz", "edited.csv.zst", "edited.zip", "edited.jsonl",
         "edited.xml", "edited.xlsx", "edited.ods", "sheet.xlsx", "parts.zip", "edited.parquet"), _table),
    "shop.db": _database,
    **dict.fromkeys(("c.changes.jsonl", "new.changes.jsonl", "recode.changes.jsonl"), _changes),
    "catalogue.toml": load_settings,
    "run.toml": load_run,
    "jobs.toml": load_run,
    "c.decisions.json": _decisions,
    "some.approval.json": _approval,
    "jobs.campaign.json": _campaign,
    "history.sqlite": _history,
    "receipt.json": _receipt,
    "kept.zst": _kept,
    "mapping.csv": read_mapping_file,
}  # fmt: skip


@cache
def _frame() -> pl.DataFrame:
    table = read_table(Path("live.csv"))
    return pl.DataFrame(
        [typed_column(table, name, load_settings(Path("catalogue.toml")).field(name), ".") for name in table.names]
    )


def tried(reading: bool, what: str, place: str | None) -> tuple[int, str]:
    """Read a damaged file, or compute an expression: 0 or 3, and what was said, as a command would say it."""
    try:
        if reading:
            READERS[what](Path(str(place)))
        else:
            _, _, formula = what.rpartition("=") if what.count("=") == 1 else ("", "", what)
            found = parse_expression(formula)
            names = [name for name in found.names if name in _frame().columns]
            found.row_by_row(_frame().select(names or ["sku"]))
    except (NeatDeltaError, ExpressionError) as error:
        mistakes = error.mistakes if isinstance(error, InvalidSettings) else [error]
        return 3, " ".join(str(mistake) for mistake in mistakes).encode("unicode_escape").decode()
    except BaseException:
        return 3, traceback.format_exc()
    return 0, ""

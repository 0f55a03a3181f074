"""What a run's report tells of its change set, of the shop's answers, and of what arrived."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.analysis.metrics import totals_by_field
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.changeset.serialization import findings_as_dicts
from neat_delta.delivery.answers import not_accepted
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.reconcile.three_way import APPLIED
from neat_delta.tables.line_names import with_own_line
from neat_delta.workflows.scheduled.report import SOME

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry
    from neat_delta.reconcile.verify import VerifyResult
    from neat_delta.workflows.scheduled.report import RunReport


def tell_changes(report: RunReport, changes: ChangeSet) -> None:
    """What would change, and what is held back."""
    report.counts = dict(changes.counts)
    report.items = {action: len(changes.keys_with_action(action)) for action in (CHANGE, RECODE, ADD, REMOVE)}
    report.cells = len(changes.cells)
    report.fields = totals_by_field(changes).to_dicts()
    names = changes.items.select("key", "name")
    some = changes.cells.head(SOME).join(names, on="key", how="left", maintain_order="left")
    report.changes = [_with_item(row) for row in some.to_dicts()]
    report.levels = {level: len(changes.findings.filter(level=level)) for level in ("error", "warning", "note")}
    worst = changes.findings.filter(pl.col("level") == "error").head(SOME)
    parts = changes.head.edited.parts
    report.findings = [_with_item(with_own_line(row, parts)) for row in findings_as_dicts(worst)]


def tell_results(report: RunReport, entry: Entry) -> None:
    """What the shop has answered."""
    rows = [row for file in entry.files for row in file.results]
    for row in rows:
        report.results[row["result"]] = report.results.get(row["result"], 0) + 1
    bad = not_accepted(entry)
    report.rejected = [{name: row[name] for name in ("code", "result", "reason")} for row in bad[:SOME]]


def tell_landed(report: RunReport, arrived: VerifyResult) -> None:
    """What of it is in the shop now."""
    report.applied = dict(arrived.changes["state"].value_counts(sort=True).iter_rows())
    some = arrived.changes.filter(pl.col("state") != APPLIED).head(SOME)
    report.not_applied = [_with_item(row) for row in some.to_dicts()]


def _with_item(row: dict[str, Any]) -> dict[str, Any]:
    """A row with its key as people read it."""
    key = row.pop("key")
    return {"item": key.replace(KEY_SEPARATOR, " · ") if key else None} | row


def several(number: int, what: str) -> str:
    """A number with its noun."""
    return f"{number:,} {what}" if number == 1 else f"{number:,} {what}s"

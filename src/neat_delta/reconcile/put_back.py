"""What of an undo can be put back: a price only with its dates, a field only where the shop's import can empty it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.apply_findings import apply_findings
from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.problems import NOT_PUT_BACK
from neat_delta.changeset.schemas import CHANGE, RECODE

if TYPE_CHECKING:
    from neat_delta.reconcile.refresh import RefreshResult
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings


def what_can_be_put_back(refreshed: RefreshResult, live: Table, settings: Settings) -> RefreshResult:
    """An undo without the cells that must or can not be put back; each is named as an error."""
    return _without_unemptied(_prices_with_dates(refreshed, live, settings), settings)


def _without_unemptied(refreshed: RefreshResult, settings: Settings) -> RefreshResult:
    """An undo that empties no field, where no file can do that in this shop."""
    filled = refreshed.changes.cells_with_action(CHANGE, RECODE).filter(pl.col("now").is_null())
    if settings.imports.can_empty or filled.is_empty():
        return refreshed
    return _without(
        refreshed, filled, "it was blank before, and no file can empty a field in this shop. Empty it there"
    )


def _prices_with_dates(refreshed: RefreshResult, live: Table, settings: Settings) -> RefreshResult:
    """An undo in which no item gets back only a part of its prices and dates.

    Where somebody has changed one of them since, the others stay as well: a sale price whose end was taken away would
    be a sale without end.
    """
    fields = refreshed.changes.head.fields
    prices = {settings.roles.field_for(role, live) for role in ("price", "sale_price")} & fields.keys()
    dates = {name for name, info in fields.items() if info.type == "date"}
    if not prices or not dates:
        return refreshed
    together = pl.col("field").is_in([*prices, *dates])
    changed = refreshed.conflicts.filter(together, pl.col("fate") == "hold").select("key").unique()
    cells = refreshed.changes.cells.filter(together).join(changed, on="key", how="semi", maintain_order="left")
    if cells.is_empty():
        return refreshed
    return _without(refreshed, cells, "a price and its dates belong together, and one of them was changed since")


def _without(refreshed: RefreshResult, cells: pl.DataFrame, why: str) -> RefreshResult:
    """An undo without these cells (key, field, was)."""
    message = pl.repeat(why, len(cells), dtype=pl.String, eager=True)
    findings = findings_frame(NOT_PUT_BACK, key=cells["key"], field=cells["field"], value=cells["was"], message=message)
    return replace(refreshed, changes=apply_findings(refreshed.changes, findings))

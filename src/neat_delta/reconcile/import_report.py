"""The result list of an import, as a shop gives it: which items were taken, which were not, and why."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.cell_selection import Selection, cells_in
from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.apply_findings import apply_findings
from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.problems import LEFT_OUT, WARN
from neat_delta.changeset.schemas import NONE
from neat_delta.tables.formula_text import unescaped_unless
from neat_delta.tables.roles import named_as

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

RESULT = re.compile(r"(^|_)(result|status|state|outcome)(_|$)")
REASON = re.compile(r"(^|_)(reason|message|error|errors|note|details?)(_|$)")
SILENT = "the import report does not have this item"
# Only words that are known to mean yes count as yes. Whatever else a shop says of a row, a person has to look at.
# As shops say it, in lower case, without what is around it.
YES = frozenset(
    [
        "accepted", "added", "applied", "changed", "created", "deleted", "done", "imported", "inserted", "modified",
        "no change", "ok", "okay", "processed", "removed", "replaced", "saved", "success", "successful", "succeeded",
        "unchanged", "updated", "valid", "written", "yes", "true", "1", "200", "201", "204", "complete", "completed",
    ]
)  # fmt: skip


def is_accepted(word: str | None) -> bool:
    """Whether a word of a shop means that it has accepted a row."""
    return (word or "").strip().strip(".!").lower() in YES


def rejected(results: Table, changes: ChangeSet) -> pl.DataFrame:
    """The items of a change set that a result list does not say were taken (key, reason), in its order.

    A list that has accepted rows is one of all rows: items that it does not have come last.
    Its columns are known by their names: the code as the key, result (or status, state), reason (or message, error).

    Raises:
        InvalidOption: there is no column of codes or of results, or no row is about an item of the change set.
    """
    names = results.names
    code = next((name for name in (*changes.head.key, *named_as("key", names)) if name in names), None)
    column = next((name for name in names if RESULT.search(name)), None)
    lacking = [what for what, name in (("the SKU", code), ("the result", column)) if name is None]
    if code is None or column is None:
        raise InvalidOption(
            f"{results.source.name}: no column found for {' and '.join(lacking)}",
            hint="Name its columns sku, result and reason. Found: " + ", ".join(names) + ".",
        )
    reason = next((name for name in names if REASON.search(name) and name != column), None)
    # A code change goes by its new code once it is taken.
    keys = pl.concat([changes.items.select("key"), changes.items.select(key="new_key").drop_nulls()])
    cells = results.cells(names)
    cells = cells.with_columns(unescaped_unless(cells[code], keys["key"]))
    taken = pl.Series([is_accepted(word) for word in cells[column]], dtype=pl.Boolean)
    why = [pl.col(one).replace("", None) for one in (reason, column) if one]
    described = cells.select(key=pl.col(code), bad=~taken, reason=pl.coalesce(why))
    about = described.join(keys, on="key", how="semi", maintain_order="left")
    if about.is_empty():
        raise InvalidOption(
            f"{results.source.name}: none of its rows is about an item of this change set",
            hint="Is it the import report of this update?",
        )
    # What is said of an item under new SKU: said of the item.
    by_new = {new: old for old, new in changes.new_keys().items() if new not in set(changes.items["key"])}
    said = about.with_columns(pl.col("key").replace(by_new))
    bad = said.filter("bad").select("key", "reason")
    if not said["bad"].all():
        acting = changes.items.filter(pl.col("action") != NONE).select("key")
        silent = acting.join(said, on="key", how="anti", maintain_order="left")
        bad = pl.concat([bad, silent.with_columns(reason=pl.lit(SILENT))])
    return bad.unique("key", keep="first", maintain_order=True)


def failed(changes: ChangeSet, bad: pl.DataFrame, settings: Settings) -> pl.DataFrame:
    """What of a change set belongs to the items that were not taken (key, field), as from ``cells_in``."""
    if bad.is_empty():
        return changes.cells.clear().select("key", "field")
    return cells_in(changes, Selection(items=tuple(bad["key"])), None, settings)


def with_reasons(changes: ChangeSet, bad: pl.DataFrame) -> ChangeSet:
    """The change set with the shop's reasons as findings to look at."""
    lines = bad.join(changes.items.select("key", "line"), on="key", how="left", maintain_order="left")
    findings = findings_frame(
        LEFT_OUT, WARN, key=lines["key"], line=lines["line"],
        message=lines.select(pl.format("not accepted by the shop: {}", pl.col("reason").fill_null("?"))).to_series(),
    )  # fmt: skip
    return apply_findings(changes, findings)

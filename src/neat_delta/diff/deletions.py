"""Deletions: items that the edited file no longer has leave the live catalogue, where somebody says so and how many."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.changeset.apply_findings import with_more_findings
from neat_delta.changeset.changeset import CELLS, ITEMS, with_cells_in_order, with_items
from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.head import FieldInfo
from neat_delta.changeset.problems import REMOVAL
from neat_delta.changeset.schemas import CHANGE, REMOVE

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.matching.context import Context
    from neat_delta.tables import Table


def add_deletions(
    changes: ChangeSet, context: Context, missing: pl.DataFrame, at_most: int, unidentified: int
) -> ChangeSet:
    """The change set with the missing items to be removed, where they are not too many.

    Where it is configured that they only become something else, such as switched off, that is a change like any other.

    Args:
        changes: the change set so far.
        context: the live export, its settings and its key.
        missing: the items (key, line, name, row: in the live export).
        at_most: how many of them may be removed.
        unidentified: rows of the edited file that may be any item; as long as there are some, none is removed.

    Raises:
        InvalidOption: more items are missing than may be removed.
    """
    if len(missing) > at_most:
        raise InvalidOption(
            f"{len(missing)} items would be deleted, more than the limit of {at_most}",
            hint="Nothing was deleted.",
            code="too-many-removals",
        )
    if missing.is_empty():
        return changes
    if unidentified:
        message = (
            f"Rows of the edited file that match no item: {unidentified}. They may belong to "
            f"the {len(missing)} missing items, so nothing was deleted. Correct these rows first"
        )
        return with_more_findings(changes, findings_frame(REMOVAL, message=message))
    cells = _cells_of(context, missing)
    instead = context.settings.imports.instead_of_removal
    if instead:
        # What is so already has nothing to change.
        missing = missing.join(cells, on="key", how="semi", maintain_order="left")
    items = missing.select(
        "key",
        "name",
        action=pl.lit(CHANGE if instead else REMOVE),
        row_state=pl.lit(None, pl.String),
        line=pl.lit(None, ITEMS["line"]),
        new_key=pl.lit(None, pl.String),
    )
    names = {*context.key.fields, *(instead or context.live.names), *changes.head.fields}
    fields = {
        name: changes.head.fields.get(name) or _field_info(context, name)
        for name in context.live.names
        if name in names
    }
    order = context.key.values(context.live)
    changed = with_items(changes, items, cells, order, replace(changes.head, fields=fields))
    return with_cells_in_order(changed, context.live.names)


def _cells_of(context: Context, missing: pl.DataFrame) -> pl.DataFrame:
    """The cells of items to be removed, or those that they get instead."""
    live, instead = context.live, context.settings.imports.instead_of_removal
    _require_fields(instead, live)
    names = [name for name in live.names if name in instead] if instead else live.names
    cells = live.cells([name for name in names if name not in context.key.fields], missing["row"])
    # (Not by turning the frame round: a field may be called as one of the columns here.)
    parts = [
        pl.DataFrame({"key": missing["key"], "was": of_field}).with_columns(field=pl.lit(of_field.name))
        for of_field in cells.get_columns()
    ]
    none = pl.DataFrame(schema={"key": pl.String, "was": pl.String, "field": pl.String})
    long = pl.concat([none, *parts])
    now = pl.col("field").replace_strict(dict(instead), default=None, return_dtype=pl.String)
    long = long.with_columns(was=pl.col("was").replace("", None), now=now)
    return long.filter(pl.col("was").ne_missing(pl.col("now"))).select(*CELLS)


def _require_fields(instead: Mapping[str, str], live: Table) -> None:
    for name in instead:
        if name not in live.names:
            raise InvalidOption(
                f"instead_of_removal in catalogue.toml: there is no field {name}",
                hint=nearest_hint(name, live.names),
            )


def _field_info(context: Context, name: str) -> FieldInfo:
    column = context.column(name)
    return FieldInfo(context.live.field(name).column, column.type.name, column.decimal_separator)

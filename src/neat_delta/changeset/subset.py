"""A part of a change set: some of its cells, some of its items."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.changeset import LEFT_OUT_ROW, normalize
from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.problems import LEFT_OUT, REMARK
from neat_delta.changeset.schemas import ADD, CHANGE, NONE, RECODE, REMOVE, Cells, Findings, Items

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet

ALL = (CHANGE, RECODE, ADD, REMOVE)


def subset(changes: ChangeSet, keep: pl.DataFrame, why: pl.DataFrame | None = None) -> ChangeSet:
    """The change set with just these of its cells and items (frame of key, field, as from ``cells_in``).

    What is left out stays in it as notes; ``why`` (key, field, say) has words of people for some of them.

    Raises:
        InvalidOption: some code changes would be taken and others left.
    """
    codes = changes.keys_with_action(RECODE)
    whole = keep.filter(pl.col("field").is_null()).select("key")
    kept_codes = codes.join(whole, on="key", how="semi")
    keep = _with_followers(changes, keep) if len(kept_codes) else _without_followers(changes, keep)
    if 0 < len(kept_codes) < len(codes):
        raise InvalidOption(
            "SKU changes can only be accepted all together, because linked items follow them",
            hint="Accept all of them, or make the change set again from a shorter list.",
        )
    kept = changes.cells.join(keep.drop_nulls(), on=["key", "field"], how="semi", maintain_order="left")
    in_whole = changes.cells_with_action(ADD, REMOVE).join(whole, on="key", how="semi", maintain_order="left")
    cells = changes.cells.join(pl.concat([kept, in_whole]).select("key", "field"), on=["key", "field"], how="semi")
    has_cells, is_whole = (pl.col("key").is_in(keys.unique().implode()) for keys in (kept["key"], whole["key"]))
    do = (
        pl.when(is_whole & (pl.col("action") != CHANGE))
        .then("action")
        .when(pl.col("action").is_in([CHANGE, RECODE]) & has_cells)
        .then(pl.lit(CHANGE))
        .otherwise(pl.lit(NONE))
    )
    items = changes.items.with_columns(action=do)
    lost = changes.items["action"].is_in(ALL) & (items["action"] == NONE) & items["row_state"].is_not_null()
    items = items.with_columns(row_state=pl.when(lost).then(pl.lit(LEFT_OUT_ROW)).otherwise("row_state"))
    return normalize(
        replace(
            changes,
            items=Items.checked(items),
            cells=Cells.checked(cells),
            findings=Findings.checked(pl.concat([changes.findings, _exclusion(changes, keep, why)])),
        )
    )


def dependent_cells(changes: ChangeSet) -> pl.DataFrame:
    """The cells (key, field) that follow code changes: references and picture names that hold a new code."""
    new = list(changes.new_keys().values())
    fields = [name for name, note in changes.head.fields.items() if note.type in ("item link", "image")]
    cells = changes.cells_with_action(CHANGE, RECODE)
    if not new:
        return cells.clear().select("key", "field")
    follows = pl.col("field").is_in(fields) & pl.col("now").str.contains_any(new)
    # What is in no row of anybody's sheet can only be there to follow.
    unasked = changes.items.filter((pl.col("action") == CHANGE) & pl.col("line").is_null())["key"]
    return cells.filter(follows | pl.col("key").is_in(unasked.implode())).select("key", "field")


def _with_followers(changes: ChangeSet, keep: pl.DataFrame) -> pl.DataFrame:
    return pl.concat([keep, dependent_cells(changes)]).unique(maintain_order=True)


def _without_followers(changes: ChangeSet, keep: pl.DataFrame) -> pl.DataFrame:
    return keep.join(dependent_cells(changes), on=["key", "field"], how="anti", nulls_equal=True, maintain_order="left")


def _exclusion(changes: ChangeSet, keep: pl.DataFrame, why: pl.DataFrame | None) -> pl.DataFrame:
    """A note on every cell and every item that is left out."""
    whole = changes.keys_with_action(ADD, REMOVE, RECODE).with_columns(
        field=pl.lit(None, pl.String), now=pl.lit(None, pl.String)
    )
    every = pl.concat([changes.cells_with_action(CHANGE, RECODE).select("key", "field", "now"), whole])
    left = every.join(keep, on=["key", "field"], how="anti", nulls_equal=True, maintain_order="left")
    message = (
        why if why is not None else pl.DataFrame(schema={"key": pl.String, "field": pl.String, "message": pl.String})
    )
    left = left.join(message, on=["key", "field"], how="left", nulls_equal=True, maintain_order="left")
    left = left.join(changes.items.select("key", "line"), on="key", how="left", maintain_order="left")
    say = left.select(pl.col("message").fill_null("not accepted")).to_series()
    return findings_frame(
        LEFT_OUT, key=left["key"], field=left["field"], line=left["line"], value=left["now"], message=say
    )


def with_remarks(changes: ChangeSet, remarks: pl.DataFrame) -> ChangeSet:
    """The change set with what people said of changes that they accepted (key, field, message), as notes."""
    remarks = remarks.join(changes.items.select("key", "line"), on="key", how="inner", maintain_order="left")
    notes = findings_frame(
        REMARK, key=remarks["key"], field=remarks["field"], line=remarks["line"], message=remarks["message"]
    )
    return replace(changes, findings=Findings.checked(pl.concat([changes.findings, notes])))

"""A part of a change set: some of its items, some of its fields."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.changeset.changeset import ADD, CHANGE, LEFT_OUT_ROW, NONE, RECODE, REMOVE, Exclusion, findings_frame
from neat_delta.errors import InvalidOption
from neat_delta.matching.selection import condition
from neat_delta.tables import field_name
from neat_delta.tables.typed_values import cast_cells

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.reconcile.review import Review
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

LEFT_OUT = "left out"
ALL = (CHANGE, RECODE, ADD, REMOVE)


@dataclass(frozen=True)
class Selection:
    """Which part of a change set is meant; everything without any of these.

    ``only`` and ``leave`` are fields, ``where`` a condition in SQL over an item's fields as they are in the shop (those
    of a new one as they will be), ``items`` the keys of items.
    """

    only: tuple[str, ...] = ()
    leave: tuple[str, ...] = ()
    where: str | None = None
    items: tuple[str, ...] | None = None

    def __bool__(self) -> bool:
        """Whether it is less than the whole."""
        return bool(self.only or self.leave or self.where is not None or self.items is not None)


def cells_in(changes: ChangeSet, part: Selection, live: Table | None, settled: Settings) -> pl.DataFrame:
    """What of a change set a part holds (frame of key, field): cells, and with a null field items as a whole.

    Items to be added or removed and code changes are such wholes, and are in no part by fields.

    Raises:
        WrongChoice: a field or an item is not in the change set, or the condition is none.
    """
    only, leave = (_known_fields(changes, names) for names in (part.only, part.leave))
    items = changes.items.filter(pl.col("do").is_in(ALL)).select("key", "do")
    if part.where is not None:
        items = items.join(
            _items_where(changes, live, part.where, settled), on="key", how="semi", maintain_order="left"
        )
    if part.items is not None:
        items = items.join(_known_items(changes, part.items), on="key", how="semi", maintain_order="left")
    cells = changes.cells_with_action(CHANGE, RECODE).select("key", "field")
    cells = cells.join(items, on="key", how="semi", maintain_order="left").filter(~pl.col("field").is_in(leave))
    cells = cells.filter(pl.col("field").is_in(only)) if only else cells
    whole = items.filter(pl.col("do") != CHANGE).select("key", pl.lit(None, pl.String).alias("field"))
    return cells if only else pl.concat([cells, whole])


def subset(changes: ChangeSet, keep: pl.DataFrame, why: pl.DataFrame | None = None) -> ChangeSet:
    """The change set with just these of its cells and items (frame of key, field, as from ``cells_in``).

    What is left out stays in it as notes; ``why`` (key, field, say) has words of people for some of them.

    Raises:
        WrongChoice: some code changes would be taken and others left.
    """
    codes = changes.keys_with_action(RECODE)
    whole = keep.filter(pl.col("field").is_null()).select("key")
    kept_codes = codes.join(whole, on="key", how="semi")
    keep = _with_followers(changes, keep) if len(kept_codes) else _without_followers(changes, keep)
    if 0 < len(kept_codes) < len(codes):
        raise InvalidOption(
            "code changes are taken or left all together, for items that name one another follow them",
            remedy="Take all of them, or make the change set again from a shorter list of codes.",
        )
    kept = changes.cells.join(keep.drop_nulls(), on=["key", "field"], how="semi", maintain_order="left")
    in_whole = changes.cells_with_action(ADD, REMOVE).join(whole, on="key", how="semi", maintain_order="left")
    cells = changes.cells.join(pl.concat([kept, in_whole]).select("key", "field"), on=["key", "field"], how="semi")
    has_cells, is_whole = (pl.col("key").is_in(keys.unique().implode()) for keys in (kept["key"], whole["key"]))
    do = (
        pl.when(is_whole & (pl.col("do") != CHANGE))
        .then("do")
        .when(pl.col("do").is_in([CHANGE, RECODE]) & has_cells)
        .then(pl.lit(CHANGE))
        .otherwise(pl.lit(NONE))
    )
    items = changes.items.with_columns(do=do).with_columns(to=pl.when(pl.col("do") == RECODE).then("to"))
    left = _exclusion(changes, keep, why)
    gone = changes.items["do"].is_in(ALL) & (items["do"] == NONE)
    rows = changes.items.filter(gone & changes.items["line"].is_not_null())
    changed, added = (int(rows["do"].is_in(does).sum()) for does in ([CHANGE, RECODE], [ADD]))
    counts = changes.head.counts
    counts = counts | {
        "changed": counts["changed"] - changed,
        "new": counts["new"] - added,
        LEFT_OUT_ROW: counts.get(LEFT_OUT_ROW, 0) + changed + added,
    }
    return replace(
        changes,
        head=replace(changes.head, counts=counts),
        items=items,
        cells=cells,
        findings=pl.concat([changes.findings, left]),
    )


def dependent_cells(changes: ChangeSet) -> pl.DataFrame:
    """The cells (key, field) that follow code changes: references and picture names that hold a new code."""
    new = list(changes.new_keys().values())
    fields = [name for name, note in changes.head.fields.items() if note.type in ("itemref", "picture")]
    cells = changes.cells_with_action(CHANGE, RECODE)
    if not new:
        return cells.clear().select("key", "field")
    follows = pl.col("field").is_in(fields) & pl.col("now").str.contains_any(new)
    # What stands in no row of anybody's sheet can only be there to follow.
    unasked = changes.items.filter((pl.col("do") == CHANGE) & pl.col("line").is_null())["key"]
    return cells.filter(follows | pl.col("key").is_in(unasked.implode())).select("key", "field")


def _with_followers(changes: ChangeSet, keep: pl.DataFrame) -> pl.DataFrame:
    return pl.concat([keep, dependent_cells(changes)]).unique(maintain_order=True)


def _without_followers(changes: ChangeSet, keep: pl.DataFrame) -> pl.DataFrame:
    return keep.join(dependent_cells(changes), on=["key", "field"], how="anti", nulls_equal=True, maintain_order="left")


def subset_with_review(changes: ChangeSet, keep: pl.DataFrame, review: Review | None, by: str) -> ChangeSet:
    """The change set with what a part holds (``keep``) and a review takes; the head says what was left out ``by`` what.

    Raises:
        WrongChoice: some code changes would be taken and others left.
    """
    if review is not None:
        keep = keep.join(review.keep, on=["key", "field"], how="semi", nulls_equal=True, maintain_order="left")
    less = subset(changes, keep, review.why if review else None)
    left = less.findings.slice(len(changes.findings))
    cells = int(left["field"].count())
    note = Exclusion(by, cells, len(left) - cells, review.comments if review else ())
    return replace(less, head=replace(less.head, exclusions=(*changes.head.exclusions, note)))


def _exclusion(changes: ChangeSet, keep: pl.DataFrame, why: pl.DataFrame | None) -> pl.DataFrame:
    """A note on every cell and every item that is left out."""
    whole = changes.keys_with_action(ADD, REMOVE, RECODE).with_columns(
        field=pl.lit(None, pl.String), now=pl.lit(None, pl.String)
    )
    every = pl.concat([changes.cells_with_action(CHANGE, RECODE).select("key", "field", "now"), whole])
    left = every.join(keep, on=["key", "field"], how="anti", nulls_equal=True, maintain_order="left")
    said = why if why is not None else pl.DataFrame(schema={"key": pl.String, "field": pl.String, "say": pl.String})
    left = left.join(said, on=["key", "field"], how="left", nulls_equal=True, maintain_order="left")
    left = left.join(changes.items.select("key", "line"), on="key", how="left", maintain_order="left")
    say = left.select(pl.col("say").fill_null("left out of this change set")).to_series()
    return findings_frame(
        LEFT_OUT, "note", key=left["key"], field=left["field"], line=left["line"], value=left["now"], say=say
    )


def _known_fields(changes: ChangeSet, names: Sequence[str]) -> list[str]:
    fields = list(changes.head.fields)
    for name in names:
        if field_name(name) not in fields:
            raise InvalidOption(
                f"{name}: no such field changes in this change set", remedy="Fields: " + ", ".join(fields) + "."
            )
    return [field_name(name) for name in names]


def _known_items(changes: ChangeSet, keys: Sequence[str]) -> pl.DataFrame:
    asked = pl.DataFrame({"key": list(keys)}, schema={"key": pl.String}).unique(maintain_order=True)
    strange = asked.join(changes.items, on="key", how="anti")
    if len(strange) == len(asked):
        raise InvalidOption(
            f"{strange['key'].head(1).to_list()[0] if len(strange) else 'no code'}: no such item in this change set",
            remedy="Items are named by their codes as they are in the shop, zeros in front and all.",
        )
    return asked


def _items_where(changes: ChangeSet, live: Table | None, where: str, settled: Settings) -> pl.DataFrame:
    """The items (frame of key) for which a condition holds."""
    if live is None:
        raise InvalidOption("--where asks for fields of the live export, which is not there", remedy="Say --live FILE.")
    both = BeforeAfter(changes, live)
    gone = changes.keys_with_action(REMOVE)
    cells = changes.cells_with_action(REMOVE)

    def field(name: str) -> pl.Series:
        texts = both.texts(name).select("key", cell=pl.col("was").fill_null(pl.col("now")))
        left = gone.join(
            cells.filter(field=name).select("key", cell="was"), on="key", how="left", maintain_order="left"
        )
        return cast_cells(live, name, pl.concat([texts, left])["cell"].fill_null(""), settled.field(name))

    keys = pl.concat([both.affected_items.select("key"), gone])
    return keys.filter(condition(where, live.names, field, len(keys)))

"""Refresh: what of a change set is still needed, now that the shop has moved on since it was made."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.before_after import exact
from neat_delta.base.errors import InvalidOption, LiveMismatch
from neat_delta.changeset.changeset import ChangeSet, build
from neat_delta.changeset.findings import BLOCK, NO_EFFECT, REPAIR, as_data, findings_frame
from neat_delta.changeset.head import Head, file_ref
from neat_delta.changeset.problems import BELOW_ZERO, CLASH, GONE_SINCE
from neat_delta.changeset.schemas import ADD, CHANGE, NONE, RECODE, REMOVE
from neat_delta.changeset.subset import dependent_cells
from neat_delta.diff.links import with_links_followed, without_moved_links
from neat_delta.matching import Key
from neat_delta.matching.context import Context
from neat_delta.reconcile.conflicts import HOLD, OURS, SHOP, ConflictPolicy
from neat_delta.reconcile.three_way import APPLIED, GONE, HERE, MOVED, RECODED, STANDS, UNCLEAR, ThreeWayDiff, three_way
from neat_delta.tables.field_types.number_parsing import NumberFormat

if TYPE_CHECKING:
    from neat_delta.reconcile.schemas import ConflictFrame
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings


@dataclass(frozen=True)
class RefreshResult:
    """The change set that is still needed, made for the fresh export, and what became of the rest.

    conflicts: key, field, original, ours, shop, fate ("held back", "ours", "shop"); field is null for a whole item.
    applied, unchanged: how many cells the shop has already, and how many it has as before. ``shifted`` are those that
    add our difference to what is there now.
    """

    changes: ChangeSet
    conflicts: ConflictFrame
    applied: int
    unchanged: int
    delta_cells: int
    missing: int
    ambiguous: int = 0


def require_fresh(made: datetime | None, export: object, settings: Settings) -> None:
    """Insist that a live export made at that time is not older than is configured.

    Raises:
        LiveMismatch: it is too old, or nobody knows how old it is.
    """
    most = settings.refresh.hours
    if most is None:
        return
    if made is None:
        raise LiveMismatch(
            "the time of this export is unknown, and [refresh] hours in catalogue.toml limits its age",
            file=export,
            hint="Give its date and time.",
            code="unknown-age",
        )
    hours = (datetime.now().astimezone() - made.astimezone()).total_seconds() / 3600
    if hours > most:
        raise LiveMismatch(
            f"this export is {hours:,.0f} hours old; the limit is {most} ([refresh] hours in catalogue.toml)",
            file=export,
            hint="Refresh the change set against a new export.",
            code="export-too-old",
        )


def refresh(
    changes: ChangeSet, fresh: Table, settings: Settings, policy: ConflictPolicy | None = None
) -> RefreshResult:
    """Bring a change set up to date with a newer live export: what it still needs, and links that are there since.

    Raises:
        InvalidOption, InvalidInput: as for ``still_needed``.
    """
    context = Context(fresh, settings, Key(changes.head.key, explicit=True))
    refreshed = still_needed(without_moved_links(changes, context), fresh, settings, policy)
    followed = with_links_followed(refreshed.changes, context)
    if followed.does_the_same_as(refreshed.changes):
        return refreshed
    return replace(refreshed, changes=followed.with_maker())


def still_needed(
    changes: ChangeSet,
    fresh: Table,
    settings: Settings,
    policy: ConflictPolicy | None = None,
) -> RefreshResult:
    """Work out what of a change set a newer live export still needs.

    A cell that the shop has not touched stays; one that has our value already drops. Where both moved it is a conflict:
    held back, or ours, or the shop's, as the ``policy`` says. Fields configured to go as a difference add ours to what
    the shop has now, and never fall below zero.

    Raises:
        InvalidOption: the export lacks a field of the change set, or a policy is for a field that does not change.
        InvalidInput: the decisions of the policy are not about these conflicts.
    """
    policy = policy or ConflictPolicy()
    _insist_on_fields(changes, policy)
    difference = three_way(changes, fresh, settings)
    cells, like_changes, leaving = _cells_by_action(difference)
    shifted = _delta_cells(like_changes, changes, fresh, settings)
    like_changes = like_changes.join(shifted, on=["key", "field"], how="left", maintain_order="left")
    moved = like_changes.filter((pl.col("state") == MOVED) & pl.col("sum").is_null())
    touched = leaving.filter(pl.col("shop").ne_missing(pl.col("was")) & (pl.col("state") != STANDS))
    conflicts = policy.decide(pl.concat([_conflicts(moved), _conflicts(touched)]), changes.head.key)
    fates = conflicts.select("key", "field", "fate")
    like_changes = like_changes.join(fates, on=["key", "field"], how="left", maintain_order="left")
    touched = _with_one_fate(touched.join(fates, on=["key", "field"], how="left", maintain_order="left"))
    still_new = difference.items.filter(action=ADD, fate=GONE)
    kept = pl.concat(
        [
            _still_changing(like_changes),
            changes.cells.join(still_new, on="key", how="semi", maintain_order="left"),
            _still_leaving(leaving),
        ]
    )
    findings = pl.concat(
        [
            conflict_findings(conflicts.join(touched, on="key", how="anti", maintain_order="left"), changes),
            _shortages(shifted, changes),
            _about_items(difference, touched),
        ]
    )
    made = _made(difference, kept, findings, touched.filter(pl.col("fate") != OURS)["key"])
    return RefreshResult(
        # Whoever refreshes has made what comes of it, unless nothing of it is new.
        changes=made if made.does_the_same_as(changes) else made.with_maker(),
        conflicts=conflicts,
        applied=len(cells.filter(pl.col("state") == APPLIED)),
        unchanged=len(like_changes.filter(pl.col("state") == STANDS)),
        delta_cells=len(shifted),
        missing=len(difference.items.filter((pl.col("fate") == GONE) & pl.col("action").is_in([CHANGE, RECODE]))),
        ambiguous=len(difference.items.filter(fate=UNCLEAR)),
    )


def _cells_by_action(difference: ThreeWayDiff) -> tuple[pl.DataFrame, pl.DataFrame, pl.DataFrame]:
    """All cells, those of items that change or are added, and those of items to be removed."""
    actions = difference.items.select("key", "action", "taken")
    cells = difference.cells.join(actions, on="key", how="left", maintain_order="left")
    cells = cells.join(_orphaned_dependents(difference), on=["key", "field"], how="anti", maintain_order="left")
    free, leaves = ~pl.col("taken"), pl.col("action") == REMOVE
    return cells, cells.filter(free & ~leaves), cells.filter(free & leaves)


def _conflicts(cells: pl.DataFrame) -> pl.DataFrame:
    return cells.select("key", "field", original="was", ours="now", shop="shop")


def _with_one_fate(cells: pl.DataFrame) -> pl.DataFrame:
    """The touched cells of items to be removed, each item with one fate: held back if any of its cells is."""
    held, kept = ((pl.col("fate") == fate).any().over("key") for fate in (HOLD, SHOP))
    return cells.with_columns(fate=pl.when(held).then(pl.lit(HOLD)).when(kept).then(pl.lit(SHOP)).otherwise("fate"))


def _insist_on_fields(changes: ChangeSet, policy: ConflictPolicy) -> None:
    for name in policy.by_field:
        if name not in changes.head.fields:
            raise InvalidOption(
                "no change of this field in this change set",
                option="on_conflict",
                value=f"{name}={policy.by_field[name]}",
                hint="Fields: " + ", ".join(changes.head.fields) + ".",
            )


def _delta_cells(cells: pl.DataFrame, changes: ChangeSet, fresh: Table, settings: Settings) -> pl.DataFrame:
    """Moved cells of fields that go as a difference (key, field, sum as text, short: what would be below zero)."""
    frames = [pl.DataFrame(schema={"key": pl.String, "field": pl.String, "sum": pl.String, "short": pl.String})]
    for name in settings.refresh.difference:
        moved = cells.filter((pl.col("field") == name) & (pl.col("state") == MOVED))
        if moved.is_empty() or name not in changes.head.fields:
            continue
        separator = changes.head.fields[name].decimal_separator or fresh.format.decimal_separator or "."
        # Of a blank nobody can tell the difference, nor of an item that came by another way: such cells clash.
        sums = with_difference(moved["was"], moved["now"], moved["shop"], separator)
        frames.append(pl.concat([moved.select("key", "field"), sums], how="horizontal").drop_nulls("sum"))
    return pl.concat(frames)


def with_difference(was: pl.Series, now: pl.Series, shop: pl.Series, separator: str) -> pl.DataFrame:
    """What is there and our difference (now - was), added up (sum as text, short: what would be below zero).

    Null where one of the three is no number. A sum has the decimals that all three have, zeros too: 1.100 may be
    thousands.
    """
    old, new, here = (exact(side, NumberFormat(separator, three_decimals=True)) for side in (was, now, shop))
    places = {name: _decimals(side, separator) for name, side in (("then", was), ("ours", now), ("here", shop))}
    alike = (pl.col("then") == pl.col("ours")) & (pl.col("ours") == pl.col("here"))

    def text(number: pl.Expr) -> pl.Expr:
        plain = number.cast(pl.String)
        padded = plain.str.head(plain.str.find(".", literal=True).cast(pl.Int64) + 1 + pl.col("here"))
        trimmed = pl.when(plain.str.contains(".", literal=True)).then(plain.str.replace(r"\.?0+$", "")).otherwise(plain)
        return pl.when(alike).then(padded).otherwise(trimmed).str.replace(".", separator, literal=True)

    total = pl.DataFrame({"sum": here + new - old, **places})
    below = pl.col("sum") < 0
    return total.select(sum=text(pl.col("sum").clip(lower_bound=0)), short=pl.when(below).then(text(pl.col("sum"))))


def _decimals(cells: pl.Series, separator: str) -> pl.Series:
    """How many decimals each cell shows; null for none."""
    return cells.str.extract(rf"[{separator}]([0-9]+)\s*$").str.len_chars().cast(pl.Int64)


def _still_changing(cells: pl.DataFrame) -> pl.DataFrame:
    """The cells that are still to be changed (key, field, was, now); was is what the shop has now."""
    is_ours = (pl.col("state") == STANDS) | (pl.col("fate") == OURS) | pl.col("sum").is_not_null()
    changing = cells.filter(is_ours).select("key", "field", was="shop", now=pl.coalesce("sum", "now"))
    # A sum may be what is there already.
    return changing.filter(pl.col("was").ne_missing(pl.col("now")))


def _still_leaving(cells: pl.DataFrame) -> pl.DataFrame:
    """The cells of items that may still be removed, as they are now."""
    return cells.drop_nulls("shop").select("key", "field", was="shop", now=pl.lit(None, pl.String))


def _about_items(difference: ThreeWayDiff, touched: pl.DataFrame) -> pl.DataFrame:
    """Findings on whole items: gone since, changed before they are removed, a new code that is taken."""
    gone = difference.items.filter((pl.col("fate") == GONE) & pl.col("action").is_in([CHANGE, RECODE]))
    message = {HOLD: "not sent", OURS: "it is deleted anyway", SHOP: "it stays in the shop"}
    changed = touched.unique("key", maintain_order=True)
    return pl.concat(
        [
            _about(gone, GONE_SINCE, "error", "the item is no longer in the shop", difference.changes),
            *(
                _about(
                    changed.filter(fate=fate), CLASH, "error" if fate == HOLD else "note",
                    f"the item should be deleted, but was changed since; {what}", difference.changes,
                )
                for fate, what in message.items()
            ),
            _about(
                difference.items.filter("taken"), CLASH, "error", "another item has the new SKU now",
                difference.changes,
            ),
            _about(
                difference.items.filter(fate=UNCLEAR), CLASH, "error",
                "cannot tell whether the SKU has already changed. Compare again", difference.changes,
            ),
            _about(
                _orphaned_dependents(difference).unique("key", maintain_order=True), CLASH, "error",
                "it depends on a SKU change that is not sent", difference.changes,
            ),
        ]
    )  # fmt: skip


def _orphaned_dependents(difference: ThreeWayDiff) -> pl.DataFrame:
    """The cells (key, field) that would follow code changes of which one is held back."""
    held = difference.items.filter(
        (pl.col("action") == RECODE) & (pl.col("taken") | pl.col("fate").is_in([GONE, UNCLEAR]))
    )
    following = dependent_cells(difference.changes)
    return following if len(held) else following.clear()


def _about(items: pl.DataFrame, check: str, level: str, say: str, changes: ChangeSet) -> pl.DataFrame:
    """Findings on whole items."""
    lines = items.select("key").join(changes.items.select("key", "line"), on="key", how="left", maintain_order="left")
    message = pl.repeat(say, len(lines), dtype=pl.String, eager=True)
    return findings_frame(check, level, key=lines["key"], line=lines["line"], message=message)


def conflict_findings(clashes: pl.DataFrame, changes: ChangeSet) -> pl.DataFrame:
    """A finding on each cell that both moved: a stop where it is held back, else a note of whose value goes on.

    ``clashes`` are key, field, original, ours, shop, fate.
    """
    about = clashes.join(changes.items.select("key", "line"), on="key", how="left", maintain_order="left")
    sides = [pl.col(side).fill_null("nothing") for side in ("original", "ours", "shop")]
    status = pl.col("fate").replace(
        {HOLD: "not sent", OURS: "our value will be sent", SHOP: "the shop's value is kept"}
    )
    message = about.select(
        pl.format("changed on both sides: original {}, ours {}, shop {}; {}", *sides, status)
    ).to_series()
    frames = []
    for fate, level, effect in ((HOLD, "error", BLOCK), (OURS, "note", NO_EFFECT), (SHOP, "note", REPAIR)):
        mask = about["fate"] == fate
        part = about.filter(mask)
        frames.append(
            findings_frame(
                CLASH, level, effect, key=part["key"], field=part["field"], line=part["line"], value=part["ours"],
                message=message.filter(mask), data=as_data(part.select("original", "ours", "shop")),
            )
        )  # fmt: skip
    return pl.concat(frames)


def _shortages(shifted: pl.DataFrame, changes: ChangeSet) -> pl.DataFrame:
    """Differences that would take more than there is."""
    short = shifted.drop_nulls("short").join(
        changes.items.select("key", "line"), on="key", how="left", maintain_order="left"
    )
    message = short.select(pl.format("our difference would give {}; 0 is sent", "short")).to_series()
    return findings_frame(
        BELOW_ZERO,
        key=short["key"],
        field=short["field"],
        line=short["line"],
        value=short["short"],
        message=message,
    )


def _made(difference: ThreeWayDiff, saved: pl.DataFrame, findings: pl.DataFrame, stays: pl.Series) -> ChangeSet:
    """The change set of these cells for the fresh export; items that already have their new SKU are found by it.

    ``stays`` are the keys of items that should be removed and are not, because somebody has changed them.
    """
    changes, fresh = difference.changes, difference.fresh
    outcome = changes.items.join(
        difference.items.select("key", "fate", "taken"), on="key", how="left", maintain_order="left"
    )
    has_cells = pl.col("key").is_in(saved["key"].unique().implode())
    recoding = (pl.col("action") == RECODE) & (pl.col("fate") == HERE) & ~pl.col("taken")
    adding = (pl.col("action") == ADD) & (pl.col("fate") == GONE)
    do = (
        pl.when(recoding | adding)
        .then("action")
        # An item of blank cells only is removed as well.
        .when((pl.col("action") == REMOVE) & (pl.col("fate") == HERE) & ~pl.col("key").is_in(stays.implode()))
        .then(pl.lit(REMOVE))
        .when(pl.col("action").is_in([CHANGE, RECODE, ADD]) & has_cells)
        .then(pl.lit(CHANGE))
        .otherwise(pl.lit(NONE))
    )
    by_now = dict(outcome.filter(fate=RECODED).select("key", "new_key").iter_rows())
    now_called = pl.col("key").replace(by_now)
    items = outcome.with_columns(action=do, key=now_called)
    rows = fresh.rows_read
    live = file_ref(fresh, rows)
    identity = changes.head.identity
    head = Head(
        changes.head.key,
        live,
        changes.head.edited,
        changes.head.fields,
        changes.head.other_rows,
        overrides=changes.head.overrides,
        exclusions=changes.head.exclusions,
        identity=identity.rekeyed(by_now) if identity else None,
        made_by=changes.head.made_by,
        approval=changes.head.approval,
        imports=changes.head.imports,
        destination=changes.head.destination,
    )
    both = pl.concat([findings, changes.findings]).with_columns(key=now_called)
    cells = saved.with_columns(key=now_called)
    # Cells stand in the order of their items.
    order = items.select("key").with_row_index("item")
    cells = cells.join(order, on="key", how="left", maintain_order="left").sort("item", maintain_order=True)
    return build(head, items, cells, both)

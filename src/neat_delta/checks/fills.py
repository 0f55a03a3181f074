"""A fill handle dragged over rows: numbers or names that count on, or one value that overwrites others."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation
from itertools import takewhile
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.checks.check import Check, Override, cells_of, concat_findings
from neat_delta.checks.sheet_order import numbers_in_sheet_order, texts_in_sheet_order
from neat_delta.matching import Key
from neat_delta.matching.similarity import find_name_field
from neat_delta.tables.field_types import type_named

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
RUN = 4
LONG_RUN, HALF = 6, 0.5
MANY, BY_CHANCE = 50, 0.05
FILLED = 6
UNLIKE = 0.8
# A value that so many items have at most is in the row above by no chance.
MOST_BY_CHANCE = 0.05
# Words for sizes, beside numbers.
SIZE = r"\b(x{0,4}[sl]|m|small|medium|large)\b"
# The product, with its size, colour or make behind a comma, bracket or dash.
PRODUCT = r"^(.*?\S)\s*(?:[,;(/|]|\s[–-])"
# Fields that may well hold a series.
NUMBERED = r"(^|_)(sort|position|order|rank|bin|shelf|place|row|number|no)(_|$)"
# A text that counts: what is before its last number, the number, what is behind it.
COUNTING = r"^(.*?)([0-9]{1,9})([^0-9]*)$"
SERIES = "numbers rise by 1 per row: fill handle? Copy the cell instead"
OVERWRITTEN = "different values overwritten by the row above: filled down by mistake?"


def fill_series(context: CheckContext) -> pl.DataFrame:
    """Numbers, or the numbers in texts, rise or fall by one from row to row: a fill handle was used.

    Whoever types the first of a series of codes wants the series, and so for numbers of a product's sizes.
    """
    findings, name_field = [], _name_field(context)
    for name, cells in context.typed.items():
        if type_named(context.type_of(name)).numeric:
            rows = _counting_numbers(numbers_in_sheet_order(context, name))
            meant = _of_one_family(context, rows) | (not _is_money_or_stock(context, name))
        elif len(cells) >= RUN - 1 and context.type_of(name) in ("text", "code", "barcode", "image"):
            rows = _counting_texts(texts_in_sheet_order(context, name))
            meant = pl.repeat(name != name_field and context.type_of(name) != "barcode", len(rows), eager=True)
        else:
            continue
        goes_on = _goes_on_from_above(context, name, rows)
        hit = rows.filter((goes_on | ~meant) & ~_from_beside(context, name, rows))
        findings.append(context.findings_for(cells_of(cells, hit), "fill series", "error", SERIES))
    return concat_findings(findings)


def _is_money_or_stock(context: CheckContext, name: str) -> bool:
    """Whether nobody counts on in a column: prices and stock, but no numbers of places."""
    kind = context.type_of(name)
    numbered = bool(pl.Series([name]).str.contains(NUMBERED).item())
    return not numbered and (kind == "price" or context.settings.roles.is_stock(name, kind))


def _name_field(context: CheckContext) -> str | None:
    return find_name_field(context.live, Key(context.changes.head.key, explicit=True))


def _of_one_family(context: CheckContext, rows: pl.DataFrame) -> pl.Series:
    """Which rows (key, run) are of a run of items of one product: names that begin alike, with other sizes behind."""
    name_field = _name_field(context)
    if name_field is None or rows.is_empty():
        return pl.repeat(value=False, n=len(rows), eager=True)
    names = rows.join(context.beside(name_field).select("key", name="now"), on="key", how="left", maintain_order="left")
    name = pl.col("name").fill_null("").str.to_lowercase()
    stem = name.str.replace_all(SIZE, "").str.replace_all(r"[^\p{L}]", "")
    names = names.with_columns(
        words=name.str.extract_all(r"[\p{L}\p{N}]+"), stem=stem, product=name.str.extract(PRODUCT)
    )
    runs = names.group_by("run").agg("words", pl.col("stem", "product").n_unique(), blank=pl.col("product").has_nulls())
    alike = [
        stems == 1 or (products == 1 and not blank) or _begin_alike(words)
        for words, stems, products, blank in runs.select("words", "stem", "product", "blank").iter_rows()
    ]
    return rows["run"].is_in(runs["run"].filter(pl.Series(alike, dtype=pl.Boolean)).implode())


def _begin_alike(names: list[list[str]]) -> bool:
    """Whether names have at least half of the words of the longest in common, from the first on."""
    alike = sum(1 for _ in takewhile(lambda words: len(set(words)) == 1, zip(*names, strict=False)))
    return alike > 0 and 2 * alike >= max(map(len, names))


def _from_beside(context: CheckContext, name: str, rows: pl.DataFrame) -> pl.Series:
    """Which rows (key, run, now) are of a run that has just the values that one other column had: moved from there."""
    others = [other for other in context.typed if other != name]
    if rows.is_empty() or not others:
        return pl.repeat(value=False, n=len(rows), eager=True)
    items = rows.select("key").join(
        context.affected_items.select("key", "row"), on="key", how="left", maintain_order="left"
    )
    zeros = r"\.0*$|(\.\d*?)0+$"
    live = context.live.cells(others, items["row"]).select(pl.all().str.strip_chars().str.replace(zeros, "$1"))
    same = live.with_columns(pl.all() == rows["now"].cast(pl.String).str.replace(zeros, "$1"))
    same = same.select(pl.any_horizontal(pl.col(other).all().over(rows["run"]) for other in others))
    return same.to_series()


def _counting_numbers(rows: pl.DataFrame) -> pl.DataFrame:
    """Those rows whose numbers go on by one; the first of them too, if it is new."""
    # A row between that had its number already is not among those that changed.
    gap = pl.when("next").then(1).when(pl.col("between") < RUN).then(pl.col("between"))
    differing = gap.cast(pl.Decimal(10, 0))
    return _runs(
        rows.with_columns(
            step=pl.when(NOW - NOW.shift() == differing).then(1).when(NOW.shift() - NOW == differing).then(-1),
            before=pl.when(WAS - WAS.shift() == differing).then(1).when(WAS.shift() - WAS == differing).then(-1),
        )
    )


def _counting_texts(rows: pl.DataFrame) -> pl.DataFrame:
    """Those rows whose texts differ from the one above by a number that is one more or less."""

    def step(side: str) -> pl.Expr:
        parts = pl.col(side).str.extract_groups(COUNTING)
        stem, number, rest = (parts.struct.field(at) for at in "123")
        same = (stem == stem.shift()) & (rest == rest.shift()) & pl.col("next")
        by = number.cast(pl.Int64) - number.cast(pl.Int64).shift()
        return pl.when(same & by.is_in([1, -1])).then(by)

    was, now = (pl.col(side).str.extract_groups(COUNTING).struct for side in ("was", "now"))
    # A series of the shop's own keeps its numbers, or its words.
    kept = (was["2"] == now["2"]) | ((was["1"] == now["1"]) & (was["3"] == now["3"]))
    return _runs(rows.with_columns(step=step("now"), before=pl.when(kept).then(step("was"))))


def _runs(rows: pl.DataFrame) -> pl.DataFrame:
    """Rows of runs with one step (columns step and before: of the new and the old values), long enough to be a drag."""
    rows = rows.with_columns(counts=pl.col("changed") & pl.col("step").is_not_null())
    breaks = ~pl.col("counts") | (pl.col("step") != pl.col("step").shift()).fill_null(value=True)
    # What was a series before is one of the shop's own; two numbers may be a step apart by chance.
    same_step = (pl.col("before") == pl.col("step")).fill_null(value=False)
    rows = rows.with_columns(run=breaks.cum_sum(), own=same_step)
    length, owned = pl.col("counts").sum().over("run"), (pl.col("own") & pl.col("counts")).sum().over("run")
    # So a short run counts only if none of it was one before.
    plain = (length >= RUN - 1) & (owned == 0)
    # Small numbers, hundreds of them, count on here and there by themselves.
    often = pl.max_horizontal(pl.col(steps).is_not_null().mean() / 2 for steps in ("before", "step"))
    often = pl.when(pl.len() >= MANY).then(often).otherwise(0)
    plain = plain & (pl.len() * often**length < BY_CHANCE)
    hit = pl.col("counts") & (plain | ((length >= LONG_RUN) & (owned < HALF * length)))
    rows = rows.with_columns(hit=hit.fill_null(value=False))
    # The row from which the handle was dragged, where what it holds is new.
    start = pl.col("hit").shift(-1, fill_value=False) & ~pl.col("hit") & pl.col("changed")
    start = start & pl.col("next").shift(-1, fill_value=False)
    run = pl.when("hit").then("run").otherwise(pl.col("run").shift(-1))
    steps = pl.when("hit").then("step").otherwise(pl.col("step").shift(-1))
    return rows.with_columns(start=start, run=run, step=steps).filter(pl.col("hit") | pl.col("start"))


def _goes_on_from_above(context: CheckContext, name: str, rows: pl.DataFrame) -> pl.Series:
    """Of which rows (run, row, now, changed, step) the run goes on from a value that nobody typed, in the row above."""
    goes_on = []
    for (run,), part in rows.partition_by("run", as_dict=True, maintain_order=True).items():
        _, row, now, changed, step = part.select("run", "row", "now", "changed", "step").row(0)
        above = context.live.cells([name], pl.Series([row - 1], dtype=pl.UInt32)).item() if row else None
        if not changed or (above is not None and _is_before(above.strip(), str(now), step)):
            goes_on.append(run)
    return rows["run"].is_in(goes_on)


def _is_rare(context: CheckContext, name: str, values: pl.Series) -> pl.Series:
    """Which values few items have, so that the row above has them by no chance."""
    live = context.live.cells([name])[name].str.strip_chars()
    often = {value: int((live == value).sum()) > MOST_BY_CHANCE * len(live) for value in values.unique()}
    return pl.Series([not often[value] for value in values], dtype=pl.Boolean)


def _is_before(above: str, now: str, step: int) -> bool:
    """Whether a text is the one before another in a series with this step; with step 0, the same."""
    if not step:
        return above == now
    old, new = re.fullmatch(COUNTING, above, re.DOTALL), re.fullmatch(COUNTING, now, re.DOTALL)
    if old and new and (old[1], old[3]) == (new[1], new[3]) and int(new[2]) - int(old[2]) == step:
        return True
    try:
        return Decimal(now) - Decimal(above.replace(",", ".")) == step
    except InvalidOperation:
        return False


def filled_down(context: CheckContext) -> pl.DataFrame:
    """Different values of several rows became the value of the row above: filled down by mistake."""
    name_field = _name_field(context)
    findings, rows = [], pl.DataFrame(schema={"key": pl.String, "top": pl.String})
    for name, cells in context.typed.items():
        kind = context.type_of(name)
        if kind == "yes/no":
            continue
        differs_anyway = name == name_field or kind in ("barcode", "image")
        filled = _filled(texts_in_sheet_order(context, name))
        rows = pl.concat([rows, filled.select("key", "top")]) if differs_anyway else rows
        # A value that somebody typed first may well be meant for all; one that was there slid down.
        slid = _goes_on_from_above(context, name, filled) & ~_of_one_family(context, filled)
        slid = slid & _is_rare(context, name, filled["now"])
        wrong = filled if differs_anyway else filled.filter(slid)
        doubtful = filled.filter(~slid) if kind in ("price", "text") and not differs_anyway else filled.clear()
        for level, hit in (("error", wrong), ("warning", doubtful)):
            findings.append(context.findings_for(cells_of(cells, hit), "filled down", level, OVERWRITTEN))
    return concat_findings([*findings, _filled_beside(context, rows, pl.concat(findings) if findings else None)])


def _filled(rows: pl.DataFrame) -> pl.DataFrame:
    """The rows of runs that became alike: frame of key, now, row, changed, run, step (0), top (the run's first row)."""
    same = pl.col("next") & pl.col("changed") & (NOW.shift() == NOW)
    rows = rows.with_columns(same=same.fill_null(value=False)).with_columns(run=(~pl.col("same")).cum_sum())
    rows = rows.with_columns(top=pl.col("key").first().over("run"), step=pl.lit(0))
    below = pl.col("same").sum().over("run")
    unlike = pl.when("same").then(WAS).n_unique().over("run") >= UNLIKE * below
    return rows.filter((below >= FILLED) & unlike & pl.col("changed"))


def _filled_beside(context: CheckContext, rows: pl.DataFrame, findings: pl.DataFrame | None) -> pl.DataFrame:
    """Of rows that were filled down also their other cells that became what the first row has."""
    parts = []
    for name, cells in context.typed.items():
        if rows.is_empty() or findings is None:
            break
        top = context.beside(name).select(top="key", there="now")
        alike = cells.join(rows.unique(), on="key", how="inner").join(top, on="top", how="left")
        alike = alike.filter((pl.col("there") == NOW) | (NOW.is_null() & pl.col("there").is_null()))
        filled = findings.filter((pl.col("field") == name) & (pl.col("level") == "error")).select("key")
        alike = alike.join(filled, on="key", how="anti").unique("key", maintain_order=True)
        parts.append(context.findings_for(alike, "filled down", "error", OVERWRITTEN))
    return concat_findings(parts)


CHECKS = (
    Check("fill series", "error", fill_series, Override.IGNORE),
    Check("filled down", "error, warning", filled_down, Override.IGNORE),
)

"""Cells that hold what other rows held: sorted, moved, pulled up or exchanged without the rest of their rows.

A row that took over the cells of another one is convicted by cells that say which one: values that the live export has
once. What else changed in that row and fits the same move then belongs to it as well, also a brand or a yes that many
rows have. Columns in which values are few are convicted together, by how improbable the whole is.
"""

from __future__ import annotations

from collections import Counter
from itertools import combinations
from math import log2
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import no_findings
from neat_delta.checks.check import Check, Override, concat_findings
from neat_delta.checks.other_items import rows_of_other_items
from neat_delta.matching import Key
from neat_delta.matching.similarity import find_name_field
from neat_delta.tables.field_types import type_named

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
# A column: so many cells at least, of which so many hold what other changed rows held, in so many values.
FEWEST_MOVED, MOVED, DISTINCT = 6, 0.9, 0.5
# A sort moves numbers both ways; a rise that happens to land on other items' prices moves them one way.
EITHER_WAY = 0.25
# So many cells of a column, moved by the same number of rows, are no chance.
FEWEST_BY_OFFSET = 4
# A row took over another one if so many bits of information say so beyond those that it takes to choose that row, and
# so many of its changed cells.
BITS, AGREE, FEWEST_AGREEING = 8.0, 0.5, 2
# Columns of few values: so many bits, in at least so many changes of value from row to row.
FEW_VALUES_BITS, FEWEST_STEPS = 24.0, 3
# A sort of a column of few values: so much of what changed is there as before, in a third of the runs.
MOST_MOVED, FEWEST_VALUES, RUNS_FEWER = 0.8, 2, 3
MANY_MOVED, MANY_VALUES, ALL_MOVED = 20, 4, 0.97
# Of columns that moved together, so many changed in each row on average.
CELLS_A_ROW = 1.5
# So many columns are looked at together; so many pairs of rows are laid side by side.
MOST_JOINT, MOST_PAIRS = 5, 2_000_000
OFFSETS = (1, -1, 2, -2, 3, -3, 4, -4, 5, -5)
PAIRS = pl.Schema({"row": pl.UInt32, "source": pl.UInt32})
MESSAGE = "this value belongs to another item: sorted, moved or exchanged without the rest of the row?"


def column_out_of_step(context: CheckContext) -> pl.DataFrame:
    """Values are on other items than before: sorted, moved or exchanged without the other columns."""
    cells = _cells(context)
    if len(cells) < FEWEST_AGREEING:
        return no_findings()
    one_way = [name for name, of_field in context.typed.items() if not _both_ways(context, name, of_field)]
    whole = _whole_columns(cells, one_way)
    # Prices that all rise may land on each other; that says nothing.
    telling = cells.filter(~pl.col("field").is_in(one_way))
    hits = _sources(context, telling)
    named = [whole]
    if len(hits):
        whole_fields = hits.filter(pl.col("field").is_in(whole["field"].unique().implode())).select("row", "source")
        rows = pl.concat([_rows_taken_over(context, telling, hits), whole_fields]).unique()
        by_offset = _by_offset(cells, hits, len(context.live))
        hit = _fitting(context, cells, pl.concat([rows, by_offset]).unique())
        named += [hit, _tuples(context, cells, pl.concat([hit, whole]).unique())]
    moved = pl.concat(named).unique()
    moved = pl.concat([moved, _few_valued(context, _without(cells, moved))]).unique()
    moved = pl.concat([moved, _tuples(context, cells, moved)]).unique()
    moved = pl.concat([moved, _joint(context, _without(cells, moved), one_way)]).unique()
    hit = cells.join(moved, on=["key", "field"], how="semi", maintain_order="left")
    hit = _without(hit, _exchanged_on_purpose(context, cells, hit))
    rest = cells.join(hit, on=["key", "field"], how="anti", maintain_order="left")
    whole_rows = rows_of_other_items(context, rest, "column out of step")
    return concat_findings([context.findings_for(hit, "column out of step", "error", MESSAGE), whole_rows])


def _exchanged_on_purpose(context: CheckContext, cells: pl.DataFrame, hit: pl.DataFrame) -> pl.DataFrame:
    """Cells of the only column that was moved, if nearly all are pairs that exchanged values (key, field).

    Two items may well change places on a shelf, or a code that was on the wrong one. What a sort moves goes in longer
    rings, and what turns a list over goes round one middle; and names and barcodes are not exchanged.
    """
    none = hit.select("key", "field").clear()
    if hit["field"].n_unique() != 1:
        return none
    name = str(hit["field"][0])
    key = Key(context.changes.head.key, explicit=True)
    if name == find_name_field(context.live, key) or context.type_of(name) in ("barcode", "image", "price"):
        return none
    pairs = hit.join(
        hit.select("field", was="now", now="was", other="row"), on=["field", "was", "now"], maintain_order="left"
    )
    pairs = pairs.filter(pl.col("row") < pl.col("other"))
    middles = pairs.select(pl.col("row").cast(pl.Int64) + pl.col("other").cast(pl.Int64)).to_series()
    enough = 2 * len(pairs) >= MOST_MOVED * len(hit) and (len(pairs) == 1 or middles.n_unique() > len(pairs) / 2)
    return hit.select("key", "field") if enough else none


def _cells(context: CheckContext) -> pl.DataFrame:
    """The typed cells that were and are filled (key, field, was, now, row: in the live export)."""
    items = context.affected_items.select("key", "row").drop_nulls()
    typed = [cells for name, cells in context.typed.items() if name not in context.changes.head.key]
    if not typed:
        return pl.DataFrame(
            schema={"key": pl.String, "field": pl.String, "was": pl.String, "now": pl.String, "row": pl.UInt32}
        )
    cells = pl.concat(typed).select("key", "field", "was", "now").drop_nulls()
    return cells.join(items, on="key", how="inner", maintain_order="left")


def _both_ways(context: CheckContext, name: str, cells: pl.DataFrame) -> bool:
    """Whether a column's numbers move up and down; texts do."""
    if not type_named(context.type_of(name)).numeric:
        return True
    both = context.numbers(name).join(cells.select("key"), on="key", how="semi")
    up, down = int((both["now"] > both["was"]).sum()), int((both["now"] < both["was"]).sum())
    return min(up, down) >= EITHER_WAY * len(cells)


def _whole_columns(cells: pl.DataFrame, one_way: list[str]) -> pl.DataFrame:
    """Columns of many values, nearly all of whose changed cells hold what others of them held (key, field)."""
    moved = [cells.select("key", "field").clear()]
    for (name,), part in cells.partition_by("field", as_dict=True, maintain_order=True).items():
        if name in one_way or len(part) < FEWEST_MOVED or part["was"].n_unique() < DISTINCT * len(part):
            continue
        was, now = (Counter(part[side].str.strip_chars()) for side in ("was", "now"))
        if (was & now).total() >= MOVED * len(part):
            moved.append(part.select("key", "field"))
    return pl.concat(moved)


def _sources(context: CheckContext, cells: pl.DataFrame) -> pl.DataFrame:
    """Cells whose new value one other row of the live export held, in a cell that changed as well.

    That the other cell changed too tells a move from a copy. Frame of key, field, now, row, source (a live row).
    """
    gone = cells.group_by("field", pl.col("was").alias("now")).agg(pl.len(), source=pl.col("row").first())
    gone = gone.filter(pl.col("len") == 1).drop("len")
    hits = cells.join(gone, on=["field", "now"], how="inner").filter(pl.col("row") != pl.col("source"))
    if hits.is_empty():
        return hits
    return hits.join(_counts(context, hits).filter(pl.col("live") == 1), on=["field", "now"], how="semi")


def _counts(context: CheckContext, cells: pl.DataFrame) -> pl.DataFrame:
    """How often the live export has these values (frame of field, now, live)."""
    parts = [pl.DataFrame(schema={"field": pl.String, "now": pl.String, "live": pl.UInt32})]
    for (name,), part in cells.partition_by("field", as_dict=True).items():
        texts = context.live.cells([str(name)]).to_series().str.strip_chars()
        before = texts.filter(texts.is_in(part["now"].unique().implode())).alias("now").value_counts(name="live")
        parts.append(before.select(pl.lit(name).alias("field"), "now", "live"))
    return pl.concat(parts)


def _with_source(context: CheckContext, cells: pl.DataFrame) -> pl.DataFrame:
    """Cells with what their source row (a column of theirs) has in the field: ``there``."""
    parts = [cells.clear().with_columns(there=pl.lit(None, pl.String))]
    for (name,), part in cells.partition_by("field", as_dict=True).items():
        source_values = context.live.cells([str(name)], part["source"].cast(pl.UInt32)).to_series().str.strip_chars()
        parts.append(part.with_columns(source_values.alias("there")))
    return pl.concat(parts)


def _rows_taken_over(context: CheckContext, cells: pl.DataFrame, hits: pl.DataFrame) -> pl.DataFrame:
    """Which row's cells a row took over: pairs (row, source) that more speaks for than chance."""
    pairs = hits.select("row", "source").unique()
    both = _with_source(context, cells.join(pairs, on="row", how="inner"))
    agreeing = both.filter(NOW.str.strip_chars() == pl.col("there"))
    counts = agreeing.join(_counts(context, agreeing), on=["field", "now"], how="left")
    size = max(2, len(context.live))
    told = counts.group_by("row", "source").agg(agree=pl.len(), bits=(size / pl.col("live").fill_null(1)).log(2).sum())
    changed = cells.group_by("row").agg(changed=pl.len())
    told = told.join(changed, on="row").filter(
        (pl.col("agree") >= FEWEST_AGREEING)
        & (pl.col("agree") >= AGREE * pl.col("changed"))
        & (pl.col("bits") >= log2(size) + BITS)
    )
    return told.select("row", "source")


def _fitting(context: CheckContext, cells: pl.DataFrame, pairs: pl.DataFrame) -> pl.DataFrame:
    """The cells of convicted rows that fit their move (key, field)."""
    both = _with_source(context, cells.join(pairs, on="row", how="inner"))
    return both.filter(NOW.str.strip_chars() == pl.col("there")).select("key", "field")


def _by_offset(cells: pl.DataFrame, hits: pl.DataFrame, size: int) -> pl.DataFrame:
    """Rows that took over those so many rows above, where cells of a column moved so: pairs (row, source).

    Between the first and the last of these cells all rows moved.
    """
    hits = hits.with_columns(offset=pl.col("row").cast(pl.Int64) - pl.col("source").cast(pl.Int64))
    spans = hits.group_by("field", "offset").agg(pl.len(), first=pl.col("row").min(), last=pl.col("row").max())
    pairs = [pl.DataFrame(schema=PAIRS)]
    rows = cells.select("row").unique()
    for offset, first, last in spans.filter(pl.col("len") >= FEWEST_BY_OFFSET).select("offset", "first", "last").rows():
        reach = abs(offset)
        moved = rows.filter(pl.col("row").is_between(max(0, first - reach), last + reach))
        source = moved.with_columns(source=pl.col("row").cast(pl.Int64) - offset)
        pairs.append(source.filter(pl.col("source").is_between(0, size - 1)).cast(PAIRS))
    return pl.concat(pairs)


def _without(cells: pl.DataFrame, named: pl.DataFrame) -> pl.DataFrame:
    return cells.join(named, on=["key", "field"], how="anti", maintain_order="left")


def _tuples(context: CheckContext, cells: pl.DataFrame, named: pl.DataFrame) -> pl.DataFrame:
    """Of columns most of whose changed cells were moved, also those cells whose value is no sign alone (key, field).

    The columns moved together, so a row's values in them are those that some other row had.
    """
    hit = cells.join(named, on=["key", "field"], how="semi").group_by("field").agg(hit=pl.len())
    counts = cells.group_by("field").agg(changed=pl.len())
    share = counts.join(hit, on="field")
    moved = share.filter((pl.col("hit") * 2 > pl.col("changed")) & (pl.col("hit") >= FEWEST_BY_OFFSET))
    fields = moved["field"].sort().to_list()
    if not fields:
        return named.clear()
    # Whether a further column, whose values say nothing alone, moved with these is seen in whole rows.
    moved_with = counts.filter(~pl.col("field").is_in(fields) & (pl.col("changed") >= FEWEST_MOVED))
    was, now = _rows_of(context, cells, fields)
    rest = _without(cells.filter(pl.col("field").is_in(fields)), named)
    open_rows = now.join(rest.select("key").unique(), on="key", how="semi")
    fit = _alike_before(open_rows, was, rest, fields)
    matched = [named, rest.join(fit, on="key", how="semi").select("key", "field")]
    for name in moved_with["field"]:
        part = cells.filter(field=name)
        both = [*fields, str(name)]
        was, now = _rows_of(context, cells, both)
        now = now.join(part.select("key"), on="key", how="semi")
        fit = _alike_before(now, was, cells.filter(pl.col("field").is_in(both)), both)
        if len(fit) >= MOST_MOVED * len(part):
            matched.append(part.join(fit, on="key", how="semi").select("key", "field"))
    return pl.concat(matched)


def _rows_of(context: CheckContext, cells: pl.DataFrame, fields: list[str]) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The values of these fields in all rows of which one of them changed, before and after (key and the fields)."""
    rows = cells.filter(pl.col("field").is_in(fields)).select("key").unique(maintain_order=True)
    sides = {"was": rows, "now": rows}
    for name in fields:
        both = rows.join(context.beside(name), on="key", how="left", maintain_order="left")
        sides = {side: frame.with_columns(both[side].fill_null("").alias(name)) for side, frame in sides.items()}
    return sides["was"], sides["now"]


def _alike_before(rows: pl.DataFrame, was: pl.DataFrame, changed: pl.DataFrame, fields: list[str]) -> pl.DataFrame:
    """The rows whose values in these fields are those that another row had (key).

    Where the rows are few enough to lay each beside each, a blank cell of the other row may have left what was there.
    """
    if len(rows) * len(was) > MOST_PAIRS:
        return rows.join(was.select(fields).unique(), on=fields, how="semi").select("key")
    for name in fields:
        changed_keys = changed.filter(field=name)["key"]
        rows = rows.with_columns(pl.col("key").is_in(changed_keys.implode()).alias(f"{name} changed"))
    pairs = rows.join(was, how="cross", suffix=" there").filter(pl.col("key") != pl.col("key there"))
    for name in fields:
        shop_value = pl.col(f"{name} there")
        pairs = pairs.filter((pl.col(name) == shop_value) | ((shop_value == "") & ~pl.col(f"{name} changed")))
    return pairs.select("key").unique()


def _joint(context: CheckContext, cells: pl.DataFrame, one_way: list[str]) -> pl.DataFrame:
    """Cells of some columns that together are what other rows had in them, though no column says so alone."""
    counts = cells.group_by("field").len().filter(pl.col("len") >= FEWEST_MOVED)
    every = counts.sort("len", descending=True)["field"].head(MOST_JOINT).to_list()
    for fields in (list(some) for size in range(len(every), 1, -1) for some in combinations(every, size)):
        if set(fields) <= set(one_way):
            continue
        was, now = _rows_of(context, cells, fields)
        fit = now.join(_alike_before(now, was, cells, fields), on="key", how="semi")
        if len(fit) < max(FEWEST_MOVED, MOST_MOVED * len(now)):
            continue
        hit = cells.filter(pl.col("field").is_in(fields)).join(fit, on="key", how="semi")
        # Rows that only one column of changed are matched by the others, which say nothing of a move.
        if len(hit) >= CELLS_A_ROW * len(fit) and fit.select(fields).n_unique() >= DISTINCT * len(fit):
            return hit.select("key", "field")
    return cells.select("key", "field").clear()


def _few_valued(context: CheckContext, cells: pl.DataFrame) -> pl.DataFrame:
    """Cells of columns with few values that were sorted, or moved by some rows, and what moved with them."""
    named, moves = [cells.select("key", "field").clear()], [pl.DataFrame(schema=PAIRS)]
    for (name,), part in cells.partition_by("field", as_dict=True, maintain_order=True).items():
        if len(part) < FEWEST_MOVED or type_named(context.type_of(str(name))).numeric:
            continue
        was = context.live.cells([str(name)]).to_series().str.strip_chars()
        # (To scatter changes a series in place.)
        now = was.clone().scatter(part["row"], part["now"])
        first, last = int(str(part["row"].min())), int(str(part["row"].max()))
        if _is_sorted(was.slice(first, last - first + 1), now.slice(first, last - first + 1), part):
            named.append(part.select("key", "field"))
            continue
        moves += [_moved_by(was, now, part["row"], offset) for offset in OFFSETS if _may_move(was, part, offset)]
    return pl.concat([*named, _fitting(context, cells, pl.concat(moves).unique())]).unique()


def _may_move(was: pl.Series, cells: pl.DataFrame, offset: int) -> bool:
    """Whether several changed cells one after another hold what was so many rows above; a quick look."""
    rows = cells.sort("row")
    source = rows["row"].cast(pl.Int64) - offset
    from_source = was.gather(source.clip(0, len(was) - 1))
    fits = rows["now"] == from_source
    in_a_row = fits.cast(pl.UInt8).rolling_sum(FEWEST_MOVED).max()
    return in_a_row == FEWEST_MOVED


def _is_sorted(was: pl.Series, now: pl.Series, cells: pl.DataFrame) -> bool:
    """Whether a stretch of a column holds nearly the same values as before, but now nearly each in one run.

    Nearly, for blank cells of a sheet leave what was there.
    """
    before, here = Counter(cells["was"]), Counter(cells["now"])
    if (before & here).total() < MOST_MOVED * len(cells) or len(here) < FEWEST_VALUES:
        return False
    if len(cells) >= MANY_MOVED and len(here) >= MANY_VALUES and (before & here).total() >= ALL_MOVED * len(cells):
        # So many cells in so many values that are all there as before are no chance.
        return True
    values, runs = now.n_unique(), _runs(now)
    return runs <= values + (len(cells) - (before & here).total()) * 2 + 1 and runs * RUNS_FEWER < _runs(was)


def _runs(values: pl.Series) -> int:
    """How many runs of equal values a column has."""
    return int((values != values.shift()).fill_null(value=True).sum())


def _moved_by(was: pl.Series, now: pl.Series, changed: pl.Series, offset: int) -> pl.DataFrame:
    """The rows of stretches in which each row holds what the row so many above it held: pairs (row, source).

    What a stretch says is measured in bits: a value of a share p says -log2 p, and what repeats the row above nothing.
    """
    frame = pl.DataFrame({"was": was, "now": now, "there": was.shift(offset)}).with_row_index("row")
    # Of a blank cell nothing came: it leaves what was there.
    fits = (pl.col("there") == NOW) | ((pl.col("there") == "") & (NOW == WAS))
    frame = frame.with_columns(fits=fits.fill_null(value=False))
    stretches = frame.with_columns(stretch=(~pl.col("fits")).cum_sum()).filter("fits")
    moved = stretches.filter(pl.col("row").is_in(changed.implode()))
    if len(moved) < FEWEST_MOVED:
        return pl.DataFrame(schema=PAIRS)
    shares = now.value_counts(name="n").with_columns(bits=-(pl.col("n") / len(now)).log(2)).rename({now.name: "now"})
    moved = moved.join(shares, on="now", how="left", maintain_order="left").with_columns(
        step=(NOW.shift() != NOW).over("stretch").fill_null(value=True)
    )
    told = moved.group_by("stretch").agg(
        cells=pl.len(), steps=pl.col("step").sum(), bits=pl.col("bits").filter("step").sum()
    )
    good = told.filter(
        (pl.col("cells") >= FEWEST_MOVED) & (pl.col("steps") > FEWEST_STEPS) & (pl.col("bits") >= FEW_VALUES_BITS)
    )
    rows = stretches.filter(pl.col("stretch").is_in(good["stretch"].implode()))["row"]
    pairs = pl.DataFrame({"row": rows, "source": rows.cast(pl.Int64) - offset})
    return pairs.filter(pl.col("source").is_between(0, len(was) - 1)).cast(PAIRS)


CHECKS = (Check("column out of step", "error", column_out_of_step, Override.IGNORE),)

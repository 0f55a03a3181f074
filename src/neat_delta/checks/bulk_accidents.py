"""Accidents that no single cell shows: a column sorted alone, a series dragged over rows, cells shifted or cut alike.

They are recognised by how many cells of a column, or of neighbouring rows, changed in one and the same way.
"""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import no_findings
from neat_delta.checks.check import Check, Override, cells_of, concat_findings
from neat_delta.matching import Key
from neat_delta.matching.similarity import find_name_field
from neat_delta.tables.field_types import type_named

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
# A sorted column: so many cells at least, of which so many hold what other rows held, in so many values.
FEWEST_MOVED, MOVED, DISTINCT = 6, 0.9, 0.5
# A sort moves numbers both ways; a rise that happens to land on other items' prices moves them one way.
EITHER_WAY = 0.25
RUN = 4
LONG_RUN, HALF = 6, 0.5
FILLED = 6
UNLIKE = 0.8
FEWEST_SHIFTED = 3
FEWEST_CUT, SHORTEST_CUT = 5, 20
FEWEST_REPLACED, MOST_SWAPS = 5, 10
MOST_TEXTS = 50_000
NUMBERED = r"(^|_)(sort|position|order|rank|bin|shelf|place|row|number|no)(_|$)"


def column_out_of_step(context: CheckContext) -> pl.DataFrame:
    """The values of one column are on other items than before: sorted or moved without the other columns."""
    found = []
    for name, cells in context.typed.items():
        cells = cells.drop_nulls(["was", "now"])
        if len(cells) < FEWEST_MOVED or cells["was"].n_unique() < DISTINCT * len(cells):
            continue
        was, now = (Counter(cells[side].str.strip_chars()) for side in ("was", "now"))
        if (was & now).total() < MOVED * len(cells):
            continue
        if type_named(context.type_of(name)).numeric:
            both = context.numbers(name).join(cells.select("key"), on="key", how="semi")
            up, down = int((both["now"] > both["was"]).sum()), int((both["now"] < both["was"]).sum())
            if min(up, down) < EITHER_WAY * len(cells):
                continue
        message = "these values belong to other items: column sorted or moved without the others?"
        found.append(context.findings_for(cells, "column out of step", "error", message))
    return concat_findings(found)


def fill_series(context: CheckContext) -> pl.DataFrame:
    """Numbers rise or fall by one from row to row: a fill handle was used."""
    found = []
    for name, cells in context.typed.items():
        if not type_named(context.type_of(name)).numeric or pl.Series([name]).str.contains(NUMBERED).item():
            continue
        rows = _in_sheet_order(context, name)
        # A row between that had its number already is not among those that changed.
        gap = pl.when("next").then(1).when(pl.col("between") < RUN).then(pl.col("between"))
        differing = gap.cast(pl.Decimal(10, 0))
        rows = rows.with_columns(
            step=pl.when(NOW - NOW.shift() == differing).then(1).when(NOW.shift() - NOW == differing).then(-1),
            before=pl.when(WAS - WAS.shift() == differing).then(1).when(WAS.shift() - WAS == differing).then(-1),
        )
        rows = rows.with_columns(counts=pl.col("changed") & pl.col("step").is_not_null())
        breaks = ~pl.col("counts") | (pl.col("step") != pl.col("step").shift()).fill_null(value=True)
        # What was a series before is one of the shop's own; two numbers may be a step apart by chance.
        own = (pl.col("before") == pl.col("step")).fill_null(value=False)
        rows = rows.with_columns(run=breaks.cum_sum(), own=own)
        length, owned = pl.len().over("run"), pl.col("own").sum().over("run")
        # So a short run counts only if none of it was one before.
        plain = (length >= RUN - 1) & (owned == 0)
        hit = rows.filter("counts").filter(plain | ((length >= LONG_RUN) & (owned < HALF * length)))
        message = "numbers rise by 1 per row: fill handle? Copy the cell instead"
        found.append(context.findings_for(cells_of(cells, hit), "fill series", "error", message))
    return concat_findings(found)


def filled_down(context: CheckContext) -> pl.DataFrame:
    """Different values of several rows became the value of the row above: filled down by mistake."""
    key = Key(context.changes.head.key, explicit=True)
    name_field = find_name_field(context.live, key)
    found = []
    for name, cells in context.typed.items():
        kind = context.type_of(name)
        own = name == name_field or kind in ("barcode", "image")
        if not own and kind not in ("price", "text"):
            continue
        rows = _texts_in_sheet_order(context, name)
        same = pl.col("next") & pl.col("changed") & (NOW.shift() == NOW)
        rows = rows.with_columns(same=same.fill_null(value=False)).with_columns(run=(~pl.col("same")).cum_sum())
        runs = rows.filter("same").filter(
            (pl.len().over("run") >= FILLED) & (WAS.n_unique().over("run") >= UNLIKE * pl.len().over("run"))
        )
        message = "different values overwritten by the row above: filled down by mistake?"
        found.append(context.findings_for(cells_of(cells, runs), "filled down", "error" if own else "warning", message))
    return concat_findings(found)


def shifted(context: CheckContext) -> pl.DataFrame:
    """The cells of a row are one column off."""
    names = [name for name in context.live.names if name not in context.changes.head.key]
    cells = {name: cells for name, cells in context.typed.items() if name in names}
    all_of = context.outgoing_cells.group_by("key").agg(all=pl.len()).filter(pl.col("all") >= FEWEST_SHIFTED)
    if len(cells) < FEWEST_SHIFTED or all_of.is_empty():
        return no_findings()
    cells = {name: part.join(all_of, on="key", how="semi", maintain_order="left") for name, part in cells.items()}
    found = []
    for side in (-1, 1):
        hits = []
        for name, of_field in cells.items():
            at = names.index(name) + side
            if not 0 <= at < len(names):
                continue
            beside = context.beside(names[at]).select("key", there="was")
            both = of_field.drop_nulls("now").join(beside, on="key", how="inner")
            hits.append(both.filter((pl.col("there") == NOW) & (NOW.str.len_chars() > 0)).select("key", "now"))
        moved = pl.concat([pl.DataFrame(schema={"key": pl.String, "now": pl.String}), *hits])
        moved = moved.group_by("key").agg(pl.len(), values=NOW.n_unique(), now=NOW.first())
        rows = moved.filter(pl.col("values") >= FEWEST_SHIFTED).join(all_of, on="key")
        rows = rows.filter(pl.col("len") * 2 > pl.col("all")).sort("key")
        about = rows.select("key", "now", field=pl.lit(None, pl.String))
        message = "the cells of this row are one column off. Move them back; the whole row is not sent"
        found.append(context.findings_for(about, "shifted cells", "error", message))
    return concat_findings(found)


def truncated(context: CheckContext) -> pl.DataFrame:
    """Several texts of a column were cut off at the same length."""
    found = []
    for cells in context.typed.values():
        cut = cells.drop_nulls(["was", "now"]).filter(
            WAS.str.starts_with(NOW) & (NOW.str.len_chars() >= SHORTEST_CUT) & (WAS != NOW)
        )
        alike = cut.filter(pl.len().over(NOW.str.len_chars()) >= FEWEST_CUT)
        message = "texts cut off at the same length; current texts kept"
        found.append(context.findings_for(alike, "truncated", "error", message))
    return concat_findings(found)


def replaced(context: CheckContext) -> pl.DataFrame:
    """One word was replaced by another in several fields: search and replace went too far."""
    texts = pl.concat([context.outgoing_cells.clear(), *context.typed.values()]).drop_nulls(["was", "now"])
    kinds = [name for name, note in context.changes.head.fields.items() if not type_named(note.type).numeric]
    texts = texts.filter(pl.col("field").is_in(kinds))
    if not FEWEST_REPLACED <= len(texts) <= MOST_TEXTS or texts["field"].n_unique() == 1:
        return no_findings()
    swaps = pl.DataFrame(
        [_swap(was, now) for was, now in texts.select("was", "now").iter_rows()],
        schema={"old": pl.String, "new": pl.String},
        orient="row",
    )
    often = swaps.group_by("old", "new").len().filter((pl.col("len") >= FEWEST_REPLACED) & (pl.col("old") != ""))
    found = [
        _further(context, texts, old, new) for old, new, _ in often.sort("len", "old").tail(MOST_SWAPS).iter_rows()
    ]
    return concat_findings(found)


def _further(context: CheckContext, texts: pl.DataFrame, old: str, new: str) -> pl.DataFrame:
    """Texts in which a word was replaced, but for those where it was meant: of a text field, where most of them are."""
    same = texts.filter((WAS.str.replace_all(old, new, literal=True) == NOW) & (old != WAS))
    counts = same["field"].value_counts().rows()
    if len(counts) < 2:
        return no_findings()

    def likeliest(counted: tuple[str, int]) -> tuple[bool, int, int]:
        name, count = counted
        return context.type_of(name) == "text", count, -context.live.names.index(name)

    meant = max(counts, key=likeliest)[0]
    message = f"{old!r} became {new!r} here as in {meant}: did search and replace go too far?"
    return context.findings_for(same.filter(pl.col("field") != meant), "search and replace", "warning", message)


def _swap(was: str, now: str) -> tuple[str, str]:
    """What of a text was exchanged for what, between the parts that are the same in front and behind."""
    front = _alike(was, now)
    was, now = was[front:], now[front:]
    back = _alike(was[::-1], now[::-1])
    return (was[: len(was) - back], now[: len(now) - back])


def _alike(one: str, other: str) -> int:
    """How many characters two texts have in common from their beginnings on."""
    return next((at for at, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))


def _in_sheet_order(context: CheckContext, name: str) -> pl.DataFrame:
    """A numeric field of the touched items in the order of the sheet's rows.

    A frame of key, was, now, line, changed; next: whether the row is next below the one before; between: how many
    items further in the live export it is, if any.
    """
    return _placed(context, name, context.numbers(name))


def _texts_in_sheet_order(context: CheckContext, name: str) -> pl.DataFrame:
    return _placed(context, name, context.beside(name))


def _placed(context: CheckContext, name: str, both: pl.DataFrame) -> pl.DataFrame:
    beside = both.with_columns(
        context.affected_items["line"], context.affected_items["row"], context.both.changed(name).alias("changed")
    )
    rows = beside.drop_nulls("row").with_columns(_heights(context).alias("height"))
    rows = rows if rows["line"].is_sorted() else rows.sort("line")
    # A row of delimited text runs over several lines where its cells do; one of a workbook never does.
    differing = pl.col("line") - pl.col("line").shift()
    further = pl.col("row").cast(pl.Int64) - pl.col("row").cast(pl.Int64).shift()
    return rows.with_columns(
        next=((differing == 1) | (differing == pl.col("height").shift())).fill_null(value=False),
        between=pl.when(further > 0).then(further),
    )


def _heights(context: CheckContext) -> pl.Series:
    """On how many lines the touched rows stand in delimited text."""
    rows, lines = context.affected_items["row"].drop_nulls(), context.live.rows.line
    if len(lines) and int(lines[-1]) - int(lines[0]) == len(lines) - 1:
        return pl.repeat(1, len(rows), dtype=pl.UInt32, eager=True)
    cells = context.live.cells(context.live.names, rows)
    return cells.select(pl.concat_str(pl.all()).str.count_matches("\n") + 1).to_series()


CHECKS = (
    Check("column out of step", "error", column_out_of_step, Override.IGNORE),
    Check("fill series", "error", fill_series, Override.IGNORE),
    Check("filled down", "error, warning", filled_down, Override.IGNORE),
    Check("shifted cells", "error", shifted, Override.IGNORE),
    Check("truncated", "error", truncated, Override.IGNORE),
    Check("search and replace", "warning", replaced, Override.IGNORE),
)

"""Cells that slipped within their row: one column aside, split into the next columns, or cut off."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import no_findings
from neat_delta.checks.check import Check, Override, concat_findings
from neat_delta.tables.field_types import type_named

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
# So many cells of a row, of so many characters, that hold what the column beside held.
FEWEST_SHIFTED, SHORTEST_SHIFTED = 2, 3
SHIFTED = "the cells of this row are one column off. Move them back; the whole row is not sent"
# What "text to columns" cuts at, and the shortest rest of which nobody types the beginning elsewhere by chance.
SEPARATORS, SHORTEST_REST = r"[,;:|/\t\n –-]", 3
SPLIT = "this text was split into the next columns. Put it together again; the whole row is not sent"
FEWEST_CUT, SHORTEST_CUT = 5, 20
# Where programs cut texts; people choose round numbers.
LIMITS = frozenset({127, 128, 254, 255, 256, 511, 512, 1000, 1023, 1024, 2000, 4000, 4096, 8000, 32_767, 65_535})
ROUND = 10
CUT_ON_PURPOSE = "texts cut at the same length, as all longer ones of this column. Intended?"
CUT = "texts cut off at the same length; current texts kept"


def shifted(context: CheckContext) -> pl.DataFrame:
    """The cells of a row are one column off."""
    findings = [_off_by(context, side) for side in (-1, 1)]
    return concat_findings(findings)


def _columns(context: CheckContext) -> list[str]:
    return [name for name in context.live.names if name not in context.changes.head.key]


def _off_by(context: CheckContext, side: int) -> pl.DataFrame:
    """Rows of which neighbouring cells hold what the column on one side held."""
    names = _columns(context)
    hits = [pl.DataFrame(schema={"key": pl.String, "now": pl.String, "at": pl.Int64})]
    several = context.typed_cells.group_by("key").len().filter(pl.col("len") >= FEWEST_SHIFTED).select("key")
    wide = context.affected_items.join(several, on="key", how="semi").drop_nulls("row").select("key", "row")
    for name, cells in context.typed.items():
        at = names.index(name) + side if name in names else -1
        both = cells.drop_nulls("now").join(wide, on="key", how="inner", maintain_order="left")
        if not 0 <= at < len(names) or both.is_empty():
            continue
        beside = context.live.cells([names[at]], both["row"]).to_series().str.strip_chars()
        hit = both.filter((both["now"].str.strip_chars() == beside) & (beside != ""))
        hits.append(hit.select("key", "now", at=pl.lit(at, pl.Int64)))
    moved = pl.concat(hits).sort("key", "at")
    if moved.is_empty():
        return no_findings()
    neighbours = (pl.col("at") - pl.col("at").shift() == 1).over("key").fill_null(value=False)
    telling = pl.col("now").filter(pl.col("now").str.len_chars() >= SHORTEST_SHIFTED).n_unique()
    rows = moved.with_columns(beside=neighbours).group_by("key", maintain_order=True)
    told = rows.agg(pl.len(), beside=pl.col("beside").any(), telling=telling, values=NOW.n_unique(), now=NOW.first())
    changed = context.typed_cells.group_by("key").agg(changed=pl.len())
    # Three values one column off are no chance; of two, each must say something by itself.
    hit = told.join(changed, on="key", maintain_order="left").filter(
        (pl.col("len") * 2 > pl.col("changed"))
        & ((pl.col("values") > FEWEST_SHIFTED) | (pl.col("beside") & (pl.col("telling") >= FEWEST_SHIFTED)))
    )
    return context.findings_for(
        hit.select("key", "now", field=pl.lit(None, pl.String)), "shifted cells", "error", SHIFTED
    )


def split(context: CheckContext) -> pl.DataFrame:
    """A text was split, and its parts overwrote the next columns."""
    names = _columns(context)
    findings = []
    for name, cells in context.typed.items():
        at = names.index(name) + 1 if name in names else len(names)
        if at >= len(names) or type_named(context.type_of(name)).numeric:
            continue
        rest = WAS.str.slice(NOW.str.len_chars())
        cut = cells.drop_nulls().filter(WAS.str.starts_with(NOW) & rest.str.contains(f"^{SEPARATORS}"))
        beside = context.typed.get(names[at])
        if cut.is_empty() or beside is None:
            continue
        parts = cut.with_columns(rest=rest.str.strip_chars(",;:|/\t\n –-"))
        both = parts.join(beside.select("key", part=NOW).drop_nulls(), on="key", how="inner", maintain_order="left")
        # The next column holds the rest, or its first part.
        whole = pl.col("rest").str.starts_with(pl.col("part").str.strip_chars()) & (pl.col("part") != "")
        hit = both.filter(whole & (pl.col("part").str.len_chars() >= SHORTEST_REST))
        about = hit.select("key", "now", field=pl.lit(None, pl.String))
        findings.append(context.findings_for(about, "split text", "error", SPLIT))
    return concat_findings(findings)


def truncated(context: CheckContext) -> pl.DataFrame:
    """Several texts of a column were cut off at the same length."""
    return concat_findings(_cut(context))


def _cut(context: CheckContext) -> Iterator[pl.DataFrame]:
    for name, cells in context.typed.items():
        shorter = cells.drop_nulls(["was", "now"]).filter(
            WAS.str.starts_with(NOW) & (NOW.str.len_chars() >= SHORTEST_CUT) & (WAS != NOW)
        )
        if len(shorter) < FEWEST_CUT:
            continue
        length = NOW.str.len_chars()
        common = shorter.select(length.mode().max()).item()
        # A space at the cut is lost besides.
        alike = shorter.filter(WAS.str.slice(0, common).str.strip_chars_end() == NOW)
        if len(alike) >= FEWEST_CUT:
            level, say = ("warning", CUT_ON_PURPOSE) if _is_limit(context, name, common) else ("error", CUT)
            yield context.findings_for(alike, "truncated", level, say)


def _is_limit(context: CheckContext, name: str, length: int) -> bool:
    """Whether a person wanted texts of this length: none is longer, and no program is known to cut there."""
    after = context.live.cells([name])[name].str.len_chars()
    longer = int((after > length).sum())
    changed = context.beside(name).filter(WAS.str.len_chars() > length)
    still = int((changed["now"].str.len_chars() > length).sum())
    return longer - len(changed) + still == 0 and length not in LIMITS and length % ROUND == 0


CHECKS = (
    Check("shifted cells", "error", shifted, Override.IGNORE),
    Check("split text", "error", split, Override.IGNORE),
    Check("truncated", "error", truncated, Override.IGNORE),
)

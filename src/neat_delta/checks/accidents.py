"""Changes that nobody typed: what a spreadsheet program makes of a value, seen beside the live value.

Where the program explains the new value, the live one is kept. Where something happened to it and the right value is
unknown, the cell is an error. What was measured of real programs is in docs/comparing.md.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import REPAIR, as_data, no_findings
from neat_delta.checks.check import Check, Override, concat_findings
from neat_delta.replay import EXACT, explain
from neat_delta.replay.explain import DAY_OR_ISO
from neat_delta.tables.corruption import CUTS, DOUBLED, FAILED, FORMULA, LOST_SIGN, POWER_OF_TEN
from neat_delta.tables.field_types import type_named

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
LONG_NUMBER = r"^[0-9]{9,}$"
# Something has happened here, but the right value is unknown.
UNCLEAR: dict[str, pl.Expr] = {
    "formula error": NOW.str.contains(FAILED),
    "a formula instead of its value": NOW.str.contains(FORMULA) & ~WAS.str.contains("^=").fill_null(value=False),
    "number in scientific notation, digits lost": WAS.str.contains(LONG_NUMBER) & NOW.str.contains(POWER_OF_TEN),
    "text cut off where spreadsheet programs cut it": (NOW.str.len_chars().is_in(CUTS))
    & WAS.str.starts_with(NOW)
    & (WAS.str.len_chars() > NOW.str.len_chars()),
    "broken accents: wrong encoding": NOW.str.contains(DOUBLED) & ~WAS.str.contains(DOUBLED),
    "a letter became a question mark": NOW.str.contains(LOST_SIGN) & ~WAS.str.contains(LOST_SIGN),
}
# And so it is where codes became what no other code of the column is.
UNLIKE_CODES: dict[str, pl.Expr] = {
    "looks like a date among codes": NOW.str.contains(DAY_OR_ISO) & ~WAS.str.contains(DAY_OR_ISO),
    "looks like a decimal number among codes": NOW.str.contains(r"^[0-9]+[.,]0+$") & ~WAS.str.contains(r"[.,]0+$"),
    "looks like scientific notation among codes": NOW.str.contains(POWER_OF_TEN) & ~WAS.str.contains(POWER_OF_TEN),
}


def restored(context: CheckContext) -> pl.DataFrame:
    """A new value is exactly what a spreadsheet program makes of the live value, which is kept."""
    hit = _explained(context)
    nothing_lost = hit["what"].is_in(sorted(EXACT))
    message = "{} ({} became {}); current value kept"
    return concat_findings(
        _found(context, part, "repaired", level, message, REPAIR)
        for level, part in (("note", hit.filter(nothing_lost)), ("warning", hit.filter(~nothing_lost)))
    )


def damaged(context: CheckContext) -> pl.DataFrame:
    """A new value shows damage by a spreadsheet program, and the right value is unknown."""
    codes = [
        name for name, note in context.changes.head.fields.items() if note.type in ("code", "item link", "barcode")
    ]
    hit = _what(_texts(context).drop_nulls("now"), UNCLEAR)
    strange_codes = _what(_texts(context).drop_nulls().filter(pl.col("field").is_in(codes)), UNLIKE_CODES)
    hit = pl.concat([hit, strange_codes]).unique(["key", "field"], keep="first", maintain_order=True)
    if hit.is_empty():
        return no_findings()
    hit = hit.join(_explained(context), on=["key", "field"], how="anti", maintain_order="left")
    return _found(context, hit, "spreadsheet damage", "error", "{} ({} became {}); type the value again")


def _explained(context: CheckContext) -> pl.DataFrame:
    """The cells that a spreadsheet program explains, with how."""
    cells = _texts(context).drop_nulls(["was", "now"])
    if cells.is_empty():
        return cells.with_columns(what=pl.lit(None, pl.String))
    # What cells of one column show together is evidence, so each column is explained by itself.
    parts = [part.with_columns(explain(part)) for part in cells.partition_by("field", maintain_order=True)]
    return pl.concat(parts, rechunk=True).drop_nulls("what")


def _texts(context: CheckContext) -> pl.DataFrame:
    """The changed cells of fields in which every character counts: numbers and dates are read, not compared."""
    read = [
        name
        for name, note in context.changes.head.fields.items()
        if type_named(note.type).numeric or note.type in ("date", "yes/no")
    ]
    cells = context.outgoing_cells
    return cells.filter(~pl.col("field").is_in([*read, *context.overrides.as_typed]))


def _what(cells: pl.DataFrame, accidents: dict[str, pl.Expr]) -> pl.DataFrame:
    """The cells to which one of these has happened, with what it was."""
    what = pl.coalesce([pl.when(shows).then(pl.lit(message)) for message, shows in accidents.items()])
    return cells.with_columns(what=what).drop_nulls("what")


def _found(
    context: CheckContext, hit: pl.DataFrame, check: str, level: str, say: str, effect: str | None = None
) -> pl.DataFrame:
    if hit.is_empty():
        return no_findings()
    message = hit.select(pl.format(say, "what", pl.col("was").fill_null("nothing"), "now")).to_series()
    cells = hit.select("key", "field", "was", "now")
    found = context.findings_for(cells, check, level, message, effect)
    return found.with_columns(data=as_data(hit.select("was", "now", cause="what")))


CHECKS = (
    Check("repaired", "warning, note", restored, Override.AS_TYPED),
    Check("spreadsheet damage", "error", damaged, Override.AS_TYPED),
)

"""Changes that nobody typed: what a spreadsheet program makes of a value, seen beside the live value.

Where the program explains the new value, the live one is kept. Where something happened to it and the right value is
unknown, the cell is an error. What was measured of real programs is in docs/comparing.md.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import REPAIR, as_data, no_findings
from neat_delta.checks.check import Check, Override
from neat_delta.replay import LOST, WRONG, explain, reads_back
from neat_delta.replay.dates import DATE_SHAPES, LIKE_A_DATE, NUMERIC_DATES, TIME_SHAPES, is_shown_date
from neat_delta.replay.text_effects import SHOWN_DATE, SHOWN_TIME
from neat_delta.tables.corruption import CUTS, DOUBLED, FAILED, FORMULA, LOST_SIGN, POWER_OF_TEN
from neat_delta.tables.field_types import every_character_counts, type_named

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
FORMULA_WITH_CELLS = r"^=.*[A-Za-z]{1,3}\$?[0-9]"
LONG_NUMBER = r"^[0-9]{9,}$"
# Something has happened here, but the right value is unknown.
UNCLEAR: dict[str, pl.Expr] = {
    "a formula was run, or replaced": WAS.str.contains(FORMULA_WITH_CELLS) & ~NOW.str.contains("^=|^'="),
    "formula error": NOW.str.contains(FAILED),
    "a formula instead of its value": NOW.str.contains(FORMULA) & ~WAS.str.contains("^=").fill_null(value=False),
    "number in scientific notation, digits lost": WAS.str.contains(LONG_NUMBER) & NOW.str.contains(POWER_OF_TEN),
    "text cut off where spreadsheet programs cut it": (NOW.str.len_chars().is_in(CUTS))
    & WAS.str.starts_with(NOW)
    & (WAS.str.len_chars() > NOW.str.len_chars()),
    WRONG: NOW.str.contains(DOUBLED) & ~WAS.str.contains(DOUBLED),
    LOST: NOW.str.contains(LOST_SIGN) & ~WAS.str.contains(LOST_SIGN),
}
CODES = ("code", "item link", "barcode")
# And so it is where codes became what no other code of the column is.
UNLIKE_CODES: dict[str, pl.Expr] = {
    "looks like a decimal number among codes": NOW.str.contains(r"^[0-9]+[.,]0+$") & ~WAS.str.contains(r"[.,]0+$"),
    "looks like scientific notation among codes": NOW.str.contains(POWER_OF_TEN) & ~WAS.str.contains(POWER_OF_TEN),
}


def restored(context: CheckContext) -> pl.DataFrame:
    """A new value is exactly what a spreadsheet program makes of the live value, which is kept.

    (Comparing leaves out the values that lost nothing but their form, of which there may be very many.)
    """
    message = "{} ({} became {}); current value kept"
    return _found(context, _explained(context), "repaired", "warning", message, REPAIR)


def damaged(context: CheckContext) -> pl.DataFrame:
    """A new value shows damage by a spreadsheet program, and the right value is unknown."""
    cells = _texts(context).drop_nulls("now")
    if cells.is_empty():
        return no_findings()
    explained = _explained(context)
    codes = cells.filter(pl.col("field").is_in(_fields_of(context, *CODES))).drop_nulls()
    hit = pl.concat(
        [
            _what(cells, UNCLEAR),
            _what(codes, UNLIKE_CODES),
            _days(codes.filter(~WAS.str.contains(SHOWN_DATE)), SHOWN_DATE, "looks like a date among codes"),
            _days_among_texts(context, cells),
            _in_broken_encoding(cells, explained),
        ]
    )
    hit = hit.unique(["key", "field"], keep="first", maintain_order=True)
    hit = hit.join(explained, on=["key", "field"], how="anti", maintain_order="left")
    return _found(context, hit, "spreadsheet damage", "error", "{} ({} became {}); type the value again")


def _fields_of(context: CheckContext, *types: str) -> list[str]:
    return [name for name, note in context.changes.head.fields.items() if note.type in types]


def _days_among_texts(context: CheckContext, cells: pl.DataFrame) -> pl.DataFrame:
    """New dates and times in a field of texts in which the shop has none of this shape.

    A program made them of what was typed, such as 3/4.
    """
    what = "looks like a date or time among texts"
    parts = [_days(cells.clear(), SHOWN_DATE, what)]
    for (name,), part in cells.partition_by("field", as_dict=True, maintain_order=True).items():
        if name not in context.live.names or not part["now"].str.contains(f"{SHOWN_DATE}|{SHOWN_TIME}").any():
            continue
        live = context.live.distinct_values(str(name))
        if live.is_empty():  # as a column of notes, into which dates may well be written
            continue
        # Of May 24 nobody knows, unless the column has codes of which a program makes such.
        possible = DATE_SHAPES if live.str.contains(LIKE_A_DATE).any() else NUMERIC_DATES
        shapes = [shape for shape in (*possible, *TIME_SHAPES) if not live.str.contains(shape).any()]
        parts += [_days(part, shape, what) for shape in shapes]
    return pl.concat(parts)


def _days(cells: pl.DataFrame, shape: str, what: str) -> pl.DataFrame:
    """Those of the cells that are dates or times of a shape."""
    hit = cells.filter(NOW.str.contains(shape))
    return hit.filter(pl.Series([is_shown_date(now) for now in hit["now"]], dtype=pl.Boolean)).with_columns(
        what=pl.lit(what)
    )


def _in_broken_encoding(cells: pl.DataFrame, explained: pl.DataFrame) -> pl.DataFrame:
    """Texts that were typed into a file which then was read or saved in a wrong encoding, as its other cells show."""
    happened = set(explained["what"].unique())
    parts = [cells.clear().with_columns(what=pl.lit(None, pl.String))]
    if WRONG in happened:
        beyond = cells.filter(NOW.str.contains(r"[^\x00-\x7f]"))
        broken = pl.Series([reads_back(now) for now in beyond["now"]], dtype=pl.Boolean)
        parts.append(beyond.filter(broken).with_columns(what=pl.lit(WRONG)))
    if LOST in happened:
        new = NOW.str.count_matches(r"\?") > WAS.fill_null("").str.count_matches(r"\?")
        parts.append(cells.filter(new).with_columns(what=pl.lit(LOST)))
    return pl.concat(parts)


def _explained(context: CheckContext) -> pl.DataFrame:
    """The cells that a spreadsheet program explains, with how."""
    return context.remembered("explained", _explain)


def _explain(context: CheckContext) -> pl.DataFrame:
    cells = _texts(context).drop_nulls(["was", "now"])
    if cells.is_empty():
        return cells.with_columns(what=pl.lit(None, pl.String))
    # What cells of one column show together is evidence, so each column is explained by itself.
    parts = [part.with_columns(explain(part)) for part in cells.partition_by("field", maintain_order=True)]
    return pl.concat(parts, rechunk=True).drop_nulls("what")


def _texts(context: CheckContext) -> pl.DataFrame:
    """The changed cells of fields in which every character counts: numbers and dates are read, not compared."""
    read = [
        name for name, note in context.changes.head.fields.items() if not every_character_counts(type_named(note.type))
    ]
    cells = context.typed_cells
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
    findings = context.findings_for(cells, check, level, message, effect)
    return findings.with_columns(data=as_data(hit.select("was", "now", cause="what")))


CHECKS = (
    Check("repaired", "warning", restored, Override.AS_TYPED),
    Check("spreadsheet damage", "error", damaged, Override.AS_TYPED),
)

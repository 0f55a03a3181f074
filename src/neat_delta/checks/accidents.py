"""What a spreadsheet program does to a value behind people's backs, seen beside the live value.

Each accident is recognised by the two values: the new one is just what becomes of the old one. Where only the old
one can have been meant, it is put back; where something else may have been, the cell is refused. An edit that happens
to look so is let through as it was typed. What was measured of real programs is in docs/comparing.md.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import REPAIR, no_findings
from neat_delta.checks.check import Check, Override
from neat_delta.tables.corruption import DAY, DOUBLED, FAILED, FORMULA, POWER_OF_TEN
from neat_delta.tables.field_types import type_named
from neat_delta.tables.field_types.flag import TRUTH

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
# A spreadsheet program keeps fifteen significant digits of a number.
SIGNIFICANT = 15
TIME = r"^[0-9]{1,2}:[0-9]{2}(:[0-9]{2})?( [AP]M)?$"
DAY_OR_ISO = rf"{DAY}|^[0-9]{{4}}-[0-9]{{2}}-[0-9]{{2}}$"
LIKE_A_DAY = (
    r"^([0-9]{1,2}[/.-][0-9]{1,2}|[0-9]{1,2}[/.-][0-9]{1,2}[/.-][0-9]{1,4}|[A-Za-z]{3}-?[0-9]{1,2}|"
    r"[0-9]{1,2}-[A-Za-z]{3})$"
)
# Where programs and importers cut long texts off.
CUTS = (255, 32_767)
LONG_NUMBER = r"^[0-9]{9,}$"
SHOWN_DIGITS = NOW.str.extract(r"^([0-9]+(?:[.,][0-9]+)?)[eE]").str.replace_all(r"[.,]", "").str.strip_chars_end("0")
# The last digit kept may be rounded up.
LAST_KEPT = NOW.str.head(SIGNIFICANT).cast(pl.Int64, strict=False)

# What happened, and how it shows; the first that fits is said. Nothing but the live value makes these.
EXPLAINED: dict[str, pl.Expr] = {
    "leading zeros lost": WAS.str.contains(r"^\s*[+-]?0[0-9]+$")
    & (WAS.str.strip_chars().str.replace(r"^([+-]?)0+([0-9])", "${1}${2}") == NOW),
    "leading plus sign lost": WAS.str.contains(r"^\+[0-9]+$") & (WAS.str.slice(1).str.strip_chars_start("0") == NOW),
    "code changed into a number": WAS.str.contains(r"^[0-9]+$")
    & NOW.str.contains(r"^[0-9]+[.,]0+$")
    & (NOW.str.replace(r"[.,]0+$", "").str.strip_chars_start("0") == WAS.str.strip_chars_start("0")),
    "code changed into scientific notation": WAS.str.contains(r"^[0-9]+[eE][+-]?[0-9]+$")
    & (NOW.str.replace(",", ".", literal=True).cast(pl.Float64, strict=False) == WAS.cast(pl.Float64, strict=False)),
    "number in scientific notation": WAS.str.contains(LONG_NUMBER)
    & NOW.str.contains(POWER_OF_TEN)
    # The last digit shown may be rounded up.
    & WAS.str.starts_with(SHOWN_DIGITS.str.head(SHOWN_DIGITS.str.len_chars() - 1))
    & (NOW.str.extract(r"[eE]\+?([0-9]+)$").cast(pl.UInt32, strict=False) + 1 == WAS.str.len_chars()),
    "digits after the 15th lost": WAS.str.contains(rf"^[0-9]{{{SIGNIFICANT + 1},}}$")
    & (LAST_KEPT - WAS.str.head(SIGNIFICANT).cast(pl.Int64, strict=False)).is_in([0, 1])
    & (WAS.str.len_chars() == NOW.str.len_chars())
    & NOW.str.slice(SIGNIFICANT).str.contains("^0*$"),
    "code changed into a date": WAS.str.contains(LIKE_A_DAY)
    & NOW.str.contains(DAY_OR_ISO)
    & ~WAS.str.contains(DAY_OR_ISO),
    "code changed into a time": WAS.str.contains(r"^[0-9]{1,2}:[0-9]{1,2}$") & NOW.str.contains(TIME),
    "TRUE/FALSE was translated": pl.any_horizontal(
        (WAS.str.to_lowercase() == word) & NOW.str.to_lowercase().is_in(others) for word, others in TRUTH.items()
    ),
}
# Here nobody can tell what was meant.
UNCLEAR: dict[str, pl.Expr] = {
    "formula error": NOW.str.contains(FAILED),
    "a formula instead of its value": NOW.str.contains(FORMULA) & ~WAS.str.contains("^=").fill_null(value=False),
    "number in scientific notation, digits lost": WAS.str.contains(LONG_NUMBER) & NOW.str.contains(POWER_OF_TEN),
    "text cut off where spreadsheet programs cut it": (NOW.str.len_chars().is_in(CUTS))
    & WAS.str.starts_with(NOW)
    & (WAS.str.len_chars() > NOW.str.len_chars()),
}


# And so it is where codes became what no other code of the column is.
UNLIKE_CODES: dict[str, pl.Expr] = {
    "looks like a date among codes": NOW.str.contains(DAY_OR_ISO) & ~WAS.str.contains(DAY_OR_ISO),
    "looks like a decimal number among codes": NOW.str.contains(r"^[0-9]+[.,]0+$") & ~WAS.str.contains(r"[.,]0+$"),
    "looks like scientific notation among codes": NOW.str.contains(POWER_OF_TEN) & ~WAS.str.contains(POWER_OF_TEN),
}


def restored(context: CheckContext) -> pl.DataFrame:
    """A new value is exactly what a spreadsheet program makes of the live value, which is kept."""
    hit = _what(_texts(context).drop_nulls(["was", "now"]), EXPLAINED)
    accents = _accented(context)
    what = [_broken(was, now) for was, now in accents.select("was", "now").iter_rows()]
    broken = accents.with_columns(what=pl.Series(what, dtype=pl.String)).drop_nulls("what")
    message = "{} ({} became {}); current value kept"
    return _found(context, pl.concat([hit, broken]), "repaired", "warning", message, REPAIR)


def damaged(context: CheckContext) -> pl.DataFrame:
    """A new value shows damage by a spreadsheet program, and the right value is unknown."""
    codes = [
        name for name, note in context.changes.head.fields.items() if note.type in ("code", "item link", "barcode")
    ]
    hit = _what(_texts(context).drop_nulls("now"), UNCLEAR)
    strange_codes = _what(_texts(context).drop_nulls().filter(pl.col("field").is_in(codes)), UNLIKE_CODES)
    strange = _accented(context).filter(NOW.str.contains(DOUBLED) & ~WAS.str.contains(DOUBLED))
    strange = strange.with_columns(what=pl.lit("broken accents: wrong encoding"))
    hit = pl.concat([hit, strange_codes, strange]).unique(["key", "field"], keep="first", maintain_order=True)
    if hit.is_empty():
        return no_findings()
    repairs = restored(context).select("key", "field")
    hit = hit.join(repairs, on=["key", "field"], how="anti", maintain_order="left")
    message = "{} ({} became {}); retype the value"
    return _found(context, hit, "spreadsheet damage", "error", message)


def _broken(was: str, now: str) -> str | None:
    if now == was.encode().decode("cp1252", "replace") or now == was.encode().decode("latin-1"):
        return "broken accents: wrong encoding"
    if "?" in now and now in (was.encode(charset, "replace").decode(charset) for charset in ("cp1252", "ascii")):
        return "a letter became a question mark"
    return None


def _accented(context: CheckContext) -> pl.DataFrame:
    """Changed cells that have held more than plain letters, or hold it now."""
    beyond = r"[^\x00-\x7f]"
    cells = context.outgoing_cells.drop_nulls(["was", "now"]).filter(
        WAS.str.contains(beyond) | NOW.str.contains(beyond)
    )
    return _not_as_typed(context, cells)


def _texts(context: CheckContext) -> pl.DataFrame:
    """The changed cells of fields in which every character counts: numbers and dates are read, not compared."""
    read = [
        name
        for name, note in context.changes.head.fields.items()
        if type_named(note.type).numeric or note.type in ("date", "yes/no")
    ]
    return _not_as_typed(context, context.outgoing_cells.filter(~pl.col("field").is_in(read)))


def _not_as_typed(context: CheckContext, cells: pl.DataFrame) -> pl.DataFrame:
    return cells.filter(~pl.col("field").is_in(list(context.overrides.as_typed)))


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
    return context.findings_for(hit.select("key", "field", "was", "now"), check, level, message, effect)


CHECKS = (
    Check("repaired", "warning", restored, Override.AS_TYPED),
    Check("spreadsheet damage", "error", damaged, Override.AS_TYPED),
)

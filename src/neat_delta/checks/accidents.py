"""What a spreadsheet program does to a value behind people's backs, seen beside the live value.

Each accident is told by the pair of values: the new one is just what becomes of the old one. An edit that happens to
look so is let through with --as-typed. What was measured of real programs stands in docs/comparing.md.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue.kinds import kind_named
from neat_delta.changes.changeset import no_findings
from neat_delta.checks.damage import DAY, FAILED, POWER_OF_TEN

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.checks.trial import Trial

WAS, NOW = pl.col("was"), pl.col("now")
# A spreadsheet program keeps fifteen significant digits of a number.
SIGNIFICANT = 15
TIME = r"^\d{1,2}:\d{2}(:\d{2})?( [AP]M)?$"
DAY_OR_ISO = rf"{DAY}|^\d{{4}}-\d{{2}}-\d{{2}}$"
LIKE_A_DAY = r"^(\d{1,2}[/.-]\d{1,2}|\d{1,2}[/.-]\d{1,2}[/.-]\d{1,4}|[A-Za-z]{3}-?\d{1,2}|\d{1,2}-[A-Za-z]{3})$"

# What happened, and how it shows; the first that fits is said.
ACCIDENTS: dict[str, pl.Expr] = {
    "zeros in front were lost": WAS.str.contains(r"^\s*[+-]?0\d+$")
    & (WAS.str.strip_chars().str.replace(r"^([+-]?)0+(\d)", "${1}${2}") == NOW),
    "the plus sign in front was lost": WAS.str.contains(r"^\+\d+$")
    & (WAS.str.slice(1).str.strip_chars_start("0") == NOW),
    "a code was taken for a power of ten": WAS.str.contains(r"^\d+[eE][+-]?\d+$")
    & (NOW.str.replace(",", ".", literal=True).cast(pl.Float64, strict=False) == WAS.cast(pl.Float64, strict=False)),
    "a long number was shown as a power of ten, its digits are lost": WAS.str.contains(r"^\d{9,}$")
    & NOW.str.contains(POWER_OF_TEN),
    "the digits behind the fifteenth were lost": WAS.str.contains(rf"^\d{{{SIGNIFICANT + 1},}}$")
    & (WAS.str.head(SIGNIFICANT) == NOW.str.head(SIGNIFICANT))
    & NOW.str.slice(SIGNIFICANT).str.contains("^0*$"),
    "a code was turned into a date": WAS.str.contains(LIKE_A_DAY)
    & NOW.str.contains(DAY_OR_ISO)
    & ~WAS.str.contains(DAY_OR_ISO),
    "a code was turned into a time": WAS.str.contains(r"^\d{1,2}:\d{1,2}$") & NOW.str.contains(TIME),
    "a formula has failed": NOW.str.contains(FAILED),
}


def turned_by_a_program(trial: Trial) -> pl.DataFrame:
    """A new value is just what a spreadsheet program makes of the live one."""
    cells = _texts(trial).drop_nulls(["was", "now"])
    what = pl.coalesce([pl.when(shows).then(pl.lit(said)) for said, shows in ACCIDENTS.items()])
    hit = cells.with_columns(what=what).drop_nulls("what")
    return _found(trial, hit)


def accents_broken(trial: Trial) -> pl.DataFrame:
    """A new text is the live one with its accents read, or written, in the wrong character set."""
    cells = trial.sent.drop_nulls(["was", "now"])
    cells = _not_as_typed(trial, cells.filter(WAS.str.contains(r"[^\x00-\x7f]")))
    what = [_broken(was, now) for was, now in cells.select("was", "now").iter_rows()]
    return _found(trial, cells.with_columns(what=pl.Series(what, dtype=pl.String)).drop_nulls("what"))


def _broken(was: str, now: str) -> str | None:
    if now == was.encode().decode("cp1252", "replace") or now == was.encode().decode("latin-1"):
        return "accents were read in the wrong character set"
    if "?" in now and now in (was.encode(charset, "replace").decode(charset) for charset in ("cp1252", "ascii")):
        return "a letter was lost to a question mark"
    return None


def _texts(trial: Trial) -> pl.DataFrame:
    """The changed cells of fields in which every character counts: numbers and dates are read, not compared."""
    read = [
        name
        for name, note in trial.changes.head.fields.items()
        if kind_named(note.kind).numeric or note.kind in ("date", "flag")
    ]
    return _not_as_typed(trial, trial.sent.filter(~pl.col("field").is_in(read)))


def _not_as_typed(trial: Trial, cells: pl.DataFrame) -> pl.DataFrame:
    return cells.filter(~pl.col("field").is_in(list(trial.as_typed)))


def _found(trial: Trial, hit: pl.DataFrame) -> pl.DataFrame:
    if hit.is_empty():
        return no_findings()
    say = hit.select(
        pl.format(
            "{} ({} became {}); the live value stays, unless --as-typed {} takes it", "what", "was", "now", "field"
        )
    ).to_series()
    return trial.found(hit.select("key", "field", "was", "now"), "spreadsheet damage", "stop", say)


CHECKS: tuple[Callable[[Trial], pl.DataFrame], ...] = (turned_by_a_program, accents_broken)

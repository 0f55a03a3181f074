"""Which changed cells a spreadsheet program explains: ``now`` is what it makes of ``was`` when nobody touches it.

Each effect is one thing that such programs do when they open and save a file. A cell is explained by the first effect
that turns its live text into just the text that came back. What no effect explains is an edit.
"""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation
from itertools import product
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.replay.encodings import wrongly_read
from neat_delta.replay.numbers import LARGEST_EXPONENT, SPACES, read_numbers
from neat_delta.tables.corruption import DAY, FAILED, POWER_OF_TEN
from neat_delta.tables.field_types.flag import TRUTH

if TYPE_CHECKING:
    from collections.abc import Callable

WAS, NOW = pl.col("was"), pl.col("now")
# A program keeps fifteen significant digits of a number.
SIGNIFICANT = 15
TIME = r"^[0-9]{1,2}:[0-9]{2}(:[0-9]{2})?( ?[AP]M)?$"
DAY_OR_ISO = rf"{DAY}|^[0-9]{{4}}-[0-9]{{2}}-[0-9]{{2}}$|^[0-9]{{4}}/[0-9]{{1,2}}/[0-9]{{1,2}}$"
MONTHS = "Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec"
LIKE_A_DAY = (
    r"^([0-9]{1,2}[/.-][0-9]{1,2}|[0-9]{1,2}[/.-][0-9]{1,2}[/.-][0-9]{1,4}|[A-Za-z]{3}-?[0-9]{1,2}|"
    r"[0-9]{1,2}-[A-Za-z]{3})$"
)
# The shortest form of a number, as a cell shows it that has no number format of its own.
GENERAL = r"^-?(0|[1-9][0-9]*)([.,][0-9]*[1-9])?$"
# What these effects make has the value that the live text has to a program: nothing is lost.
EXACT = frozenset(
    ["leading zeros lost", "plus sign lost", "white space lost", "trailing zeros lost", "number format changed"]
)


def explain(cells: pl.DataFrame) -> pl.Series:
    """The effect that explains each changed cell (frame of was, now, neither null); null where none does."""
    return explain_numbers(cells).fill_null(explain_texts(cells)).alias("what")


def explain_numbers(cells: pl.DataFrame) -> pl.Series:
    """The effect on texts that a program takes for numbers."""
    found = pl.Series("what", [None] * len(cells), pl.String)
    rows = cells.select("was", "now").with_row_index("at").filter(NOW.str.contains("[0-9]") & WAS.str.contains("[0-9]"))
    if rows.is_empty():
        return found
    same = pl.lit(value=False)
    values = {(side, sign): read_numbers(rows[side], sign) for side in ("was", "now") for sign in ".,"}
    for read, saved in product(".,", ".,"):
        same = same | pl.lit((values["was", read] == values["now", saved]).fill_null(value=False))
    general = NOW.str.contains(GENERAL) | NOW.str.contains(r"%$") | NOW.str.contains(POWER_OF_TEN)
    equal = rows.filter(same)
    formatted = equal.filter(~equal.select(general).to_series())
    shown = pl.concat([equal.filter(general), _in_one_format(formatted)])
    named = shown.select("at", what=_name())
    rest = rows.join(named, on="at", how="anti").filter(
        WAS.str.contains("[0-9]{6,}|[eE]") & NOW.str.contains(r"[0-9]{15,}|[eE]\+?[0-9]+$|^[0-9.,]+$")
    )
    lost = [_digits_lost(was, now) for was, now in rest.select("was", "now").iter_rows()]
    lossy = rest.select("at").with_columns(what=pl.Series(lost, dtype=pl.String)).drop_nulls()
    all_found = pl.concat([named, lossy])
    return found.scatter(all_found["at"], all_found["what"])


def _in_one_format(cells: pl.DataFrame) -> pl.DataFrame:
    """Those of the cells with as many decimals as others of them have: a column with a number format."""
    decimals = cells.with_columns(d=NOW.str.extract(r"[.,]([0-9]+)\D*$").str.len_chars().fill_null(0))
    return decimals.filter(pl.len().over("d") >= FEWEST_ALIKE).drop("d")


FEWEST_ALIKE = 3


def _name() -> pl.Expr:
    """What a person calls the change of a number's form."""
    trimmed = WAS.str.strip_chars(SPACES)
    return (
        pl.when(trimmed != WAS)
        .then(pl.lit("white space lost"))
        .when(WAS.str.contains(r"^\+"))
        .then(pl.lit("plus sign lost"))
        .when(WAS.str.contains(r"^-?0[0-9]"))
        .then(pl.lit("leading zeros lost"))
        .when(WAS.str.contains(r"^[0-9]+[eE][+-]?[0-9]+$"))
        .then(pl.lit("code read as scientific notation"))
        .when(NOW.str.contains(POWER_OF_TEN))
        .then(pl.lit("number in scientific notation"))
        .when(WAS.str.contains(r"[.,][0-9]*0$"))
        .then(pl.lit("trailing zeros lost"))
        .otherwise(pl.lit("number format changed"))
    )


def _digits_lost(was: str, now: str) -> str | None:
    """How a long number lost digits: in scientific notation those that are not shown, else those after the 15th."""
    try:
        old, new = Decimal(was.strip(SPACES)), Decimal(now.strip(SPACES).replace(",", "."))
    except InvalidOperation:
        return None
    if not (old.is_finite() and new.is_finite() and old and new):
        return None
    if old.adjusted() > LARGEST_EXPONENT:
        return "number too large for a spreadsheet program" if new.adjusted() == LARGEST_EXPONENT else None
    mantissa, power, _ = now.lower().partition("e")
    if power:
        digits = sum(sign.isdigit() for sign in mantissa)
        return "number in scientific notation" if _is_rounded(old, new, digits) else None
    long = len(old.as_tuple().digits) > SIGNIFICANT
    return "digits after the 15th lost" if long and _is_rounded(old, new, SIGNIFICANT) else None


def _is_rounded(old: Decimal, new: Decimal, digits: int) -> bool:
    """Whether a number is the other with so many significant digits: rounded once or twice, or cut."""
    step = Decimal(1).scaleb(old.adjusted() - digits + 1)
    return new % step == 0 and abs(new - old) <= step


def explain_texts(cells: pl.DataFrame) -> pl.Series:
    """The effect on texts that are no numbers."""
    by_pattern = pl.coalesce([pl.when(shows).then(pl.lit(name)) for name, shows in PATTERNS.items()])
    found = cells.select(what=by_pattern).to_series()
    open_ones = cells.select("was", "now").with_row_index("at").filter(pl.lit(found.is_null()))
    for matches, effect in PAIRWISE:
        rows = open_ones.filter(matches)
        what = [effect(was, now) for was, now in rows.select("was", "now").iter_rows()]
        named = rows.select("at").with_columns(what=pl.Series(what, dtype=pl.String)).drop_nulls()
        found = found.scatter(named["at"], named["what"])
        open_ones = open_ones.join(named, on="at", how="anti")
    return found


def _run(was: str, now: str) -> str | None:
    """A formula's value in place of the formula."""
    text = was.strip()[1:].strip('" ').replace('""', '"')
    result = pl.Series([now])
    failed = bool(result.str.contains(FAILED).item())
    is_number = any(read_numbers(result, decimal).item() is not None for decimal in ".,")
    return "formula was run" if text == now or failed or is_number else None


def _as_day(was: str, now: str) -> str | None:
    """A date made of a code: its numbers are among those of the date."""
    old, new = _parts(was), _parts(now)
    shown = {*new, *(part % 100 for part in new)}
    return "code changed into a date" if old and all(part % 100 in shown for part in old) else None


def _as_time(was: str, now: str) -> str | None:
    """A time made of a code: the same hour and minute, on a clock of 12 or 24 hours."""
    (hour, minute), (shown, *rest) = map(int, was.split(":")), map(int, re.findall(r"[0-9]+", now))
    shown = shown % 12 + 12 if now.endswith("PM") else shown % 12 if now.endswith("AM") else shown
    return "code changed into a time" if [shown, rest[0]] == [hour, minute] else None


def _parts(text: str) -> list[int]:
    """The numbers in a text, months by their English names among them."""
    for number, month in enumerate(MONTHS.split("|"), start=1):
        text = re.sub(rf"(?i){month}[a-z]*", f" {number} ", text)
    return [int(part) for part in re.findall(r"[0-9]+", text)]


def _plain_spaces(text: pl.Expr) -> pl.Expr:
    """Every white space as a plain one; their number counts, for people do correct double spaces."""
    return text.str.replace_all("\r\n", "\n", literal=True).str.replace_all(r"[\s\u00a0\u202f\u2009]", " ")


PATTERNS: dict[str, pl.Expr] = {
    "tab lost": WAS.str.contains("\t") & (WAS.str.replace_all("\t", "") == NOW.str.replace_all("\t", "")),
    "white space changed": _plain_spaces(WAS) == _plain_spaces(NOW),
    "midnight lost": WAS.str.replace(r"[ T]00:00(:00(\.0+)?)?$", "") == NOW,
    "TRUE/FALSE was translated": pl.any_horizontal(
        (WAS.str.to_lowercase() == word) & NOW.str.to_lowercase().is_in([*others, number])
        for (word, others), number in zip(TRUTH.items(), "10", strict=True)
    ),
}  # fmt: skip
BEYOND_ASCII = r"[^\x00-\x7f]"
PAIRWISE: tuple[tuple[pl.Expr, Callable[[str, str], str | None]], ...] = (
    (WAS.str.contains(r"^\s*=") & ~NOW.str.contains(r"^\s*="), _run),
    (WAS.str.contains(r"^[0-9]{1,2}:[0-9]{1,2}$") & NOW.str.contains(TIME), _as_time),
    (WAS.str.contains(LIKE_A_DAY) & NOW.str.contains(DAY_OR_ISO) & (WAS != NOW), _as_day),
    (WAS.str.contains(BEYOND_ASCII), wrongly_read),
)

"""Which changed cells a spreadsheet program explains: ``now`` is what it makes of ``was`` when nobody touches it.

Each effect is one thing that such programs do when they open and save a file. A cell is explained by the first effect
that turns its live text into just the text that came back. What no effect explains is an edit.
"""

from __future__ import annotations

from collections import Counter
from decimal import Decimal, InvalidOperation
from itertools import product
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.replay.numbers import LARGEST_EXPONENT, SPACES, read_numbers
from neat_delta.replay.text_effects import EFFECTS
from neat_delta.tables.corruption import POWER_OF_TEN

if TYPE_CHECKING:
    from collections.abc import Iterator

WAS, NOW = pl.col("was"), pl.col("now")
# A program keeps fifteen significant digits of a number.
SIGNIFICANT = 15
# The shortest form of a number, as a cell shows it that has no number format of its own.
GENERAL = r"^-?(0|[1-9][0-9]*)([.,][0-9]*[1-9])?$"
# No program shows a zero with a sign where it read none.
SIGNED_ZERO = r"^-[0.,]+$"
# What these effects make has the value that the live text has to a program: nothing is lost.
EXACT = frozenset(
    ["leading zeros lost", "plus sign lost", "white space lost", "trailing zeros lost", "number format changed"]
)


def explain(cells: pl.DataFrame) -> pl.Series:
    """The effect that explains each changed cell of one column (frame of was, now, neither null); null: none does."""
    if cells.is_empty():
        return pl.Series("what", dtype=pl.String)
    reasons = _explain_forms(cells)
    rest = cells.select("was", "now").with_row_index("at").filter(reasons.is_null())
    parts = (_explain_texts(rest), _explain_lost_digits(rest))
    for part in parts:
        reasons = reasons.scatter(part["at"], part["what"])
    return reasons.alias("what")


def explain_forms(cells: pl.DataFrame) -> pl.Series:
    """The effect on each cell of one column (was, now) whose number came back in another form; null for any other.

    Nothing is lost in these, and there may be as many as the column has rows.
    """
    reasons = _explain_forms(cells)
    return pl.select(pl.when(reasons.is_in(sorted(EXACT))).then(reasons)).to_series().alias("what")


def _explain_forms(cells: pl.DataFrame) -> pl.Series:
    """The effect on texts that have the same value to a program."""
    plain = cells.select(_plainly_equal()).to_series()
    rows = cells.select("was", "now").with_row_index("at")
    # Most are plain numbers, which need no long look.
    may_be = [side.str.contains("[0-9]") & ~side.str.contains(WORDS) for side in (WAS, NOW)]
    others = rows.filter(~plain).filter(may_be)
    equal = rows.filter(plain) if others.is_empty() else pl.concat([rows.filter(plain), _equal_numbers(others)])
    equal = equal.sort("at").filter(~NOW.str.contains(SIGNED_ZERO))
    if equal.is_empty():
        return pl.repeat(None, len(cells), dtype=pl.String, eager=True)
    general = equal.select(NOW.str.contains(GENERAL)).to_series()
    formatted = equal.filter(~general)
    is_shown_form = formatted.select(NOW.str.contains(r"%$") | NOW.str.contains(POWER_OF_TEN)).to_series()
    shown = pl.concat(
        [equal.filter(general), formatted.filter(is_shown_form), _in_one_format(formatted.filter(~is_shown_form))]
    )
    named = shown.select("at", what=_name())
    reasons = pl.repeat(None, len(cells), dtype=pl.String, eager=True)
    return reasons.scatter(named["at"], named["what"])


def _equal_numbers(rows: pl.DataFrame) -> pl.DataFrame:
    """The rows (at, was, now) whose texts are one number, each by some decimal separator."""
    values = {(side, sign): read_numbers(rows[side], sign) for side in ("was", "now") for sign in ".,"}
    same = [(values["was", read] == values["now", saved]).fill_null(value=False) for read, saved in product(".,", ".,")]
    return rows.filter(pl.any_horizontal(*map(pl.lit, same)))


def _plainly_equal() -> pl.Expr:
    """Whether two texts are digits with at most one mark, and differ in the mark and in zeros at their ends only."""

    def shortest(side: pl.Expr) -> pl.Expr:
        mark = side.str.contains("[.,]")
        bare = pl.when(mark).then(side.str.strip_chars_end("0").str.strip_chars_end(".,")).otherwise(side)
        return bare.str.strip_chars_start("0").str.replace(",", ".", literal=True)

    digits = WAS.str.contains(PLAIN_DIGITS) & NOW.str.contains(PLAIN_DIGITS)
    return digits & (shortest(WAS) == shortest(NOW))


def _explain_lost_digits(rows: pl.DataFrame) -> pl.DataFrame:
    """The effect on numbers (at, was, now) that came back with fewer digits (at, what)."""
    rows = rows.filter(side.str.contains("[0-9]") & ~side.str.contains(WORDS) for side in (WAS, NOW))
    long = rows.filter(WAS.str.contains("[0-9]{6,}|[eE]") & NOW.str.contains(r"[0-9]{15,}|[eE]\+?[0-9]+$|^[0-9.,]+$"))
    lost = [_digits_lost(was, now) for was, now in long.select("was", "now").iter_rows()]
    lossy = long.select("at").with_columns(what=pl.Series(lost, dtype=pl.String)).drop_nulls()
    return pl.concat([lossy, _rounded_alike(rows.join(lossy, on="at", how="anti", maintain_order="left"))])


def _rounded_alike(rows: pl.DataFrame) -> pl.DataFrame:
    """Numbers that nearly all came back rounded to as many decimals: the column was saved as it is displayed."""
    numbers = rows.filter(WAS.str.contains(r"[0-9][.,][0-9]") & NOW.str.contains("[0-9]"))
    some = numbers.head(SAMPLE)
    counted = Counter(_places(some)) if len(some) >= FEWEST_ROUNDED else Counter()
    likely = [places for places, cells in counted.items() if cells >= max(FEWEST_ROUNDED, NEARLY_ALL * len(some))]
    hit = {
        at
        for places in likely
        for at, rounded in zip(numbers["at"], _rounded_to(numbers, places), strict=True)
        if rounded
    }
    return pl.DataFrame({"at": sorted(hit)}, schema={"at": pl.UInt32}).with_columns(what=pl.lit("rounded as displayed"))


def _places(cells: pl.DataFrame) -> Iterator[int]:
    """For each cell the numbers of decimals to which it may have been rounded."""
    for places in range(MOST_PLACES):
        yield from (places for rounded in _rounded_to(cells, places) if rounded)


def _rounded_to(cells: pl.DataFrame, places: int) -> list[bool]:
    """Which cells are their live number, which has more decimals, rounded to so many."""
    is_rounded = [False] * len(cells)
    if cells.is_empty():
        return is_rounded
    step = Decimal(1).scaleb(-places)
    for read, saved in product(".,", ".,"):
        pairs = zip(read_numbers(cells["was"], read), read_numbers(cells["now"], saved), strict=True)
        for at, (old, new) in enumerate(pairs):
            if old is None or new is None or len(old.partition(".")[2]) <= places:
                continue
            is_rounded[at] |= Decimal(old).quantize(step, "ROUND_HALF_UP") == Decimal(new)
    return is_rounded


def _in_one_format(cells: pl.DataFrame) -> pl.DataFrame:
    """Those of the cells with as many decimals as others of them have: a column with a number format."""
    decimals = cells.with_columns(d=NOW.str.extract(r"[.,]([0-9]+)\D*$").str.len_chars().fill_null(0))
    return decimals.filter(pl.len().over("d") >= FEWEST_ALIKE).drop("d")


FEWEST_ALIKE = 3
PLAIN_DIGITS = r"^[0-9]{1,15}([.,][0-9]{1,15})?$"
# No number has four letters in a row, whatever its currency is.
WORDS = r"\p{L}{4}"
# So many cells of a column at least, and so large a share of those that nothing else explains, are rounded alike.
FEWEST_ROUNDED, NEARLY_ALL = 5, 0.8
SAMPLE, MOST_PLACES = 500, 5


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
    if abs(old.adjusted() - new.adjusted()) > 1:  # (nor could numbers so far apart be divided)
        return False
    step = Decimal(1).scaleb(old.adjusted() - digits + 1)
    return new % step == 0 and abs(new - old) <= step


def _explain_texts(open_ones: pl.DataFrame) -> pl.DataFrame:
    """The effect on texts (at, was, now) that are no numbers (at, what)."""
    explained = [open_ones.select("at", what=pl.lit(None, pl.String)).clear()]
    for possible, effect in EFFECTS:
        if open_ones.is_empty():
            break
        rows = open_ones.filter(possible)
        if rows.is_empty():
            continue
        named = rows.select("at").with_columns(effect(rows).alias("what")).drop_nulls()
        explained.append(named)
        open_ones = open_ones.join(named, on="at", how="anti", maintain_order="left")
    return pl.concat(explained)

"""Which changed cells a spreadsheet program explains: ``now`` is what it makes of ``was`` when nobody touches it.

Each effect is one thing that such programs do when they open and save a file. A cell is explained by the first effect
that turns its live text into just the text that came back. What no effect explains is an edit.
"""

from __future__ import annotations

import re
from collections import Counter
from decimal import Decimal, InvalidOperation
from itertools import product
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.replay.encodings import wrongly_read
from neat_delta.replay.numbers import LARGEST_EXPONENT, SPACES, read_numbers
from neat_delta.tables.corruption import DAY, FAILED, POWER_OF_TEN
from neat_delta.tables.field_types.flag import TRUTH

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

WAS, NOW = pl.col("was"), pl.col("now")
# A program keeps fifteen significant digits of a number.
SIGNIFICANT = 15
TIME = r"^[0-9]{1,2}:[0-9]{2}(:[0-9]{2})?( ?[AP]M)?$"
DAY_OR_ISO = rf"{DAY}|^[0-9]{{4}}-[0-9]{{2}}-[0-9]{{2}}$|^[0-9]{{4}}/[0-9]{{1,2}}/[0-9]{{1,2}}$"
MIDNIGHT = r"[ T]00:00(:00(\.0+)?)?$"
MONTHS = "Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec"
LIKE_A_DAY = (
    r"^([0-9]{1,2}[/.-][0-9]{1,2}|[0-9]{1,2}[/.-][0-9]{1,2}[/.-][0-9]{1,4}|[A-Za-z]{3}-?[0-9]{1,2}|"
    r"[0-9]{1,2}-[A-Za-z]{3})$"
)
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
        rows = open_ones.filter(possible)
        if rows.is_empty():
            continue
        named = rows.select("at").with_columns(effect(rows).alias("what")).drop_nulls()
        explained.append(named)
        open_ones = open_ones.join(named, on="at", how="anti", maintain_order="left")
    return pl.concat(explained)


def _where(name: str, shows: pl.Expr) -> Callable[[pl.DataFrame], pl.Series]:
    """An effect that an expression over was and now shows."""
    return lambda rows: rows.select(pl.when(shows).then(pl.lit(name))).to_series()


def _each(effect: Callable[[str, str], str | None]) -> Callable[[pl.DataFrame], pl.Series]:
    """An effect that is seen text by text."""
    return lambda rows: pl.Series(
        [effect(was, now) for was, now in rows.select("was", "now").iter_rows()], dtype=pl.String
    )


def _run(was: str, now: str) -> str | None:
    """A formula's value in place of the formula."""
    text = was.strip()[1:].strip('" ').replace('""', '"')
    value = pl.Series([now])
    failed = bool(value.str.contains(FAILED).item())
    is_number = any(read_numbers(value, decimal).item() is not None for decimal in ".,")
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


def _letters(text: pl.Expr) -> pl.Expr:
    """The ASCII letters and digits, which every encoding keeps."""
    return text.str.replace_all("×", "x", literal=True).str.replace_all("[^A-Za-z0-9]", "")


BEYOND_ASCII = r"[^\x00-\x7f]"
ODD_SPACE = r"[\t\r\n\u00a0\u202f\u2009]"
WORD = WAS.str.to_lowercase()
# Each effect, behind the cells on which it is possible at all: most cells of a file are plain texts, and it is of them
# that there may be many.
EFFECTS: tuple[tuple[pl.Expr, Callable[[pl.DataFrame], pl.Series]], ...] = (
    (
        WAS.str.contains("\t", literal=True),
        _where("tab lost", WAS.str.replace_all("\t", "") == NOW.str.replace_all("\t", "")),
    ),
    (WAS.str.contains(ODD_SPACE), _where("white space changed", _plain_spaces(WAS) == _plain_spaces(NOW))),
    (WAS.str.contains("00:00", literal=True), _where("midnight lost", WAS.str.replace(MIDNIGHT, "") == NOW)),
    (
        WORD.is_in(list(TRUTH)),
        _where(
            "TRUE/FALSE was translated",
            pl.any_horizontal(
                (word == WORD) & NOW.str.to_lowercase().is_in([*others, number])
                for (word, others), number in zip(TRUTH.items(), "10", strict=True)
            ),
        ),
    ),
    (WAS.str.contains(r"^\s*=") & ~NOW.str.contains(r"^\s*="), _each(_run)),
    (WAS.str.contains(r"^[0-9]{1,2}:[0-9]{1,2}$") & NOW.str.contains(TIME), _each(_as_time)),
    (WAS.str.contains(LIKE_A_DAY) & NOW.str.contains(DAY_OR_ISO) & (WAS != NOW), _each(_as_day)),
    (WAS.str.contains(BEYOND_ASCII) & (_letters(WAS) == _letters(NOW)), _each(wrongly_read)),
)

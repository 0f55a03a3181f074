"""Numbers as people and programs write them, read exactly: text to plain decimal text, never through a float.

A reading is the shortest plain form: "-12.5", "0", "1234". Which mark is the decimal one is judged cell by cell
where the cell alone decides (12,5 · 1.234,50 · 0,350), and by the rest of the column where it does not (1.234).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types.field_type import has_any

if TYPE_CHECKING:
    from neat_delta.tables.field_types.field_type import EditedColumn, FormatOverrides

PLAIN = r"^[+-]?(0|[1-9][0-9]*)$"
_GROUPS_OF = r"^[+-]?[1-9][0-9]{{0,2}}({mark}[0-9]{{3}})+"
# What most columns hold, and nobody can take for another number: 7, 12.50, 12,5, -0.125, but not 1.234.
SIMPLE = r"^-?(?:0|[1-9][0-9]*)(?:[.,](?:[0-9]{1,2}|[0-9]{4,}))?$|^-?(?:0|[1-9][0-9]{3,})[.,][0-9]{3}$"
# Likewise in a column whose decimal separator is the comma: 7, 12,50, 1,234.
SIMPLE_WITH_COMMA = r"^-?(?:0|[1-9][0-9]*)(?:,[0-9]+)?$"
# One mark and three digits after it, with nothing to say which mark it is: 1.234
UNDECIDED = r"^[+-]?[1-9][0-9]{0,2}[.,][0-9]{3}$"
_DECIMAL = r"^[+-]?(0|[1-9][0-9]*)?{mark}[0-9]+$"
SPACE = "[ \u00a0\u202f]"
APOSTROPHES = "['\u2019]"
# What people write beside an amount, and the decimals of a round one in Swiss style ("12.–").
CURRENCY = r"(?:[€$£¥₹₺₽￥]|EUR|USD|GBP|CHF|SEK|NOK|DKK|PLN|CZK|TRY|JPY|zł|kr\.?|Kč|Fr\.?|TL|円)"
ROUND = r"[.,][-–—]{1,2}$"
# Thousands in groups of two, as in India.
_INDIAN = r"^[+-]?[1-9][0-9]?(,[0-9]{2})+,[0-9]{3}(\.[0-9]+)?$"
# Digits and separators of other scripts: full-width, Arabic-Indic, Persian, Devanagari.
_DIGITS = {chr(start + digit): str(digit) for start in (0xFF10, 0x660, 0x6F0, 0x966) for digit in range(10)}
_SIGNS = _DIGITS | {"．": ".", "，": ",", "٫": ".", "٬": ",", "−": "-", "\u2009": " ", "\u2007": " "}
# What is reckoned with is exact; no price, stock or measure has more digits before its mark than that has room for.
MOST_DIGITS = 26
# A program shows all numbers of a column with the same decimals, but for a cell here and there.
FEW_OTHERWISE, OTHERWISE_SHOWN = 2, 0.02
# What may stand between thousands besides the other decimal separator.
GROUPS = (",", ".", " ", "\u00a0", "\u202f", "'", "\u2019")


@dataclass(frozen=True)
class NumberFormat:
    """How a column writes numbers.

    ``decimal_separator``: ``None`` where it shows none or two. ``decimals``: the number of decimals
    if all values with any have the same; ``bare`` says that whole numbers have none all the same. ``group``: what
    is between thousands, if anything. ``fine``: whether it has values with three decimals, so that "1.234" may well
    be a small number. ``simple``: whether all its values are known to be numbers that need no thought.
    """

    decimal_separator: str | None
    decimals: int | None = None
    group: str | None = None
    three_decimals: bool = False
    unpadded_integers: bool = False
    unambiguous: bool = field(default=False, compare=False)
    lenient: bool = field(default=False, compare=False)
    """Whether amounts may have a currency, and digits be of another script: in what people type, not in an export."""


def infer_number_format(values: pl.Series, overrides: FormatOverrides | None = None) -> NumberFormat:
    """The form of a live column, from its distinct filled values and what is given of it."""
    simple = all_simple(values)
    points, commas = _evidence(values, simple=simple)
    # A column that decides nothing itself takes its file's mark.
    separator = (
        ("," if commas else ".") if points != commas else (overrides.decimal_separator if overrides else None) or "."
    )
    differing = () if simple else GROUPS
    groups = [group for group in differing if group != separator and _has_groups(values, group)]
    decimals = values.str.extract(rf"[{separator}]([0-9]+)$").str.len_chars()
    fraction = decimals.drop_nulls().unique()
    settings = None if overrides is None else overrides.decimals
    shown = fraction.item() if len(fraction) == 1 else None
    return NumberFormat(
        separator,
        decimals=shown if settings is None else settings,
        unpadded_integers=settings is None and decimals.has_nulls(),
        group=groups[0] if groups else None,
        three_decimals=3 in fraction,
        unambiguous=simple,
    )


def infer_edited_number_format(sheet: EditedColumn, live_format: NumberFormat) -> NumberFormat:
    """The form of an edited column: the mark it shows without doubt, else the one that the sheet shows elsewhere.

    Where a cell may be read in two ways, all cells of the column are heard, those that do not differ included; and a
    column that is there as in the live export has its mark.
    """
    simple = all_simple(sheet.cells)
    in_doubt = not simple and bool(sheet.cells.str.contains(UNDECIDED).any())
    whole = sheet.whole if in_doubt and sheet.whole is not None else sheet.cells
    points, commas = _evidence(whole, simple=simple and whole is sheet.cells)
    separator = sheet.decimal_separator if not points and not commas else None
    if points != commas:
        separator = "." if points else ","
    if separator is None and not points and in_doubt and sheet.whole is not None and sheet.whole_was is not None:
        marked = sheet.whole.filter(sheet.whole.str.contains("[.,]"))
        separator = live_format.decimal_separator if marked.is_in(sheet.whole_was.implode()).any() else None
    return NumberFormat(separator, three_decimals=live_format.three_decimals, unambiguous=simple, lenient=not simple)


def normalize_numbers(cells: pl.Series, form: NumberFormat) -> pl.Series:
    """Readings of cells; null where a cell is no number, has too many digits, or cannot be identified one."""
    readings = _readings(cells, form)
    if _longest(readings) <= MOST_DIGITS:
        return readings
    too_many = readings.str.contains(rf"^-?[0-9]{{{MOST_DIGITS + 1}}}")
    return readings.to_frame("n").select(pl.when(~too_many).then("n")).to_series().alias(readings.name)


def _readings(cells: pl.Series, form: NumberFormat) -> pl.Series:
    if all_simple(cells) or (form.decimal_separator == "," and bool(cells.str.contains(SIMPLE_WITH_COMMA).all())):
        return cells.to_frame("c").select(_trimmed(pl.col("c").str.replace(",", ".", literal=True))).to_series()
    text = pl.col("c")
    if form.lenient:
        # Digits of two scripts in one number are a slip, or a trick (Unicode Technical Standard 39, section 5.3).
        western = text.str.replace_many(list(_SIGNS), list(_SIGNS.values()))
        mixed = text.str.contains("[0-9]") & text.str.contains(f"[{''.join(_DIGITS)}]")
        text = pl.when(mixed).then(text).otherwise(western)
        text = text.str.strip_chars(" \t\u00a0\u202f").str.replace(rf"^([+-]?){CURRENCY}\s?", "${1}")
        text = text.str.replace(rf"\s?{CURRENCY}$", "").str.replace(ROUND, "")
    text = text.str.strip_chars(" \t\u00a0\u202f")
    spaced = text.str.contains(rf"^[+-]?[0-9]{{1,3}}({SPACE}[0-9]{{3}}|{APOSTROPHES}[0-9]{{3}})+([.,][0-9]+)?$")
    joined = pl.when(spaced).then(text.str.replace_all(rf"{SPACE}|{APOSTROPHES}", "")).otherwise(text)
    frame = cells.to_frame("c").select(t=joined)
    t = pl.col("t")
    without = {separator: t.str.replace_all(separator, "", literal=True) for separator in ".,"}
    comma_to_point = t.str.replace(",", ".", literal=True)
    undecided = t.str.contains(UNDECIDED)
    decimal_in_form = t.str.contains(form.decimal_separator or "no mark", literal=True)
    grouped_in_form = pl.lit(form.decimal_separator is not None and not form.three_decimals) & ~decimal_in_form
    plain = (
        pl.when(t.str.contains(PLAIN))
        .then(t)
        .when(undecided & decimal_in_form)
        .then(comma_to_point)
        .when(undecided & grouped_in_form)
        .then(t.str.replace_all("[.,]", ""))
        .when(undecided)
        .then(None)
        .when(t.str.contains(_DECIMAL.format(mark=r"\.")))
        .then(t)
        .when(t.str.contains(_DECIMAL.format(mark=",")))
        .then(comma_to_point)
        .when(t.str.contains(_GROUPS_OF.format(mark=",") + r"(\.[0-9]+)?$"))
        .then(without[","])
        .when(t.str.contains(_GROUPS_OF.format(mark=r"\.") + r"(,[0-9]+)?$"))
        .then(without["."].str.replace(",", ".", literal=True))
        .when(t.str.contains(_INDIAN))
        .then(without[","])
    )
    return frame.select(plain.alias("p")).select(_shortest(pl.col("p"))).to_series()


def format_numbers(readings: pl.Series, form: NumberFormat) -> pl.Series:
    """Readings in a column's form: its mark, its number of decimals (or more, never fewer), its groups."""
    number = pl.col("n")
    sign = pl.when(number.str.starts_with("-")).then(pl.lit("-")).otherwise(pl.lit(""))
    whole = number.str.extract(r"^-?([0-9]+)")
    fraction = number.str.extract(r"\.([0-9]+)$").fill_null("")
    if form.decimals:
        padded = fraction.str.pad_end(form.decimals, "0")
        fraction = pl.when(fraction == "").then(pl.lit("")).otherwise(padded) if form.unpadded_integers else padded
    if form.group:
        threes = whole.str.reverse().str.replace_all(r"([0-9]{3})", "${1}" + form.group)
        whole = threes.str.strip_suffix(form.group).str.reverse()
    tail = pl.when(fraction != "").then(pl.lit(form.decimal_separator or ".") + fraction).otherwise(pl.lit(""))
    return readings.to_frame("n").select(sign + whole + tail).to_series()


def _shortest(plain: pl.Expr) -> pl.Expr:
    unsigned = plain.str.strip_prefix("+")
    full = (
        pl.when(unsigned.str.contains(r"^-?\.")).then(unsigned.str.replace(".", "0.", literal=True)).otherwise(unsigned)
    )
    return _trimmed(full)


def _trimmed(full: pl.Expr) -> pl.Expr:
    """Numbers without the zeros that end their decimals."""
    short = (
        pl.when(full.str.contains(".", literal=True))
        .then(full.str.strip_chars_end("0").str.strip_suffix("."))
        .otherwise(full)
    )
    return pl.when(short == "-0").then(pl.lit("0")).otherwise(short)


def all_simple(cells: pl.Series) -> bool:
    """Whether all cells are numbers that need no thought; one pattern instead of a dozen."""
    return bool(cells.str.contains(SIMPLE).all()) and _longest(cells) <= MOST_DIGITS


def _longest(cells: pl.Series) -> int:
    return int(cells.str.len_bytes().max() or 0)  # type: ignore[arg-type]


def same_but_for_separator(
    cells: pl.Series, form: NumberFormat, others: pl.Series, their_form: NumberFormat
) -> pl.Series | None:
    """Which cells are another text's number with a comma for its point; ``None`` where one needs any thought."""
    if not (form.unambiguous and their_form.unambiguous):
        return None
    return cells.str.replace(",", ".", literal=True) == others


def _evidence(cells: pl.Series, *, simple: bool) -> tuple[bool, bool]:
    """Whether some cell shows without doubt that the point, and that the comma, is the decimal separator."""
    if simple:
        return has_any(cells, "."), has_any(cells, ",")
    decided = cells.filter(~cells.str.contains(UNDECIDED))
    return tuple(  # type: ignore[return-value]
        bool(decided.str.contains(_DECIMAL.format(mark=separator)).any())
        or bool(decided.str.contains(_GROUPS_OF.format(mark=other) + rf"({separator}[0-9]+)$").any())
        or bool(decided.str.contains(rf"^[+-]?[1-9][0-9]{{0,2}}({other}[0-9]{{3}}){{2,}}$").any())
        for separator, other in ((r"\.", ","), (",", r"\."))
    )


def in_two_forms(values: pl.Series) -> pl.Series | None:
    """Which numbers have both marks, if they have them in either order: 1,234.50 and 1.234,50; ``None`` if not."""
    points, commas = (
        values.str.contains(rf"^\s*[+-]?[0-9]{{1,3}}({group}[0-9]{{3}})+{mark}[0-9]+\s*$")
        for group, mark in ((",", r"\."), (r"\.", ","))
    )
    return points | commas if points.any() and commas.any() else None


def decided_separator(values: pl.Series) -> str | None:
    """The decimal separator that some values show without doubt; ``None`` if they show none or both."""
    points, commas = _evidence(values, simple=all_simple(values))
    return None if points == commas else "." if points else ","


def _has_groups(values: pl.Series, group: str) -> bool:
    pattern = _GROUPS_OF.format(mark=r"\." if group == "." else group)
    return bool(values.str.contains(pattern + r"([.,][0-9]+)?$").any())


def decimals_shown(texts: pl.Series) -> int | None:
    """With how many decimals numbers are written, if nearly all have as many."""
    decimals = texts.str.extract(r"[.,]([0-9]+)\D*$").str.len_chars().fill_null(0).value_counts(sort=True)
    if decimals.is_empty() or len(texts) - decimals["count"][0] > max(FEW_OTHERWISE, OTHERWISE_SHOWN * len(texts)):
        return None
    return int(decimals.row(0)[0])

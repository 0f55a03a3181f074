"""Texts that a spreadsheet program takes for numbers, whatever they were meant as, and the value it sees in them.

A value is plain decimal text in its shortest form: "-12.5", "0", "1234". It is exact: no float takes part.
"""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

import polars as pl

# White space of Unicode that programs ignore around a number.
SPACES = " \t\r\n\u00a0\u2007\u2009\u202f"
CURRENCY = (
    r"(?:[A-Z]{0,3}\p{Sc}|EUR|USD|GBP|CHF|SEK|NOK|DKK|PLN|CZK|HUF|RON|TRY|BRL|JPY|zł|[Kk]r\.?|Kč|Fr\.?|"
    r"Ft|lei|лв\.?|руб\.?|Rp|RM|R)"
)
# Between thousands: the other separator, or one of these in any language.
GROUPS = r" \u00a0\u2009\u202f'\u2019"
# A program has no larger exponent (IEEE 754, binary64).
LARGEST_EXPONENT = 308


def read_numbers(cells: pl.Series, decimal: str) -> pl.Series:
    """The value of each cell to a program with this decimal separator; null where it is no number to it.

    Read as numbers are: leading zeros, a plus sign, white space around, thousands in groups (of two in front, as in
    India), currency signs, percentages (as their hundredth), powers of ten, a minus sign behind, and brackets for a
    negative amount.
    """
    if cells.is_empty():
        return cells
    simple = cells.str.contains(rf"^-?[0-9]+(?:{re.escape(decimal)}[0-9]+)?$").fill_null(value=False)
    values = _shortest(cells.filter(simple), decimal)
    if simple.all():
        return values.rename(cells.name)
    numbers = pl.repeat(None, len(cells), dtype=pl.String, eager=True).scatter(simple.arg_true(), values)
    at = (~simple & cells.str.contains("[0-9]")).arg_true()
    return numbers.scatter(at, _read_others(cells.gather(at), decimal)).rename(cells.name)


def _read_others(cells: pl.Series, decimal: str) -> pl.Series:
    """The values of cells that are more than digits and a separator."""
    if cells.is_empty():
        return cells
    other = "." if decimal == "," else ","
    d, g = re.escape(decimal), re.escape(other)
    text = pl.col("c").str.strip_chars(SPACES)
    text = text.str.replace(rf"^([+-]?){CURRENCY}\s?", "${1}").str.replace(rf"\s?{CURRENCY}$", "")
    text = text.str.replace(r"^\((.+)\)$", "-${1}").str.replace(r"^([0-9].*)-$", "-${1}")
    text = text.str.replace(r"^%\s?([0-9].*)$", "${1}%")
    plain = rf"^[+-]?([0-9]+({d}[0-9]*)?|{d}[0-9]+)$"
    threes, twos = rf"[1-9][0-9]{{0,2}}([{g}{GROUPS}][0-9]{{3}})+", rf"[1-9][0-9]?({g}[0-9]{{2}})+{g}[0-9]{{3}}"
    frame = cells.to_frame("c").select(t=text)
    t = pl.col("t")
    numeral = (
        pl.when(t.str.contains(plain))
        .then(t)
        .when(t.str.contains(rf"^[+-]?({threes}|{twos})({d}[0-9]+)?$"))
        .then(t.str.replace_all(rf"[{g}{GROUPS}]", ""))
    )
    values = _shortest(frame.select(numeral).to_series(), decimal)
    rest = frame.filter(values.is_null() & t.str.contains(r"^[+-]?[0-9.,]+\s?(%|[eE][+-]?[0-9]{1,3})$"))["t"].unique()
    if rest.is_empty():
        return values
    special = {one: _scaled(one, decimal, other) for one in rest}
    return values.fill_null(frame.select(t.replace_strict(special, default=None, return_dtype=pl.String)).to_series())


def _shortest(numerals: pl.Series, decimal: str) -> pl.Series:
    """Numerals without plus sign, without zeros in front of them and behind their decimals."""
    if numerals.is_empty():
        return numerals
    numeral = pl.col("numeral")
    parts = numeral.str.strip_chars_start("+-").str.splitn(decimal, 2).struct.rename_fields(["whole", "fraction"])
    frame = numerals.to_frame("numeral").lazy().select(parts.struct.unnest(), negative=numeral.str.starts_with("-"))
    whole = pl.col("whole").str.strip_chars_start("0")
    fraction = pl.col("fraction").fill_null("").str.strip_chars_end("0")
    value = pl.when(whole == "").then(pl.lit("0")).otherwise(whole)
    value = pl.when(fraction == "").then(value).otherwise(value + "." + fraction)
    signed = pl.when(pl.col("negative") & (value != "0")).then("-" + value).otherwise(value)
    return frame.select(pl.when(pl.col("whole").is_not_null()).then(signed)).collect().to_series()


def _scaled(text: str, decimal: str, other: str) -> str | None:
    """The value of a percentage or a power of ten."""
    numeral = text.rstrip("%").strip(SPACES)
    if other in numeral:
        o, d = re.escape(other), re.escape(decimal)
        if not re.fullmatch(rf"[+-]?[1-9][0-9]{{0,2}}({o}[0-9]{{3}})+({d}[0-9]*)?", numeral):
            return None
        numeral = numeral.replace(other, "")
    try:
        value = Decimal(numeral.replace(decimal, "."))
    except InvalidOperation:
        return None
    if value.adjusted() > LARGEST_EXPONENT:
        return None
    return shortest(value / 100 if text.endswith("%") else value)


def shortest(value: Decimal) -> str:
    """A number as plain decimal text in its shortest form."""
    text = format(value, "f")
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in ("-0", "") else text

"""Texts that a spreadsheet program would run as a formula: told, kept from it by an apostrophe, and freed of it again.

What such a program takes for a formula begins with ``= + - @`` or their full-width forms; some pass over white space,
tabs and line ends in front. Numbers with a sign are no formulas. Escaping and unescaping undo each other for any text.
"""

from __future__ import annotations

import re

import polars as pl

# Written so that the engine's regular expressions and those of Python mean the same.
_SPACE = "[\\s\\x00-\\x20\x85\xa0\u200b\ufeff]*"
_START = "[=@+\\-＝＠＋－]"
_SIGNED_NUMBER = f"^{_SPACE}[+-][0-9., '\xa0\u202f]*[0-9.,](?:[eE][+-]?[0-9]{{1,3}})?[ \xa0]?%?[ \xa0]*\\z"
FORMULA_START = f"^{_SPACE}{_START}"
# What was escaped, or would look so: as many apostrophes as it was escaped times.
ESCAPED_FORMULA = f"^'+{_SPACE}{_START}"


def runs_as_formula(text: pl.Expr) -> pl.Expr:
    """Whether a spreadsheet program may run a text as a formula."""
    return text.str.contains(FORMULA_START) & ~text.str.contains(_SIGNED_NUMBER)


def escaped(text: pl.Expr) -> pl.Expr:
    """Texts for a file that people open: with an apostrophe where they would be run, or where they look so escaped."""
    harmless = ~runs_as_formula(text) & ~text.str.contains(ESCAPED_FORMULA)
    return pl.when(harmless).then(text).otherwise("'" + text)


def unescaped(text: pl.Expr) -> pl.Expr:
    """The texts that were escaped."""
    return pl.when(~text.str.contains(ESCAPED_FORMULA)).then(text).otherwise(text.str.slice(1))


def escaped_text(text: str) -> str:
    """One text for a file that people open."""
    run = re.match(FORMULA_START, text) and not re.match(_SIGNED_NUMBER.replace(r"\z", r"\Z"), text)
    return f"'{text}" if run or re.match(ESCAPED_FORMULA, text) else text


def escaped_series(texts: pl.Series) -> pl.Series:
    """A column of texts for a file that people open."""
    return texts.to_frame("text").select(escaped(pl.col("text"))).to_series().alias(texts.name)


def unescaped_unless(texts: pl.Series, shop_values: pl.Series) -> pl.Series:
    """A column that comes back from people, freed of apostrophes where a text is not known just as it is."""
    if not texts.str.starts_with("'").any():
        return texts
    frame = texts.to_frame("text")
    here = pl.col("text").is_in(shop_values.implode())
    return frame.select(pl.when(here).then("text").otherwise(unescaped(pl.col("text"))).alias(texts.name)).to_series()

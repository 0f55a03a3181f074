"""Functions of texts; what makes a text longer knows by how much, and stops where it would be too long."""

from __future__ import annotations

import re

import polars as pl

from neat_delta.expressions.value import (
    NUMBER,
    TEXT,
    TRUTH,
    Value,
    as_number,
    as_text,
    constant_text,
    constant_whole,
    decimal,
    grown,
)

# As much as a cell of a workbook holds (ECMA-376).
LONGEST_PAD = 32_767


def join(left: Value, right: Value) -> Value:
    """Two texts behind each other (``||``); nothing where one of them is nothing."""
    a, b = as_text(left, "||"), as_text(right, "||")
    return grown(pl.concat_str(a.expr, b.expr), a.longest + b.longest)


def concat(*values: Value) -> Value:
    """Texts behind each other; blanks are passed over."""
    return concat_ws(Value(pl.lit(""), TEXT, constant=""), *values)


def concat_ws(separator: Value, *values: Value) -> Value:
    """Texts behind each other with a separator between them; blanks are passed over."""
    between = constant_text(separator, "concat_ws(separator, a, b)")
    texts = [as_text(value, "concat(a, b)") for value in values]
    joined = pl.concat_str([text.expr for text in texts], separator=between, ignore_nulls=True)
    return grown(joined, sum(text.longest + len(between) for text in texts))


def upper(value: Value) -> Value:
    """The text in capital letters."""
    text = as_text(value, "upper(x)")
    return Value(text.expr.str.to_uppercase(), TEXT, longest=3 * text.longest)


def lower(value: Value) -> Value:
    """The text in small letters."""
    text = as_text(value, "lower(x)")
    return Value(text.expr.str.to_lowercase(), TEXT, longest=3 * text.longest)


def initcap(value: Value) -> Value:
    """The text with a capital letter at the beginning of each word."""
    text = as_text(value, "initcap(x)")
    return Value(text.expr.str.to_titlecase(), TEXT, longest=3 * text.longest)


def reverse(value: Value) -> Value:
    """The text from behind."""
    text = as_text(value, "reverse(x)")
    return Value(text.expr.str.reverse(), TEXT, longest=text.longest)


def length(value: Value) -> Value:
    """How many characters a text has."""
    return Value(as_text(value, "length(x)").expr.str.len_chars().cast(decimal(0)), NUMBER)


def left(value: Value, count: Value) -> Value:
    """The first so many characters; -2 is all but the last two."""
    text, most = as_text(value, "left(x, n)"), constant_whole(count, "left(x, n)", -LONGEST_PAD, LONGEST_PAD)
    return Value(text.expr.str.head(most), TEXT, longest=text.longest)


def right(value: Value, count: Value) -> Value:
    """The last so many characters; -2 is all but the first two."""
    text, most = as_text(value, "right(x, n)"), constant_whole(count, "right(x, n)", -LONGEST_PAD, LONGEST_PAD)
    return Value(text.expr.str.tail(most), TEXT, longest=text.longest)


def substring(value: Value, start: Value, count: Value | None = None) -> Value:
    """A part of a text, from a character on (the first is 1), of so many characters or to the end."""
    text, first = as_text(value, "substr(x, start, n)"), constant_whole(start, "substr(x, start, n)", 1, LONGEST_PAD)
    most = None if count is None else constant_whole(count, "substr(x, start, n)", 0, LONGEST_PAD)
    return Value(text.expr.str.slice(first - 1, most), TEXT, longest=text.longest)


def trim(value: Value, characters: Value | None = None) -> Value:
    """The text without spaces, or these characters, at both ends."""
    text = as_text(value, "trim(x)")
    return Value(text.expr.str.strip_chars(_characters(characters)), TEXT, longest=text.longest)


def trim_start(value: Value, characters: Value | None = None) -> Value:
    """The text without spaces, or these characters, in front."""
    text = as_text(value, "ltrim(x)")
    return Value(text.expr.str.strip_chars_start(_characters(characters)), TEXT, longest=text.longest)


def trim_end(value: Value, characters: Value | None = None) -> Value:
    """The text without spaces, or these characters, behind."""
    text = as_text(value, "rtrim(x)")
    return Value(text.expr.str.strip_chars_end(_characters(characters)), TEXT, longest=text.longest)


def pad_start(value: Value, count: Value, fill: Value | None = None) -> Value:
    """The text with so many characters, filled up in front, cut off behind."""
    text, size, filling = _pad(value, count, fill, "lpad(x, n, fill)")
    return grown(pl.concat_str(filling, text.expr.str.head(size)), size)


def pad_end(value: Value, count: Value, fill: Value | None = None) -> Value:
    """The text with so many characters, filled up or cut off behind."""
    text, size, filling = _pad(value, count, fill, "rpad(x, n, fill)")
    return grown(pl.concat_str(text.expr.str.head(size), filling), size)


def replace(value: Value, old: Value, new: Value) -> Value:
    """The text with each occurrence of one text replaced by another."""
    text = as_text(value, "replace(x, old, new)")
    was, now = constant_text(old, "replace(x, old, new)"), constant_text(new, "replace(x, old, new)")
    if not was:
        return text
    longer = max(0, len(now) - len(was)) * (text.longest // len(was))
    return grown(text.expr.str.replace_all(was, now, literal=True), text.longest + longer)


def split_part(value: Value, delimiter: Value, number: Value) -> Value:
    """The so-manieth part of a text between delimiters, counted from 1; empty where there are fewer."""
    what = "split_part(x, delimiter, n)"
    text, between = as_text(value, what), constant_text(delimiter, what)
    at = constant_whole(number, what, 1, LONGEST_PAD)
    parts = text.expr.str.split(between).list.get(at - 1, null_on_oob=True)
    return Value(pl.when(text.expr.is_not_null()).then(parts.fill_null("")), TEXT, longest=text.longest)


def starts_with(value: Value, start: Value) -> Value:
    """Whether a text begins so."""
    what = "starts_with(x, text)"
    return Value(as_text(value, what).expr.str.starts_with(constant_text(start, what)), TRUTH)


def ends_with(value: Value, end: Value) -> Value:
    """Whether a text ends so."""
    what = "ends_with(x, text)"
    return Value(as_text(value, what).expr.str.ends_with(constant_text(end, what)), TRUTH)


def contains(value: Value, part: Value) -> Value:
    """Whether a text has this in it."""
    what = "contains(x, text)"
    return Value(as_text(value, what).expr.str.contains(constant_text(part, what), literal=True), TRUTH)


def matches(value: Value, pattern: Value) -> Value:
    """Whether a regular expression is found in a text; the engine's take time in proportion to the text."""
    what = "regexp_like(x, pattern)"
    return Value(as_text(value, what).expr.str.contains(constant_text(pattern, what)), TRUTH)


def like(value: Value, pattern: Value, escape: str = "\\", *, any_case: bool = False) -> Value:
    """Whether a text is of a pattern in which % is any characters and _ is any one."""
    text = as_text(value, "LIKE")
    parts, signs = [], iter(constant_text(pattern, "LIKE"))
    for sign in signs:
        if sign == escape:
            parts.append(re.escape(next(signs, escape)))
        else:
            parts.append({"%": ".*", "_": "."}.get(sign, re.escape(sign)))
    return Value(text.expr.str.contains(f"^(?s{'i' if any_case else ''}:{''.join(parts)})$"), TRUTH)


def as_decimal(value: Value, scale: int) -> Value:
    """A text read as a number with so many decimals; nothing where it is none, or too long."""
    text = value.expr.str.strip_chars()
    plain = pl.when(text.str.contains(r"^[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)$")).then(text)
    return Value(plain.cast(decimal(scale), strict=False), NUMBER, scale)


def as_plain_number(value: Value) -> Value:
    """A number or a text of digits as a number."""
    return as_decimal(value, 6) if value.kind == TEXT else as_number(value, "cast")


def _characters(given: Value | None) -> str | None:
    return None if given is None else constant_text(given, "trim(x, characters)")


def _pad(value: Value, count: Value, fill: Value | None, what: str) -> tuple[Value, int, pl.Expr]:
    """The text, the wanted length, and what is lacking to it."""
    text, size = as_text(value, what), constant_whole(count, what, 0, LONGEST_PAD)
    signs = " " if fill is None else constant_text(fill, what)
    filling = pl.lit((signs * size)[:size])
    lacking = (size - text.expr.str.len_chars().cast(pl.Int64)).clip(lower_bound=0)
    return text, size, pl.when(text.expr.is_not_null()).then(filling.str.slice(0, lacking))

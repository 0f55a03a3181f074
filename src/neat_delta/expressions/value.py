"""What a part of an expression is: a column expression of the engine with its type, and how types go together."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import NeatDeltaError

if TYPE_CHECKING:
    from collections.abc import Sequence

NUMBER, FLAG, TEXT, TRUTH, NOTHING = "a number", "a flag", "a text", "true or false", "nothing"
# Digits that a decimal of the engine holds, and how many of them may stand behind the decimal point.
DIGITS, MOST_DECIMALS = 38, 28
# No text that is computed may grow beyond this, whatever is nested in what.
LONGEST_TEXT = 1_000_000


class ExpressionError(NeatDeltaError):
    """An expression that cannot be read, names what it may not, or whose parts do not go together."""


class TooLarge(ExpressionError):
    """A number that has more digits than can be kept exactly."""


def decimal(scale: int) -> pl.Decimal:
    """The engine's type of numbers with so many decimals."""
    return pl.Decimal(DIGITS, scale)


@dataclass(frozen=True)
class Value:
    """A part of an expression.

    ``scale`` is the number of decimals of a number; ``exact`` is false for what a division has rounded. ``longest`` is
    the most characters a text can have. ``constant`` is what is there literally, if the part is a literal.
    """

    expr: pl.Expr
    kind: str
    scale: int = 0
    exact: bool = True
    longest: int = 0
    constant: Decimal | str | None = None


def number_literal(text: str) -> Value:
    """A number as it was written, such as ``1.05`` or ``1.05e0``; always an exact decimal."""
    try:
        number = Decimal(text)
    except InvalidOperation as error:
        raise ExpressionError(f"{text[:40]} is not a number") from error
    # Looked at before anything is computed, for a number of five letters may have a billion digits.
    if not number.is_finite() or abs(number.adjusted()) > DIGITS or len(number.as_tuple().digits) > DIGITS:
        raise ExpressionError(f"the number {text[:40]} has too many digits")
    scale = max(0, -int(number.normalize().as_tuple().exponent))
    if number.adjusted() + 1 + scale > DIGITS or scale > MOST_DECIMALS:
        raise ExpressionError(f"the number {text[:40]} has too many digits")
    plain = Decimal(f"{number:.{scale}f}")
    return Value(pl.lit(plain, dtype=decimal(scale)), NUMBER, scale, constant=plain)


def text_literal(text: str) -> Value:
    """A text in quotes."""
    return Value(pl.lit(text, dtype=pl.String), TEXT, longest=len(text), constant=text)


def nothing() -> Value:
    """NULL, or a column without any value, which goes together with everything."""
    return Value(pl.lit(None), NOTHING)


def column(values: pl.Series) -> Value:
    """A column of the frame that an expression is computed over."""
    if values.dtype in (pl.String, pl.Null) and 0 < values.null_count() == len(values):
        return nothing()
    expr = pl.col(values.name)
    if isinstance(values.dtype, pl.Decimal):
        scale = _needed_decimals(values)
        return Value(expr if scale == values.dtype.scale else expr.cast(decimal(scale)), NUMBER, scale)
    if values.dtype == pl.Boolean:
        return Value(expr, TRUTH)
    if values.dtype.is_integer():
        return Value(expr, FLAG)
    return Value(expr, TEXT, longest=int(str(values.str.len_chars().max() or 0)))


def _needed_decimals(values: pl.Series) -> int:
    """How many decimals a column has indeed, so that as much room as possible is left for what is computed with it."""
    scale = values.dtype.scale if isinstance(values.dtype, pl.Decimal) else 0
    fewer = (few for few in (0, 2, 4, 6) if few < scale)
    return next((few for few in fewer if (values.round(few) == values).all()), scale)


def as_number(value: Value, what: str) -> Value:
    """The same as a number; ``what`` wants it, for the message.

    Raises:
        ExpressionError: it is a text, or true or false.
    """
    if value.kind == NUMBER:
        return value
    if value.kind == FLAG:
        return replace(value, expr=value.expr.cast(decimal(0)), kind=NUMBER)
    if value.kind == NOTHING:
        return Value(pl.lit(None, dtype=decimal(0)), NUMBER)
    raise ExpressionError(f"{what} needs a number, not {_shown(value)}")


def as_text(value: Value, what: str) -> Value:
    """The same as a text.

    Raises:
        ExpressionError: it is true or false.
    """
    if value.kind == TEXT:
        return value
    if value.kind == NOTHING:
        return Value(pl.lit(None, dtype=pl.String), TEXT)
    if value.kind == FLAG:
        return Value(value.expr.cast(pl.String), TEXT, longest=DIGITS)
    if value.kind == NUMBER:
        text = value.expr.cast(pl.String)
        # 12.50 is the number 12.5; which decimals a column happens to have is no part of it.
        plain = text.str.strip_chars_end("0").str.strip_suffix(".") if value.scale else text
        return Value(plain, TEXT, longest=DIGITS + 2)
    raise ExpressionError(f"{what} needs a text, not {_shown(value)}")


def as_truth(value: Value, what: str) -> Value:
    """The same as true or false; a flag is true where it is 1.

    Raises:
        ExpressionError: it is a number or a text.
    """
    if value.kind == TRUTH:
        return value
    if value.kind == FLAG:
        return Value(value.expr != 0, TRUTH)
    if value.kind == NOTHING:
        return Value(pl.lit(None, dtype=pl.Boolean), TRUTH)
    raise ExpressionError(f"{what} needs true or false, not {_shown(value)}")


def constant_text(value: Value, what: str) -> str:
    """The text that is there literally.

    Raises:
        ExpressionError: it is none.
    """
    if not isinstance(value.constant, str):
        raise ExpressionError(f"{what} needs a text in quotes")
    return value.constant


def constant_whole(value: Value, what: str, least: int, most: int) -> int:
    """The whole number that is there literally.

    Raises:
        ExpressionError: it is none, or out of its bounds.
    """
    number = value.constant
    if not isinstance(number, Decimal) or number != int(number) or not least <= number <= most:
        raise ExpressionError(f"{what} needs a whole number from {least:,} to {most:,}")
    return int(number)


def at_scale(value: Value, scale: int) -> Value:
    """A number with at least so many decimals."""
    return value if value.scale >= scale else replace(value, expr=value.expr.cast(decimal(scale)), scale=scale)


def same_scale(values: Sequence[Value]) -> list[Value]:
    """Numbers with as many decimals as the one that has most."""
    most = max(value.scale for value in values)
    return [at_scale(value, most) for value in values]


def alike(values: Sequence[Value], what: str) -> list[Value]:
    """Values that are to stand side by side (the branches of a CASE, two sides of ``=``), as values of one type.

    Raises:
        ExpressionError: their types do not go together.
    """
    kinds = {value.kind for value in values} - {NOTHING}
    if not kinds or kinds == {FLAG}:
        return list(values)
    if kinds <= {NUMBER, FLAG}:
        return same_scale([as_number(value, what) for value in values])
    if kinds == {TEXT}:
        return [as_text(value, what) for value in values]
    if kinds <= {TRUTH, FLAG}:
        return [as_truth(value, what) for value in values]
    shown = [_shown(value) for value in values if value.kind != NOTHING]
    raise ExpressionError(f"{what} needs values of one type, not {' and '.join(dict.fromkeys(shown))}")


def of_kind(expr: pl.Expr, values: Sequence[Value]) -> Value:
    """What is one of some values that are alike."""
    kind = next((value.kind for value in values if value.kind != NOTHING), NOTHING)
    return Value(
        expr,
        kind,
        max(value.scale for value in values),
        all(value.exact for value in values),
        max(value.longest for value in values),
    )


def grown(expr: pl.Expr, longest: int) -> Value:
    """A text that may be longer than those it was made from.

    Raises:
        ExpressionError: it may become longer than any text may.
    """
    if longest > LONGEST_TEXT:
        raise ExpressionError(f"a text may grow to {longest:,} characters; the limit is {LONGEST_TEXT:,}")
    return Value(expr, TEXT, longest=longest)


def _shown(value: Value) -> str:
    if isinstance(value.constant, str):
        return f"the text '{value.constant[:40]}'"
    return f"the number {value.constant}" if value.constant is not None else value.kind

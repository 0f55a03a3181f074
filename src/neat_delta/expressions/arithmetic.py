"""Exact arithmetic with decimals: no binary fraction anywhere, and an error rather than a digit lost in silence."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from typing import TYPE_CHECKING, Literal

import polars as pl

from neat_delta.expressions.value import (
    MOST_DECIMALS,
    NUMBER,
    ExpressionError,
    Value,
    alike,
    as_number,
    at_scale,
    constant_whole,
    decimal,
    of_kind,
    same_scale,
)

if TYPE_CHECKING:
    from collections.abc import Callable

# Decimals to which a quotient is rounded, half away from zero: it has no end in general.
QUOTIENT_DECIMALS = 15
MOST_POWER = 64
HALF_UP: Literal["half_away_from_zero"] = "half_away_from_zero"


def add(left: Value, right: Value) -> Value:
    """The sum."""
    a, b = same_scale([as_number(left, "+"), as_number(right, "+")])
    return Value(a.expr + b.expr, NUMBER, a.scale, a.exact and b.exact)


def subtract(left: Value, right: Value) -> Value:
    """The difference."""
    a, b = same_scale([as_number(left, "-"), as_number(right, "-")])
    return Value(a.expr - b.expr, NUMBER, a.scale, a.exact and b.exact)


def multiply(left: Value, right: Value) -> Value:
    """The product, with the decimals of both; what was rounded already keeps no more than a quotient has.

    Raises:
        ExpressionError: it would have more decimals than there is room for.
    """
    a, b = as_number(left, "*"), as_number(right, "*")
    scale, exact = a.scale + b.scale, a.exact and b.exact
    if scale > MOST_DECIMALS and not exact:
        a, b = _fewer(a), _fewer(b)
        scale = a.scale + b.scale
    if scale > MOST_DECIMALS:
        raise ExpressionError(f"the product would have {scale} decimals. Round one of its parts, such as round(x, 4)")
    # The engine gives a product the decimals of the factor that has most, so one of them is given room for all.
    product = Value(at_scale(a, scale).expr * b.expr, NUMBER, scale, exact)
    return product if exact or scale <= QUOTIENT_DECIMALS else _rounded(product, QUOTIENT_DECIMALS)


def divide(left: Value, right: Value) -> Value:
    """The quotient, rounded to 15 decimals; nothing where the divisor is zero."""
    a, b = as_number(left, "/"), as_number(right, "/")
    a = at_scale(a, max(QUOTIENT_DECIMALS, b.scale))
    quotient = Value(a.expr / _unless_zero(b), NUMBER, a.scale, exact=False)
    return _rounded(quotient, QUOTIENT_DECIMALS)


def remainder(left: Value, right: Value) -> Value:
    """The remainder of a division; nothing where the divisor is zero."""
    a, b = same_scale([as_number(left, "%"), as_number(right, "%")])
    return Value(a.expr % _unless_zero(b), NUMBER, a.scale, a.exact and b.exact)


def negate(value: Value) -> Value:
    """The number with the other sign."""
    number = as_number(value, "-")
    opposite = -number.constant if isinstance(number.constant, Decimal) else None
    return replace(number, expr=-number.expr, constant=opposite)


def power(base: Value, exponent: Value) -> Value:
    """A whole power, by multiplication; others are no exact decimals."""
    times = constant_whole(exponent, "power(x, n)", 0, MOST_POWER)
    product = Value(pl.lit(Decimal(1), dtype=decimal(0)), NUMBER)
    for _ in range(times):
        product = multiply(product, base)
    return product


def round_to(value: Value, decimals: Value | None = None) -> Value:
    """The number rounded to so many decimals (none if not given), half away from zero; -2 rounds to hundreds."""
    number = as_number(value, "round(x, n)")
    places = 0 if decimals is None else constant_whole(decimals, "round(x, n)", -9, MOST_DECIMALS)
    if places >= number.scale:
        return number
    if places >= 0:
        return replace(_rounded(number, places), exact=True)
    step = pl.lit(Decimal(10) ** -places, dtype=decimal(0))
    hundreds = at_scale(number, number.scale - places).expr / step
    return Value(hundreds.round(0, mode=HALF_UP).cast(decimal(0)) * step, NUMBER)


def ceiling(value: Value) -> Value:
    """The next whole number above."""
    return _whole(value, "ceil(x)", pl.Expr.ceil)


def floor(value: Value) -> Value:
    """The next whole number below."""
    return _whole(value, "floor(x)", pl.Expr.floor)


def sign(value: Value) -> Value:
    """-1, 0 or 1."""
    return _whole(value, "sign(x)", pl.Expr.sign)


def absolute(value: Value) -> Value:
    """The number without its sign."""
    number = as_number(value, "abs(x)")
    return replace(number, expr=number.expr.abs(), constant=None)


def greatest(*values: Value) -> Value:
    """The greatest of some numbers or texts; blanks are passed over."""
    return _extreme("greatest", pl.max_horizontal, values)


def least(*values: Value) -> Value:
    """The least of some numbers or texts; blanks are passed over."""
    return _extreme("least", pl.min_horizontal, values)


def _extreme(name: str, of: Callable[..., pl.Expr], values: tuple[Value, ...]) -> Value:
    same = alike(values, f"{name}(a, b)")
    return of_kind(of([value.expr for value in same]), same)


def _whole(value: Value, what: str, of: Callable[[pl.Expr], pl.Expr]) -> Value:
    number = as_number(value, what)
    return Value(of(number.expr).cast(decimal(0)), NUMBER)


def _rounded(value: Value, scale: int) -> Value:
    if value.scale <= scale:
        return value
    return Value(value.expr.round(scale, mode=HALF_UP).cast(decimal(scale)), NUMBER, scale, value.exact)


def _fewer(value: Value) -> Value:
    """A factor with so few decimals that a product with another one has room."""
    return value if value.exact else _rounded(value, MOST_DECIMALS // 2)


def _unless_zero(value: Value) -> pl.Expr:
    return pl.when(value.expr != 0).then(value.expr)

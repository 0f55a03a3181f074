"""Two functions of our own: the price that ends so, and the nearest multiple of an amount."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

import polars as pl

from neat_delta.expressions.value import NUMBER, ExpressionError, Value, as_number, at_scale, constant_text, decimal

WAYS = ("nearest", "up", "down")
NEAREST = "nearest"


@dataclass(frozen=True)
class Rounding:
    """What becomes of a computed number: it gets an ``ending``, or becomes a ``multiple`` of an amount."""

    function: str
    amount: Decimal
    way: str = NEAREST

    def of(self, value: Value) -> Value:
        """The finished number; an ending never makes it less than the ending itself."""
        number, zero = as_number(value, f"{self.function}(x, {self.amount})"), Decimal(0)
        scale = max(number.scale, -int(self.amount.as_tuple().exponent), 0)
        end, step = zero, self.amount
        if self.function == "ending":
            end, step = self.amount, Decimal(10) ** len(str(int(self.amount))) if self.amount >= 1 else Decimal(1)

        def literal(amount: Decimal) -> pl.Expr:
            return pl.lit(amount, dtype=decimal(scale))

        above = at_scale(number, scale).expr - literal(end)
        if end:
            # Asked this way round, nothing stays nothing: it must not become a price of 0.95.
            above = pl.when(above < 0).then(literal(zero)).otherwise(above)
        # By remainders, which are exact and never negative; a quotient would be rounded before it could be cut.
        rest = (above % literal(step) + literal(step)) % literal(step)
        further = {"up": rest > 0, "down": pl.lit(value=False), NEAREST: rest + rest >= literal(step)}[self.way]
        finished = above - rest + pl.when(further).then(literal(step)).otherwise(literal(zero)) + literal(end)
        return Value(finished, NUMBER, scale)


def rounding_of(function: str, amount: str, strategy: str) -> Rounding:
    """A finish from its words.

    Raises:
        ExpressionError: the amount is no number above zero, or there is no such way.
    """
    try:
        number = Decimal(amount)
    except InvalidOperation as error:
        raise ExpressionError(f"{amount!r} is not an amount", hint="Example: .95 or 5.") from error
    if not number.is_finite() or number <= 0 or len(number.as_tuple().digits) > 12 or abs(number.adjusted()) > 12:
        raise ExpressionError(f"{amount!r} must be greater than zero", hint="Example: .95 or 5.")
    if strategy not in WAYS:
        raise ExpressionError(f"{strategy!r} is not a rounding direction", hint=f"Choose from: {', '.join(WAYS)}.")
    return Rounding(function, number, strategy)


def ending(value: Value, end: Value, way: Value | None = None) -> Value:
    """The price nearest to a number that ends so."""
    return _finished("ending", value, end, way)


def multiple(value: Value, step: Value, way: Value | None = None) -> Value:
    """The nearest multiple of an amount."""
    return _finished("multiple", value, step, way)


def _finished(function: str, value: Value, amount: Value, way: Value | None) -> Value:
    if not isinstance(amount.constant, Decimal):
        raise ExpressionError(f"{function}(x, amount) needs an amount such as .95 or 5")
    direction = NEAREST if way is None else constant_text(way, f"{function}(x, amount, way)")
    return rounding_of(function, f"{amount.constant:f}", direction).of(value)

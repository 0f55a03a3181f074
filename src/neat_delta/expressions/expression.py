"""An expression in SQL: parsed once, asked for the fields it names, computed over a frame."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.expressions.value import DIGITS, NUMBER, ExpressionError, TooLarge, Value

if TYPE_CHECKING:
    from collections.abc import Callable

    from sqlglot import exp

    from neat_delta.expressions.ending import Rounding

# Longer, or nested deeper, than any that a person writes.
LONGEST, DEEPEST = 5_000, 100
# So often a frame is cut to find the rows in which numbers are too large; a formula that needs more is wrong.
MOST_PARTS = 2_000
TOO_LARGE = f"a number becomes too large to be exact (more than {DIGITS} digits)"
# A name may say on which side it is meant: live.price is the live item's price.
SIDES = ("live", "file", "rates")


@dataclass(frozen=True, eq=False)
class Expression:
    """A parsed expression.

    ``text`` is what was written; ``names`` are the columns it reads, each once, in their order, a side in front where
    it is written (``live.price``).
    """

    text: str
    names: tuple[str, ...]
    tree: Any = field(repr=False)
    name_of: Callable[[Any], str] = field(repr=False)

    @property
    def is_null(self) -> bool:
        """Whether it is NULL and nothing more."""
        from sqlglot import exp

        return isinstance(self.tree, exp.Null)

    @property
    def heeds_blanks(self) -> bool:
        """Whether it says itself what is to become of blank values."""
        from sqlglot import exp

        tests = (exp.Coalesce, exp.Case, exp.If, exp.Is, exp.NullSafeEQ, exp.NullSafeNEQ)
        return self.tree.find(*tests) is not None

    @property
    def is_finished(self) -> bool:
        """Whether it has a function ``ending`` or ``multiple`` of its own."""
        from sqlglot import exp

        return any(str(node.this).lower() in ("ending", "multiple") for node in self.tree.find_all(exp.Anonymous))

    def over(self, frame: pl.DataFrame, finish: Rounding | None = None) -> pl.Series:
        """What it gives for each row of typed columns by the names it reads: decimals, flags (Int8) and texts.

        Rows of which it makes nothing are null. ``finish`` is what becomes of a number.

        Raises:
            ExpressionError: it names a function that is not on the list, types do not go together, or a number grows
                too large to be exact.
        """
        from neat_delta.expressions.compiler import Compiler

        try:
            value = Compiler(frame, self.name_of).value(self.tree)
            value = value if finish is None else finish.of(value)
            values = frame.select(_typed(value).alias("found")).to_series()
        except pl.exceptions.PolarsError as error:
            raise _worded(error) from error
        except RecursionError as error:
            raise ExpressionError("too many nested parts in the expression") from error
        return values.new_from_index(0, len(frame)) if len(values) == 1 != len(frame) else values

    def row_by_row(self, frame: pl.DataFrame, finish: Rounding | None = None) -> tuple[pl.Series, pl.Series]:
        """As ``over``, but a number that grows too large is an error of its row: null there, and marked.

        Returns what it gives for each row, and whether that would be too large.

        Raises:
            ExpressionError: as ``over``; also if numbers are too large in so many rows that the formula must be wrong.
        """
        parts: list[tuple[int, int, pl.Series | None]] = []
        waiting = [(0, len(frame))]
        for _ in range(MOST_PARTS):
            if not waiting:
                break
            start, length = waiting.pop()
            try:
                parts.append((start, length, self.over(frame.slice(start, length), finish)))
            except TooLarge:
                half = length // 2
                rest = [(start + half, length - half), (start, half)]
                waiting += rest if half else []
                parts += [] if half else [(start, length, None)]
        if waiting or all(values is None for _, _, values in parts):
            raise TooLarge(TOO_LARGE)
        like = next(values for _, _, values in parts if values is not None)
        nothing = like.clear()
        values = pl.concat([nothing.extend_constant(None, n) if one is None else one for _, n, one in parts])
        large = pl.concat([pl.repeat(one is None, n, eager=True) for _, n, one in parts])
        return values, large


def parse_expression(text: str) -> Expression:
    """Read an expression in SQL.

    Raises:
        ExpressionError: it is none, names what is no field, or is longer or deeper than any that a person writes.
    """
    import sqlglot
    from sqlglot import exp
    from sqlglot.errors import SqlglotError

    if len(text) > LONGEST:
        raise ExpressionError(f"the expression has {len(text):,} characters; the limit is {LONGEST:,}")
    if not text.strip():
        raise ExpressionError("the expression is empty")
    try:
        tree = sqlglot.parse_one(text, read="postgres", into=exp.Condition)
    except SqlglotError as error:
        raise ExpressionError(_place(error, text)) from error
    except RecursionError as error:
        raise ExpressionError("too many nested parts in the expression") from error
    except ValueError as error:
        raise ExpressionError("not an expression") from error
    if not isinstance(tree, exp.Expression) or _depth(tree) > DEEPEST:
        raise ExpressionError("too many nested parts in the expression")
    names = tuple(dict.fromkeys(_name(node) for node in _columns(tree)))
    return Expression(text.strip(), names, tree, _name)


def _columns(tree: exp.Expression) -> list[exp.Column]:
    """The columns of a tree in the order in which they are written; what is no expression over fields is refused."""
    from sqlglot import exp

    from neat_delta.expressions.compiler import not_allowed

    for node in tree.walk():
        if isinstance(node, exp.Query | exp.Table | exp.Subquery):
            raise not_allowed(tree)
    return list(tree.find_all(exp.Column, bfs=False))


def _name(node: exp.Column) -> str:
    """The column that a name means: as it is written, or ``live.price`` with the side or table in front."""
    from sqlglot import exp

    from neat_delta.tables.field import field_name

    if not isinstance(node.this, exp.Identifier) or node.args.get("db"):
        raise ExpressionError(f"{node.sql()[:60]} is not a field")
    side = node.table
    if not side:
        return node.name
    # (Any other word is the name of a table; whether there is one is known to those who have the tables.)
    return f"{side.lower() if side.lower() in SIDES else field_name(side)}.{field_name(node.name)}"


def _depth(tree: exp.Expression) -> int:
    deepest = 0
    for node in tree.walk(bfs=True):
        depth, above = 0, node
        while above is not tree and above.parent is not None and depth <= DEEPEST:
            depth, above = depth + 1, above.parent
        deepest = max(deepest, depth)
        if deepest > DEEPEST:
            break
    return deepest


def _typed(value: Value) -> pl.Expr:
    """A value's column; of numbers as a decimal, whatever the engine made of it on the way."""
    from neat_delta.expressions.value import decimal

    return value.expr.cast(decimal(value.scale)) if value.kind == NUMBER else value.expr


def _place(error: Exception, text: str) -> str:
    """Where in a text the parser gave up."""
    details: dict[str, object] = next(iter(getattr(error, "errors", ())), {})
    highlighted = str(details.get("highlight") or "").strip()
    if not highlighted or highlighted == text.strip():
        return "not an expression"
    return f"not an expression, near {highlighted[:40]!r}"


def _worded(error: Exception) -> ExpressionError:
    """An error of the engine in our words."""
    text = str(error).splitlines()[0]
    if "overflow" in text or "conversion from" in text or "doesn't fit" in text:
        return TooLarge(TOO_LARGE)
    return ExpressionError("the pattern is not a regular expression" if "regex" in text.lower() else text[:200])

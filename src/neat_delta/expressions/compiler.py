"""From the tree of an expression to a column expression of the engine: only what is listed here is known."""

from __future__ import annotations

import functools
import inspect
from decimal import Decimal
from typing import TYPE_CHECKING, Any

import polars as pl
from sqlglot import exp

from neat_delta.base.nearest import nearest_hint
from neat_delta.expressions import arithmetic, texts
from neat_delta.expressions.ending import ending, multiple
from neat_delta.expressions.value import (
    MOST_DECIMALS,
    NOTHING,
    NUMBER,
    TEXT,
    TRUTH,
    ExpressionError,
    Value,
    alike,
    as_text,
    as_truth,
    column,
    nothing,
    number_literal,
    of_kind,
    text_literal,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

# How the parser writes down on a node what our semantics fix anyway.
MARKS = frozenset({"safe", "typed", "coalesce", "ignore_nulls", "negate", "is_left", "nested", "ansi"})
COMPARISONS: dict[type[exp.Expression], Callable[[pl.Expr, pl.Expr], pl.Expr]] = {
    exp.EQ: pl.Expr.eq,
    exp.NEQ: pl.Expr.ne,
    exp.LT: pl.Expr.lt,
    exp.LTE: pl.Expr.le,
    exp.GT: pl.Expr.gt,
    exp.GTE: pl.Expr.ge,
    exp.NullSafeEQ: pl.Expr.eq_missing,
    exp.NullSafeNEQ: pl.Expr.ne_missing,
}
WHOLE_NUMBERS = (exp.DataType.Type.INT, exp.DataType.Type.BIGINT, exp.DataType.Type.SMALLINT)
TEXTS = (exp.DataType.Type.TEXT, exp.DataType.Type.VARCHAR, exp.DataType.Type.CHAR)


class Compiler:
    """Makes a ``Value`` of each node of a tree, over the columns of one frame."""

    def __init__(self, frame: pl.DataFrame, name_of: Callable[[exp.Column], str]) -> None:
        self._frame = frame
        self._name_of = name_of
        self._columns: dict[str, Value] = {}

    def value(self, node: exp.Expression) -> Value:
        """What a node stands for.

        Raises:
            ExpressionError: it is nothing that an expression may have, or its parts do not go together.
        """
        if isinstance(node, exp.Anonymous):
            return self._own_function(node)
        for kind, allowed, make in NODES:
            if type(node) is kind:
                _insist_on_parts(node, allowed)
                value = make(self, node)
                return Value(~value.expr, TRUTH) if node.args.get("negate") else value
        raise not_allowed(node)

    def values(self, nodes: Sequence[exp.Expression]) -> list[Value]:
        """What several nodes stand for."""
        return [self.value(node) for node in nodes]

    def optional(self, node: exp.Expression, part: str) -> Value | None:
        """What a part of a node stands for, if it is there."""
        return None if node.args.get(part) is None else self.value(node.args[part])

    def column(self, node: exp.Column) -> Value:
        """A field, typed as its column in the frame is."""
        name = self._name_of(node)
        if name not in self._columns:
            self._columns[name] = column(self._frame[name])
        return self._columns[name]

    def case(self, node: exp.Case) -> Value:
        """``CASE``, with or without a value behind the word."""
        chosen = self.optional(node, "this")
        tests = [self._test(chosen, branch.this) for branch in node.args["ifs"]]
        branches = alike(
            [*self.values([branch.args["true"] for branch in node.args["ifs"]]), self._default(node)], "CASE"
        )
        *results, default = branches
        expression = default.expr
        for test, value in reversed(list(zip(tests, results, strict=True))):
            expression = pl.when(test.expr).then(value.expr).otherwise(expression)
        return of_kind(expression, branches)

    def _test(self, chosen: Value | None, node: exp.Expression) -> Value:
        value = self.value(node)
        return as_truth(value, "WHEN") if chosen is None else compared(chosen, value, pl.Expr.eq)

    def _default(self, node: exp.Case) -> Value:
        return self.optional(node, "default") or nothing()

    def in_list(self, node: exp.In) -> Value:
        """Whether a value is one of those in a list."""
        here, expression = self.value(node.this), None
        for value in self.values(node.expressions):
            same = compared(here, value, pl.Expr.eq).expr
            expression = same if expression is None else expression | same
        if expression is None:
            raise ExpressionError("the list after IN is empty")
        return Value(expression, TRUTH)

    def is_test(self, node: exp.Is) -> Value:
        """``IS NULL``, ``IS TRUE``, ``IS FALSE``, and each with NOT."""
        what = node.expression
        if isinstance(what, exp.Null):
            is_null = self.value(node.this).expr.is_null()
        elif isinstance(what, exp.Boolean):
            is_null = as_truth(self.value(node.this), "IS").expr.eq_missing(pl.lit(value=bool(what.this)))
        else:
            raise not_allowed(what)
        return Value(is_null, TRUTH)

    def escaped(self, node: exp.Escape) -> Value:
        """``LIKE … ESCAPE 'x'``."""
        pattern, sign = node.this, self.value(node.expression).constant
        if not isinstance(pattern, exp.Like | exp.ILike) or not isinstance(sign, str) or len(sign) != 1:
            raise ExpressionError("ESCAPE needs one character in quotes, after LIKE or ILIKE")
        _insist_on_parts(pattern, ("this", "expression"))
        any_case = isinstance(pattern, exp.ILike)
        matches = texts.like(self.value(pattern.this), self.value(pattern.expression), sign, any_case=any_case)
        return Value(~matches.expr, TRUTH) if pattern.args.get("negate") else matches

    def cast(self, node: exp.Cast) -> Value:
        """``cast(x AS type)`` to a text, a whole number or a decimal; ``date '2026-01-31'`` is its text."""
        value, to = self.value(node.this), node.args["to"]
        if to.this in TEXTS:
            return as_text(value, "cast to a text")
        if to.this is exp.DataType.Type.DATE and value.kind == TEXT:
            return value
        if to.this in WHOLE_NUMBERS:
            return arithmetic.round_to(texts.as_plain_number(value))
        if to.this is exp.DataType.Type.DECIMAL:
            sizes = [int(part.name) for part in to.expressions if part.name.isdigit()]
            scale = min(MOST_DECIMALS, sizes[1]) if len(sizes) > 1 else 0 if sizes else 6
            return arithmetic.round_to(texts.as_plain_number(value), number_literal(str(scale)))
        raise ExpressionError(f"cast to {to.sql()} is not supported; use text, integer or decimal(p, s)")

    def round(self, node: exp.Round) -> Value:
        """``round(x, n)``."""
        return arithmetic.round_to(self.value(node.this), self.optional(node, "decimals"))

    def trim(self, node: exp.Trim) -> Value:
        """``trim``, ``ltrim`` and ``rtrim``."""
        ways = {"LEADING": texts.trim_start, "TRAILING": texts.trim_end, "BOTH": texts.trim, "": texts.trim}
        way = ways[str(node.args.get("position") or "").upper()]
        arguments = [node.args.get(part) for part in ("this", "expression")]
        return way(*self.values([part for part in arguments if part is not None]))

    def pad(self, node: exp.Pad) -> Value:
        """``lpad`` and ``rpad``."""
        way = texts.pad_start if node.args.get("is_left") else texts.pad_end
        arguments = [node.args.get(part) for part in ("this", "expression", "fill_pattern")]
        return _called(way, self.values([part for part in arguments if part is not None]))

    def _own_function(self, node: exp.Anonymous) -> Value:
        """A function that the parser does not know, by its name."""
        name = str(node.this).lower()
        if name not in OWN:
            raise not_allowed(node)
        return _called(OWN[name], self.values(node.expressions))


def compared(left: Value, right: Value, how: Callable[[pl.Expr, pl.Expr], pl.Expr]) -> Value:
    """A comparison of two values; a number written beside a text is taken as it is written, for codes are digits."""
    if {left.kind, right.kind} == {TEXT, NUMBER} and how in (pl.Expr.eq, pl.Expr.ne):
        left, right = (_as_written(value) for value in (left, right))
    a, b = alike([left, right], "a comparison")
    if NOTHING in (a.kind, b.kind) and how not in (pl.Expr.eq_missing, pl.Expr.ne_missing):
        return Value(pl.lit(None, dtype=pl.Boolean), TRUTH)
    return Value(how(a.expr, b.expr), TRUTH)


def _as_written(value: Value) -> Value:
    """A literal number as the text that was written."""
    return text_literal(f"{value.constant:f}") if isinstance(value.constant, Decimal) else value


def _coalesce(compiler: Compiler, node: exp.Expression) -> Value:
    values = alike(compiler.values([node.this, *node.expressions]), "coalesce(a, b)")
    return of_kind(pl.coalesce([value.expr for value in values]), values)


def _if(compiler: Compiler, node: exp.Expression) -> Value:
    test = as_truth(compiler.value(node.this), "if(test, a, b)")
    both = alike([compiler.value(node.args["true"]), compiler.optional(node, "false") or nothing()], "if(test, a, b)")
    return of_kind(pl.when(test.expr).then(both[0].expr).otherwise(both[1].expr), both)


def _nullif(compiler: Compiler, node: exp.Expression) -> Value:
    value, other = compiler.value(node.this), compiler.value(node.expression)
    same = compared(value, other, pl.Expr.eq).expr.fill_null(value=False)
    return of_kind(pl.when(~same).then(value.expr), [value])


def _between(compiler: Compiler, node: exp.Expression) -> Value:
    value = compiler.value(node.this)
    low = compared(value, compiler.value(node.args["low"]), pl.Expr.ge)
    return Value(low.expr & compared(value, compiler.value(node.args["high"]), pl.Expr.le).expr, TRUTH)


def _logical(compiler: Compiler, node: exp.Expression) -> Value:
    left, right = (as_truth(compiler.value(side), node.key.upper()) for side in (node.this, node.expression))
    return Value(left.expr & right.expr if isinstance(node, exp.And) else left.expr | right.expr, TRUTH)


def _comparison(compiler: Compiler, node: exp.Expression) -> Value:
    return compared(compiler.value(node.this), compiler.value(node.expression), COMPARISONS[type(node)])


def _literal(_compiler: Compiler, node: exp.Expression) -> Value:
    return text_literal(node.name) if node.args["is_string"] else number_literal(node.name)


def _like(compiler: Compiler, node: exp.Expression) -> Value:
    return texts.like(compiler.value(node.this), compiler.value(node.expression), any_case=isinstance(node, exp.ILike))


def _calls(function: Callable[..., Value], *parts: str) -> Callable[[Compiler, Any], Value]:
    """A node whose parts, each one expression or a list of them, are the arguments of a function."""

    def make(compiler: Compiler, node: exp.Expression) -> Value:
        arguments = (node.args.get(part) for part in parts)
        nodes = [one for part in arguments if part is not None for one in (part if isinstance(part, list) else [part])]
        return _called(function, compiler.values(nodes))

    return make


def _called(function: Callable[..., Value], values: Sequence[Value]) -> Value:
    """What a function makes of its arguments.

    Raises:
        ExpressionError: there are too few or too many of them, or they are of another type.
    """
    try:
        inspect.signature(function).bind(*values)
    except TypeError as error:
        parameters = inspect.signature(function).parameters.values()
        signature = ", ".join(f"{one.name}" if one.default is one.empty else f"[{one.name}]" for one in parameters)
        raise ExpressionError(f"{function.__name__} needs: {signature}") from error
    return function(*values)


Node = tuple[type[exp.Expression], tuple[str, ...], "Callable[[Compiler, Any], Value]"]


def _function(kind: type[exp.Expression], function: Callable[..., Value], *parts: str) -> Node:
    return kind, parts or ("this",), _calls(function, *(parts or ("this",)))


BOTH = ("this", "expression")
# Every node an expression may have, the parts it may have, and what makes a value of it.
NODES: tuple[Node, ...] = (
    (exp.Column, ("this", "table"), Compiler.column),
    (exp.Literal, ("this", "is_string"), _literal),
    (exp.Null, (), lambda _compiler, _node: nothing()),
    (exp.Boolean, ("this",), lambda _compiler, node: Value(pl.lit(value=bool(node.this)), TRUTH)),
    (exp.Paren, ("this",), lambda compiler, node: compiler.value(node.this)),
    (exp.And, BOTH, _logical),
    (exp.Or, BOTH, _logical),
    (exp.Not, ("this",), lambda compiler, node: Value(~as_truth(compiler.value(node.this), "NOT").expr, TRUTH)),
    *((kind, BOTH, _comparison) for kind in COMPARISONS),
    (exp.In, ("this", "expressions"), Compiler.in_list),
    (exp.Is, BOTH, Compiler.is_test),
    (exp.Between, ("this", "low", "high"), _between),
    (exp.Like, BOTH, _like),
    (exp.ILike, BOTH, _like),
    (exp.Escape, BOTH, Compiler.escaped),
    (exp.Case, ("this", "ifs", "default"), Compiler.case),
    (exp.If, ("this", "true", "false"), _if),
    (exp.Coalesce, ("this", "expressions"), _coalesce),
    (exp.Nullif, BOTH, _nullif),
    (exp.Cast, ("this", "to"), Compiler.cast),
    (exp.Round, ("this", "decimals"), Compiler.round),
    (exp.Trim, ("this", "position", "expression"), Compiler.trim),
    (exp.Pad, ("this", "expression", "fill_pattern"), Compiler.pad),
    _function(exp.Add, arithmetic.add, *BOTH),
    _function(exp.Sub, arithmetic.subtract, *BOTH),
    _function(exp.Mul, arithmetic.multiply, *BOTH),
    _function(exp.Div, arithmetic.divide, *BOTH),
    _function(exp.Mod, arithmetic.remainder, *BOTH),
    _function(exp.Pow, arithmetic.power, *BOTH),
    _function(exp.Neg, arithmetic.negate),
    _function(exp.Abs, arithmetic.absolute),
    _function(exp.Ceil, arithmetic.ceiling),
    _function(exp.Floor, arithmetic.floor),
    _function(exp.Sign, arithmetic.sign),
    _function(exp.Greatest, arithmetic.greatest, "this", "expressions"),
    _function(exp.Least, arithmetic.least, "this", "expressions"),
    _function(exp.DPipe, texts.join, *BOTH),
    _function(exp.Concat, texts.concat, "expressions"),
    _function(exp.ConcatWs, texts.concat_ws, "expressions"),
    _function(exp.Upper, texts.upper),
    _function(exp.Lower, texts.lower),
    (exp.Initcap, BOTH, lambda compiler, node: texts.initcap(compiler.value(node.this))),
    _function(exp.Reverse, texts.reverse),
    _function(exp.Length, texts.length),
    _function(exp.Left, texts.left, *BOTH),
    _function(exp.Right, texts.right, *BOTH),
    _function(exp.Substring, texts.substring, "this", "start", "length"),
    _function(exp.Replace, texts.replace, "this", "expression", "replacement"),
    _function(exp.SplitPart, texts.split_part, "this", "delimiter", "part_index"),
    _function(exp.StartsWith, texts.starts_with, *BOTH),
    _function(exp.EndsWith, texts.ends_with, *BOTH),
    _function(exp.Contains, texts.contains, *BOTH),
    _function(exp.RegexpLike, texts.matches, *BOTH),
)
# Functions that the parser does not know, and what makes a value of them.
OWN: dict[str, Callable[..., Value]] = {"ending": ending, "multiple": multiple}
FUNCTIONS = (
    "abs", "case", "cast", "ceil", "coalesce", "concat", "concat_ws", "contains", "ending", "ends_with", "floor",
    "greatest", "if", "ifnull", "initcap", "least", "left", "length", "lower", "lpad", "ltrim", "mod", "multiple",
    "nullif", "power", "regexp_like", "replace", "reverse", "right", "round", "rpad", "rtrim", "sign", "split_part",
    "starts_with", "substr", "trim", "upper",
)  # fmt: skip


def _insist_on_parts(node: exp.Expression, allowed: tuple[str, ...]) -> None:
    """Refuse what a node has beside the parts that are known, rather than pass over it."""
    strange = [name for name, part in node.args.items() if part and name not in allowed and name not in MARKS]
    if strange:
        raise not_allowed(node)


def not_allowed(node: exp.Expression) -> ExpressionError:
    """The error about a part of an expression that is not on the list."""
    text = functools.reduce(lambda short, sign: short.replace(sign, " "), "\r\n", node.sql())[:60]
    if node.find(exp.Query) or isinstance(node, exp.Query):
        return ExpressionError(
            f"{text}: an expression can read only the fields of its row",
            hint="Write the value itself, or add it as a column.",
        )
    if isinstance(node, exp.Func):
        name = str(node.this if isinstance(node, exp.Anonymous) else node.sql_name()).lower()
        if name in FUNCTIONS:
            return ExpressionError(f"{text}: wrong arguments for the function {name}")
        return ExpressionError(f"there is no function {name}", hint=nearest_hint(name, FUNCTIONS, "Choose from"))
    return ExpressionError(f"{text} is not allowed in an expression")

"""Rules: values computed from the live item and, where there is one, from a row of somebody's list.

A rule is ``field = expression``; see ``neat_delta.expressions`` for what an expression may be. ``live.price`` is the
live item's price, ``file.price`` the list's; without such a word in front a name must be found on one side only.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption, shortened
from neat_delta.base.nearest import nearest_hint
from neat_delta.expressions import Expression, ExpressionError, parse_expression
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.expressions.ending import Rounding

LIVE, LIST, RATES = "live.", "file.", "rates."
EXAMPLES = "Example: price = round(file.net * 1.19, 2)"


@dataclass(frozen=True, eq=False)
class Formula:
    """A field and what it becomes; ``text`` is the rule as it was written."""

    field: str
    text: str
    value: Expression
    rounding: Rounding | None = None

    @property
    def empties(self) -> bool:
        """Whether it is NULL and no more."""
        return self.value.is_null

    @property
    def heeds_blanks(self) -> bool:
        """Whether the rule says itself what is to become of blank values."""
        return self.value.heeds_blanks

    @property
    def names(self) -> list[str]:
        """The columns that the rule reads, each once, in their order."""
        return list(self.value.names)


def parse_formula(text: str, finish: Rounding | None = None) -> Formula:
    """Read ``field = expression``; ``finish`` is used where the expression has no finish of its own.

    Raises:
        InvalidOption: it is no such rule.
    """
    field, equals, expression = text.partition("=")
    if not equals or not field.strip() or not expression.strip():
        raise InvalidOption(f"{text!r} is not a formula", hint='Example: "price = price * 1.05".')
    try:
        value = parse_expression(expression)
    except ExpressionError as error:
        raise InvalidOption(f"formula {shortened(text)!r}: {error.what}", hint=error.hint or EXAMPLES) from error
    return Formula(field_name(field), text.strip(), value, None if value.is_finished else finish)


def require_one_each(formulas: Sequence[Formula]) -> dict[str, Formula]:
    """The rules by their fields.

    Raises:
        InvalidOption: two rules are for one field.
    """
    of_field: dict[str, Formula] = {}
    for rule in formulas:
        if rule.field in of_field:
            raise InvalidOption(f"two formulas for the field {rule.field}", hint="Combine them.")
        of_field[rule.field] = rule
    return of_field


def sides_of(
    formula: Formula,
    live: Sequence[str],
    listed: Sequence[str],
    rates: Sequence[str] = (),
    last_time: Sequence[str] = (),
    tables: Mapping[str, Sequence[str]] | None = None,
) -> dict[str, str]:
    """For each name in a rule the column meant, with its side; names are fields of the live export and of a list.

    Rates always have their side in front, and columns of other ``tables`` the name of theirs. ``last_time`` are the
    list's fields of last time.

    Raises:
        InvalidOption: a name is on neither side, or on both and does not say which.
    """
    meant = {}
    for name in formula.names:
        if name.removeprefix(RATES) in rates and name.startswith(RATES):
            meant[name] = name
            continue
        table, point, column = name.partition(".")
        if point and table in (tables or {}):
            columns = (tables or {})[table]
            if column not in columns:
                hint = nearest_hint(column, columns, f"Columns of {table}")
                raise InvalidOption(f"formula {shortened(formula.text)!r}: {table} has no column {column}", hint=hint)
            meant[name] = name
            continue
        sides = [f"{side}{bare}" for side, bare, names in (
            (LIVE, name.removeprefix(LIVE), live), (LIST, name.removeprefix(LIST), listed)
        ) if bare in names and (name == bare or name == f"{side}{bare}")]  # fmt: skip
        if len(sides) != 1:
            every_name = [f"{LIVE}{name}" for name in live] + [f"{LIST}{name}" for name in listed]
            every_name += [f"{RATES}{name}" for name in rates]
            what = f"{name} may be " + " or ".join(sides) if sides else f"there is no field {name}"
            if not sides and name.removeprefix(LIST) in last_time:
                what += "; the file had this column last time"
            if not sides and "." in name and name.partition(".")[0] not in ("live", "file", "rates"):
                what += f"; there is no table {name.partition('.')[0]}"
            hint = (
                f"Names: {', '.join(every_name)}."
                if sides
                else nearest_hint(name, [*live, *listed, *every_name], "Names")
            )
            raise InvalidOption(f"formula {shortened(formula.text)!r}: {what}", hint=hint)
        meant[name] = sides[0]
    return meant


def compute(formula: Formula, values: pl.DataFrame) -> tuple[pl.Series, pl.Series]:
    """What a rule gives for each row, null where it gives nothing, and where that is a number too large to be exact.

    ``values`` are typed columns by the names it uses.

    Raises:
        InvalidOption: types do not go together, or numbers grow too large in most rows.
    """
    try:
        computed, too_large = formula.value.row_by_row(values, formula.rounding)
    except ExpressionError as error:
        message = ", ".join(f"{name} holds {_held(values[name].dtype)}" for name in dict.fromkeys(formula.names))
        hint = error.hint or (f"Here {message}. {EXAMPLES}" if message else EXAMPLES)
        raise InvalidOption(f"formula {shortened(formula.text)!r}: {error.what}", hint=hint) from error
    if not formula.names or formula.heeds_blanks:
        return computed, too_large
    # GREATEST and others pass over a blank as if it were not there, and make a price or a stock of what is left.
    blank = pl.any_horizontal(pl.col(name).is_null() for name in formula.names)
    return values.select(pl.when(~blank).then(computed).alias(formula.field)).to_series(), too_large


def _held(type_of: pl.DataType) -> str:
    """What a typed column holds, for people."""
    return "numbers" if type_of.is_decimal() else "flags" if type_of == pl.Int8 else "text"

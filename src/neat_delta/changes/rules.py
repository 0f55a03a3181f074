"""Rules: values computed from the live item and, where there is one, from a row of somebody's list.

A rule is ``field = expression``. Expressions are those of standard SQL as far as the engine knows them; no function of
theirs reaches a file or the system. ``live.price`` is the live item's price, ``list.price`` the list's; without such a
word in front a name must be found on one side only. Numbers are exact decimals. Around an expression may stand one of
two functions of our own: ``ending(x, .95)``, the price nearest to x that ends so, and ``multiple(x, 5)``, the nearest
multiple; both take 'up' or 'down' as a third argument.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue import field_name
from neat_delta.errors import WrongChoice

if TYPE_CHECKING:
    from collections.abc import Sequence

LIVE, LIST, RATES = "live.", "list.", "rates."
WAYS = ("nearest", "up", "down")
OURS = re.compile(r"\s*(ending|multiple)\s*\((.*),\s*([\d.]+)\s*(?:,\s*'(nearest|up|down)'\s*)?\)\s*", re.DOTALL)
# Texts and quoted names are passed over; what is left of a name with its side is put into quotes.
NAME = re.compile(r"""'(?:[^']|'')*'|\b(live|list|rates)\s*\.\s*(?:"([^"]+)"|(\w+))|"(?:[^"]|"")*\"""")

TEXT = re.compile(r"'(?:[^']|'')*'")
HEEDS = re.compile(r"(?i)\b(coalesce|ifnull|case|is\s+(not\s+)?null)\b")


@dataclass(frozen=True)
class Finish:
    """What becomes of a computed number: it gets an ``ending``, or becomes a ``multiple`` of an amount."""

    function: str
    amount: Decimal
    way: str = "nearest"

    def of(self, number: pl.Expr) -> pl.Expr:
        """The finished number; an ending never makes it less than the ending itself."""
        end, step = Decimal(0), self.amount
        if self.function == "ending":
            end, step = self.amount, Decimal(10) ** len(str(int(self.amount))) if self.amount >= 1 else Decimal(1)
        above = number - pl.lit(end)
        if end:
            # Asked this way round, nothing stays nothing: it must not become a price of 0.95.
            above = pl.when(above < 0).then(pl.lit(Decimal(0))).otherwise(above)
        # By remainders, which are exact and never negative; a quotient would be rounded before it could be cut.
        rest = (above % pl.lit(step) + pl.lit(step)) % pl.lit(step)
        further = {"up": rest > 0, "down": pl.lit(value=False), "nearest": rest + rest >= pl.lit(step)}[self.way]
        return above - rest + pl.when(further).then(pl.lit(step)).otherwise(pl.lit(Decimal(0))) + pl.lit(end)


@dataclass(frozen=True, eq=False)
class Rule:
    """A field and what it becomes; ``text`` is the rule as it was written, ``empties`` that it is NULL and no more."""

    field: str
    text: str
    value: pl.Expr
    finish: Finish | None = None
    empties: bool = False

    @property
    def heeds_blanks(self) -> bool:
        """Whether the rule says itself what is to become of blank values."""
        return HEEDS.search(TEXT.sub("", self.text)) is not None

    @property
    def names(self) -> list[str]:
        """The columns that the rule reads, each once, in their order."""
        return list(dict.fromkeys(self.value.meta.root_names()))


def parse_rule(text: str, finish: Finish | None = None) -> Rule:
    """Read ``field = expression``; ``finish`` is used where the expression has no finish of its own.

    Raises:
        WrongChoice: it is no such rule.
    """
    field, equals, expression = text.partition("=")
    if not equals or not field.strip() or not expression.strip():
        raise WrongChoice(f"{text!r} is no rule", remedy='Write one such as "price = price * 1.05".')
    ours = OURS.fullmatch(expression)
    if ours:
        expression = ours[2]
        finish = finish_of(ours[1], ours[3], ours[4] or "nearest")
    try:
        value = pl.sql_expr(_without_division_by_zero(NAME.sub(_quoted, expression)))
    except pl.exceptions.PolarsError as error:
        raise WrongChoice(f"the rule {text!r}: {str(error).splitlines()[0]}", remedy=EXAMPLES) from error
    return Rule(field_name(field), text.strip(), value, finish, empties=expression.strip().upper() == "NULL")


EXAMPLES = "Write one such as: price = round(list.net * 1.19, 2)"


def finish_of(function: str, amount: str, way: str) -> Finish:
    """A finish from its words; raises ``WrongChoice`` where the amount is no number above zero."""
    try:
        number = Decimal(amount)
    except InvalidOperation as error:
        raise WrongChoice(f"{amount!r} is no amount", remedy="Write one such as .95 or 5.") from error
    if number <= 0:
        raise WrongChoice(f"{amount!r} is not above zero", remedy="Write one such as .95 or 5.")
    return Finish(function, number, way)


def _quoted(found: re.Match[str]) -> str:
    side, quoted, plain = found[1], found[2], found[3]
    return f'"{side}.{field_name(quoted or plain)}"' if side else found[0]


def _without_division_by_zero(expression: str) -> str:
    """The expression with every divisor made NULL where it is zero: the row then has no value, and the others go on."""
    parts, at = [], 0
    while (slash := DIVISION.search(expression, at)) is not None:
        end = _end_of_operand(expression, slash.end())
        parts.append(expression[at : slash.end()])
        if slash[0].endswith("/"):
            divisor = _without_division_by_zero(expression[slash.end() : end])
            parts[-1] += f" nullif({divisor}, 0)"
            at = end
        else:
            at = slash.end()
    return "".join(parts) + expression[at:]


# A division, or a text or quoted name to be passed over.
DIVISION = re.compile(r"""'(?:[^']|'')*'|"(?:[^"]|"")*"|/""")
OPERAND = re.compile(r"""\s*(?:"(?:[^"]|"")*"|[\w.]+)?""")


def _end_of_operand(expression: str, start: int) -> int:
    """Where an operand ends: a number, a name, or what stands in a pair of brackets, a function's name before it."""
    found = OPERAND.match(expression, start)
    end = found.end() if found else start
    opening = re.compile(r"\s*\(").match(expression, end)
    if opening is None:
        return end
    depth, at = 0, opening.end() - 1
    while at < len(expression):
        passed = DIVISION.match(expression, at)
        depth += {"(": 1, ")": -1}.get(expression[at], 0)
        at = passed.end() if passed else at + 1
        if not depth:
            break
    return at


def one_each(rules: Sequence[Rule]) -> dict[str, Rule]:
    """The rules by their fields.

    Raises:
        WrongChoice: two rules are for one field.
    """
    of_field: dict[str, Rule] = {}
    for rule in rules:
        if rule.field in of_field:
            raise WrongChoice(f"two rules are for the field {rule.field}", remedy="Put them into one.")
        of_field[rule.field] = rule
    return of_field


def sides_of(rule: Rule, live: Sequence[str], listed: Sequence[str], rates: Sequence[str] = ()) -> dict[str, str]:
    """For each name in a rule the column meant, with its side; names are fields of the live export and of a list.

    Rates always have their side in front.

    Raises:
        WrongChoice: a name is on neither side, or on both and does not say which.
    """
    meant = {}
    for name in rule.names:
        if name.removeprefix(RATES) in rates and name.startswith(RATES):
            meant[name] = name
            continue
        found = [f"{side}{bare}" for side, bare, names in (
            (LIVE, name.removeprefix(LIVE), live), (LIST, name.removeprefix(LIST), listed)
        ) if bare in names and (name == bare or name == f"{side}{bare}")]  # fmt: skip
        if len(found) != 1:
            known = [f"{LIVE}{name}" for name in live] + [f"{LIST}{name}" for name in listed]
            known += [f"{RATES}{name}" for name in rates]
            what = f"{name} may be " + " or ".join(found) if found else f"there is no {name}"
            raise WrongChoice(f"the rule {rule.text!r}: {what}", remedy="Names: " + ", ".join(known) + ".")
        meant[name] = found[0]
    return meant


def compute(rule: Rule, values: pl.DataFrame) -> pl.Series:
    """What a rule gives for each row, null where it gives nothing; ``values`` are typed columns by the names it uses.

    Raises:
        WrongChoice: types do not go together, or a number grows too large.
    """
    value = rule.value if rule.finish is None else rule.finish.of(rule.value)
    if rule.names and not rule.heeds_blanks:
        # GREATEST and others pass over a blank as if it were not there, and make a price or a stock of what is left.
        blank = pl.any_horizontal(pl.col(name).is_null() for name in rule.names)
        value = pl.when(~blank).then(value)
    try:
        found = values.select(value.alias(rule.field)).to_series()
    except pl.exceptions.PolarsError as error:
        said = ", ".join(f"{name} holds {_held(values[name].dtype)}" for name in dict.fromkeys(rule.names))
        remedy = f"Here {said}. {EXAMPLES}" if said else EXAMPLES
        raise WrongChoice(f"the rule {rule.text!r}: {str(error).splitlines()[0]}", remedy=remedy) from error
    return found.new_from_index(0, len(values)) if len(found) == 1 != len(values) else found


def _held(type_of: pl.DataType) -> str:
    """What a typed column holds, for people."""
    return "numbers" if type_of.is_decimal() else "flags" if type_of == pl.Int8 else "text"

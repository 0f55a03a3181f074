"""Choosing rows and columns: by a condition in SQL, by a list of codes, by names."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.expressions import ExpressionError, parse_expression
from neat_delta.matching.key import KEY_SEPARATOR
from neat_delta.reading import read_bytes
from neat_delta.tables import field_name
from neat_delta.tables.typed_values import typed_frame

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.locations import Location
    from neat_delta.matching.context import Context
    from neat_delta.matching.key import Key
    from neat_delta.tables import Table


def filter_rows(context: Context, where: str) -> pl.Series:
    """The positions of the rows for which an SQL condition over the fields holds.

    Numbers are exact decimals, flags 1 and 0, dates ISO 8601 text, blank cells NULL. See
    ``neat_delta.expressions`` for what a condition may be.

    Raises:
        InvalidOption: it is no condition, or names a field that does not exist.
    """
    live = context.live
    met = condition(where, live.names, lambda name: typed_frame(live, [name], context.settings)[name], len(live))
    return met.arg_true().cast(pl.UInt32)


def condition(where: str, names: Sequence[str], field: Callable[[str], pl.Series], height: int) -> pl.Series:
    """For each of so many items whether an SQL condition holds; ``field`` gives a field of all of them, typed.

    Raises:
        InvalidOption: it is no condition, or names a field that does not exist.
    """
    try:
        expression = parse_expression(where)
        unknown = [name for name in expression.names if name not in names]
        if unknown:
            raise InvalidOption(
                f"there is no field {', '.join(unknown)}",
                option="where",
                value=repr(where),
                hint=nearest_hint(unknown[0], names),
            )
        frame = pl.DataFrame([field(name).alias(name) for name in expression.names or names[:1]])
        met = expression.over(frame)
    except ExpressionError as error:
        raise InvalidOption(
            error.what,
            option="where",
            value=repr(where),
            hint=error.hint or "Example: price > 10 AND maker = 'Thrumhive'",
        ) from error
    if met.dtype not in (pl.Boolean, pl.Null):
        raise InvalidOption(
            "not a condition", option="where", value=repr(where), hint="A condition is true or false for each item."
        )
    return met.cast(pl.Boolean).fill_null(False)


def rows_of_codes(table: Table, key: Key, codes: Sequence[str]) -> tuple[pl.Series, list[str]]:
    """The positions of the rows with these codes, in the file's order; and the codes that no row has."""
    codes_asked = pl.DataFrame({"key": codes}, schema={"key": pl.String}).unique(maintain_order=True)
    rows = pl.DataFrame({"key": key.values(table)}).with_row_index("row")
    unknown = codes_asked.join(rows, on="key", how="anti", maintain_order="left")["key"].to_list()
    return rows.join(codes_asked, on="key", how="semi", maintain_order="left")["row"], unknown


def chosen_rows(context: Context, where: str | None, items: Location | None) -> tuple[pl.Series, list[str]]:
    """The positions of the live rows that a condition and a file of keys leave, and the keys in it that no row has."""
    live, key = context.live, context.key
    rows = pl.int_range(len(live), dtype=pl.UInt32, eager=True)
    unknown: list[str] = []
    if where is not None:
        rows = filter_rows(context, where)
    if items:
        text = read_bytes(items).decode(errors="replace")
        profile, unknown = rows_of_codes(live, key, parse_key_list(text, key))
        rows = rows.filter(rows.is_in(profile.implode()))
    return rows, unknown


@dataclass(frozen=True)
class Selection:
    """The items that take part: the live rows chosen (all if ``None``), and codes asked for that no live item has.

    New rows take part if their code was asked for, or if nothing was chosen at all.
    """

    live: Table
    key: Key
    rows: pl.Series | None = None
    requested: tuple[str, ...] = ()

    def select_live(self, rows: pl.Series) -> pl.Series:
        """Those of some live rows that take part."""
        return rows if self.rows is None else rows.filter(rows.is_in(self.rows.implode()))

    def excluded_rows(self, edited: Table, key: Key) -> pl.Series:
        """The positions of the rows of a sheet that have a code and take no part."""
        if self.rows is None:
            return pl.Series([], dtype=pl.UInt32)
        inside = pl.concat([key.values(self.live, self.rows), pl.Series(self.requested, dtype=pl.String)])
        codes = key.values(edited)
        differing = ~codes.is_in(inside.implode()) & (codes.str.strip_chars(f"{KEY_SEPARATOR} \t\u00a0") != "")
        return differing.arg_true().cast(pl.UInt32)

    def unknown(self, edited: Table, key: Key) -> pl.Series:
        """The codes asked for that a sheet does not have either."""
        asked = pl.Series(self.requested, dtype=pl.String)
        return asked.filter(~asked.is_in(key.values(edited).implode())) if len(asked) else asked


def select_items(context: Context, where: str | None, items: Location | None) -> Selection:
    """The items chosen by a condition over the live fields and by a file of codes; all without either.

    Raises:
        InvalidOption: it is no condition, or names a field that does not exist.
    """
    if where is None and items is None:
        return Selection(context.live, context.key)
    rows, unknown = chosen_rows(context, where, items)
    return Selection(context.live, context.key, rows, tuple(unknown))


def parse_key_list(text: str, key: Key) -> list[str]:
    """The codes of a list, one a line; blank lines and a first line that names the key are passed over."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    return lines[1:] if lines and field_name(lines[0]) == key.fields[0] else lines


def chosen_fields(table: Table, key: Key, given_fields: Sequence[str]) -> list[str]:
    """The key's fields and then the wanted ones in the order asked for; all if none is.

    Raises:
        InvalidOption: a field does not exist.
    """
    names = [field_name(name) for name in given_fields] or table.names
    for name, asked in zip(names, given_fields, strict=False):
        if name not in table.names:
            raise InvalidOption(
                "there is no field with this name",
                option="fields",
                value=asked,
                hint=nearest_hint(asked, table.names),
            )
    return list(dict.fromkeys([*key.fields, *names]))

"""Exactness that databases do not have by themselves: keys to the byte, cells that hold what was sent."""

from __future__ import annotations

import datetime
from typing import TYPE_CHECKING, Any

from neat_delta.database.cell_values import NoCell, as_cell, as_read, is_known

if TYPE_CHECKING:
    import sqlalchemy


def is_text(column: sqlalchemy.Column[Any]) -> bool:
    """Whether values of a column are compared as texts, by the column's collation."""
    return not is_known(column) or column.type.python_type is str


def exactly(dialect: str, column: sqlalchemy.Column[Any], value: Any) -> Any:
    """That a key is this text to the byte: to many columns ab-1 and AB-1 are the same, or Kase and Käse."""
    import sqlalchemy

    if not is_text(column):
        return sqlalchemy.true()
    if dialect == "sqlite":
        return sqlalchemy.collate(column, "BINARY") == value
    if dialect == "postgresql":
        return sqlalchemy.cast(column, sqlalchemy.Text).collate("C") == sqlalchemy.cast(value, sqlalchemy.Text)
    utf8: Any = sqlalchemy.literal_column("utf8mb4")
    here, after = (
        sqlalchemy.cast(sqlalchemy.func.convert(side.op("USING")(utf8)), sqlalchemy.BINARY) for side in (column, value)
    )
    return here == after


def as_looked_at(dialect: str, column: sqlalchemy.Column[Any]) -> Any:
    """A column as a row is looked at.

    What is no type of ours, and fixed texts with spaces behind, are texts; times of more than a day stay so; numbers of
    single precision have all their digits.
    """
    import sqlalchemy
    from sqlalchemy.dialects import mysql

    padded = dialect == "postgresql" and isinstance(column.type, sqlalchemy.CHAR)
    if padded or not is_known(column):
        return sqlalchemy.cast(column, sqlalchemy.Text).label(column.name)
    if isinstance(column.type, mysql.TIME):
        return sqlalchemy.type_coerce(column, sqlalchemy.types.NullType()).label(column.name)
    return as_read(column)


def is_kept(column: sqlalchemy.Column[Any], got: Any, value: Any, text: str | None) -> bool:
    """Whether a cell holds the value that was sent as this text; of types that are none of ours, whether anything.

    A blank text and NULL are two things.
    """
    if got is None or value is None:
        return got is value
    if not is_known(column):
        return cell_text(got) != ""
    if isinstance(got, datetime.datetime) and isinstance(value, datetime.datetime) and value.tzinfo is None:
        got = got.replace(tzinfo=None)
    if isinstance(got, datetime.timedelta) and isinstance(value, datetime.time):
        value = datetime.datetime.combine(datetime.date.min, value) - datetime.datetime.min
    return bool(got == value) or (not isinstance(value, str) and cell_text(got) == text)


def cell_text(value: Any) -> str:
    """A value as people read it, also one that no cell can hold."""
    try:
        return as_cell(value)
    except NoCell:
        return str(value)

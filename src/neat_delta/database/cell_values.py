"""Values of a database as the text of cells, and back: exact, and one text for one value."""

from __future__ import annotations

import datetime
from decimal import Decimal, InvalidOperation
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import sqlalchemy

# Between the values of an array in one cell.
SEPARATOR = "|"
TRUE = ("1", "true", "t", "yes", "y", "on")
FALSE = ("0", "false", "f", "no", "n", "off")


class NoCell(ValueError):
    """A value that no cell can hold."""


class NoValue(ValueError):
    """A text that the column of a database cannot hold; it says why."""


def as_cell(value: Any) -> str:
    """A value as the text of a cell; NULL is blank, true 1, a date by ISO 8601, an array parted by ``|``.

    Raises:
        NoCell: the value is of bytes, or an array with ``|`` or NULL in it.
    """
    if value is None:
        return ""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "1" if value else "0"
    if isinstance(value, (int, datetime.date)) or hasattr(value, "isoformat"):
        return str(value) if isinstance(value, int) else value.isoformat()
    if isinstance(value, Decimal):
        return format(value, "f")
    if isinstance(value, float):
        return format(Decimal(repr(value)), "f").removesuffix(".0")
    if isinstance(value, (list, tuple, set, frozenset)):
        parts = [as_cell(one) if one is not None else SEPARATOR for one in value]
        if any(SEPARATOR in part for part in parts):
            raise NoCell(f"an array has NULL or the sign {SEPARATOR} in it")
        return SEPARATOR.join(sorted(parts) if isinstance(value, (set, frozenset)) else parts)
    if isinstance(value, (bytes, bytearray, memoryview)):
        raise NoCell("the column holds bytes")
    return str(value)


def as_value(text: str | None, column: sqlalchemy.Column[Any]) -> Any:
    """The text of a cell as a value for a column; ``None`` and blank are NULL, or an empty text where NULL may not be.

    Raises:
        NoValue: the column cannot hold it, or not all of it.
    """
    kind = _kind(column)
    if not text:
        if column.nullable is False and column.server_default is None and kind is str:
            return ""
        if column.nullable is False:
            raise NoValue(f"the column {column.name} cannot be empty")
        return None
    try:
        return _CONVERTED.get(kind, _text)(text, column)
    except (ValueError, InvalidOperation, OverflowError) as error:
        if isinstance(error, NoValue):
            raise
        raise NoValue(f"{text!r} is no value for the column {column.name} ({column.type})") from error


def _kind(column: sqlalchemy.Column[Any]) -> type:
    try:
        return column.type.python_type
    except NotImplementedError:
        return str


def _text(text: str, column: sqlalchemy.Column[Any]) -> str:
    most = getattr(column.type, "length", None)
    if isinstance(most, int) and len(text) > most:
        raise NoValue(f"{len(text)} characters are too many for the column {column.name} (at most {most})")
    return text


def _decimal(text: str, column: sqlalchemy.Column[Any]) -> Decimal:
    value = Decimal(text.strip())
    if not value.is_finite():
        raise ValueError
    scale, precision = getattr(column.type, "scale", None), getattr(column.type, "precision", None)
    if isinstance(scale, int) and value != round(value, scale):
        raise NoValue(f"{text} has more decimals than the column {column.name} holds ({scale})")
    if isinstance(scale, int) and isinstance(precision, int) and abs(value) >= Decimal(10) ** (precision - scale):
        raise NoValue(f"{text} is too large for the column {column.name} ({column.type})")
    return value


def _boolean(text: str, _: sqlalchemy.Column[Any]) -> bool:
    plain = text.strip().lower()
    if plain not in (*TRUE, *FALSE):
        raise ValueError
    return plain in TRUE


def _list(text: str, column: sqlalchemy.Column[Any]) -> list[Any]:
    item = getattr(column.type, "item_type", None)
    whole = item is not None and item.python_type is int
    return [int(part) if whole else part for part in text.split(SEPARATOR)]


_CONVERTED: dict[type, Any] = {
    int: lambda text, _: int(text),
    Decimal: _decimal,
    float: lambda text, _: float(Decimal(text.strip())),
    bool: _boolean,
    datetime.date: lambda text, _: datetime.date.fromisoformat(text.strip()),
    datetime.datetime: lambda text, _: datetime.datetime.fromisoformat(text.strip()),
    datetime.time: lambda text, _: datetime.time.fromisoformat(text.strip()),
    list: _list,
    str: _text,
}

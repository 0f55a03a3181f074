"""Values of a database as the text of cells, and back: exact, and one text for one value."""

from __future__ import annotations

import datetime
import re
import struct
from decimal import Decimal, InvalidOperation
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Callable

    import sqlalchemy

# Between the values of an array in one cell.
SEPARATOR = "|"
LONG_TIME = re.compile(r"(-?)(\d{3}|2[4-9]|[3-9]\d|(?<=-)\d\d):([0-5]\d)(?::([0-5]\d(?:\.\d{1,6})?))?")
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
    if isinstance(value, datetime.timedelta):  # (so a driver gives a time of the day, or longer)
        return _hours(value)
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


def as_read(column: sqlalchemy.Column[Any]) -> Any:
    """A column as it is to be selected: a MySQL FLOAT, of which six digits are shown else, as a double with all.

    What comes back is brought to the shortest text of its single precision by ``single``.
    """
    import sqlalchemy

    if is_single(column):
        return (column + sqlalchemy.literal_column("0e0")).label(column.name)
    return column


def is_single(column: sqlalchemy.Column[Any]) -> bool:
    """Whether a column is a FLOAT of MySQL's, of single precision."""
    from sqlalchemy.dialects import mysql

    return isinstance(column.type, mysql.FLOAT)


def single(value: Any) -> Any:
    """A number of single precision (IEEE 754, binary32), given as a double, as the shortest decimal that means it."""
    if not isinstance(value, float):
        return value
    for digits in range(6, 10):
        short = float(f"{value:.{digits}g}")
        if struct.unpack("f", struct.pack("f", short))[0] == value:
            return short
    return value


def _hours(value: datetime.timedelta) -> str:
    """A time as hours, minutes, seconds, and what is beyond them."""
    micros = abs(value) // datetime.timedelta(microseconds=1)
    seconds, micros = divmod(micros, 1_000_000)
    behind = f".{micros:06}".rstrip("0") if micros else ""
    sign = "-" if value < datetime.timedelta(0) else ""
    return f"{sign}{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}{behind}"


def as_value(text: str | None, column: sqlalchemy.Column[Any]) -> Any:
    """The text of a cell as a value for a column; see ``reader_of``."""
    return reader_of(column)(text)


def is_known(column: sqlalchemy.Column[Any]) -> bool:
    """Whether values of a column's type are read as such; of others (intervals, JSON …) the text counts."""
    if hasattr(column.type, "values") and not hasattr(column.type, "enums"):  # (MySQL's sets, which become Python's)
        return False
    try:
        return column.type.python_type in _CONVERTERS
    except NotImplementedError:
        return False


def reader_of(column: sqlalchemy.Column[Any], *, blank_text: bool = False) -> Callable[[str | None], Any]:
    """What turns the text of a cell into a value for a column.

    ``None`` and blank become NULL, or an empty text where NULL may not be, or where ``blank_text`` says that the column
    has empty texts instead. A text that the column cannot hold, or not
    all of it, raises ``NoValue``.
    """
    try:
        kind: type = column.type.python_type
    except NotImplementedError:
        kind = str
    required = column.nullable is False
    blank = "" if kind is str and (required or blank_text) else None
    convert = _CONVERTERS.get(kind, _text)(column)

    def read(text: str | None) -> Any:
        if not text:
            if required and blank is None:
                raise NoValue(f"the column {column.name} cannot be empty")
            return blank
        try:
            return convert(text)
        except NoValue:
            raise
        except (ValueError, InvalidOperation, OverflowError) as error:
            raise NoValue(f"{text!r} is no value for the column {column.name} ({column.type})") from error

    return read


def _text(column: sqlalchemy.Column[Any]) -> Callable[[str], Any]:
    # (Of a list of values, the length is that of the longest one.)
    listed = hasattr(column.type, "enums") or hasattr(column.type, "values")
    most = None if listed else getattr(column.type, "length", None)

    def convert(text: str) -> str:
        if most is not None and len(text) > most:
            raise NoValue(f"{len(text)} characters are too many for the column {column.name} (at most {most})")
        return text

    return convert


def _decimal(column: sqlalchemy.Column[Any]) -> Callable[[str], Any]:
    scale, precision = getattr(column.type, "scale", None), getattr(column.type, "precision", None)
    limit = None if scale is None or precision is None else Decimal(10) ** (precision - scale)

    def convert(text: str) -> Decimal:
        value = Decimal(text.strip())
        if not value.is_finite():
            raise ValueError
        if scale is not None and -int(value.as_tuple().exponent) > scale and value != round(value, scale):
            raise NoValue(f"{text} has more decimals than the column {column.name} holds ({scale})")
        if limit is not None and abs(value) >= limit:
            raise NoValue(f"{text} is too large for the column {column.name} ({column.type})")
        return value

    return convert


def _list(column: sqlalchemy.Column[Any]) -> Callable[[str], Any]:
    item = getattr(column.type, "item_type", None)
    whole = item is not None and item.python_type is int
    return lambda text: [int(part) if whole else part for part in text.split(SEPARATOR)]


def _boolean(text: str) -> bool:
    plain = text.strip().lower()
    if plain not in (*TRUE, *FALSE):
        raise ValueError
    return plain in TRUE


def _time(text: str) -> datetime.time | datetime.timedelta:
    """A time of the day; in some databases also one of more than 24 hours, or less than none."""
    if parts := LONG_TIME.fullmatch(text.strip()):
        hours, minutes, seconds = int(parts[2]), int(parts[3]), float(parts[4] or 0)
        long = datetime.timedelta(hours=hours, minutes=minutes, seconds=seconds)
        return -long if parts[1] else long
    return datetime.time.fromisoformat(text.strip())


_CONVERTERS: dict[type, Callable[[sqlalchemy.Column[Any]], Callable[[str], Any]]] = {
    int: lambda _: int,
    Decimal: _decimal,
    float: lambda _: lambda text: float(Decimal(text.strip())),
    bool: lambda _: _boolean,
    datetime.date: lambda _: lambda text: datetime.date.fromisoformat(text.strip()),
    datetime.datetime: lambda _: lambda text: datetime.datetime.fromisoformat(text.strip()),
    datetime.time: lambda _: _time,
    list: _list,
    str: _text,
}

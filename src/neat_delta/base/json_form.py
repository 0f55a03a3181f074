"""Our own JSON files: dataclasses in the form that JSON takes, and read back, each member checked by its type."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from decimal import Decimal
from pathlib import PurePath
from typing import Any, TypeVar

from neat_delta.base.path_text import path_text

T = TypeVar("T")


class WrongForm(ValueError):
    """A JSON text is not what it should be; the text says where and why."""


def to_json(value: Any) -> Any:
    """A dataclass, and those inside it, as dictionaries by names of members; paths as text, others as they are."""
    if is_dataclass(value) and not isinstance(value, type):
        return {member.name: to_json(getattr(value, member.name)) for member in fields(value)}
    if isinstance(value, dict):
        return {key: to_json(each) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [to_json(each) for each in value]
    return str(value) if isinstance(value, PurePath) else value


def json_bytes(value: Any, *, indented: bool = False) -> bytes:
    """A value as JSON in UTF-8; what is no text in the name of a file, which may be any bytes, is U+FFFD there."""
    import orjson

    option = orjson.OPT_INDENT_2 if indented else None
    try:
        return orjson.dumps(value, option=option, default=_exact)
    except TypeError:
        return orjson.dumps(_whole_texts(value), option=option, default=_exact)


def _exact(value: Any) -> str:
    """An exact number as a text, for a number of JSON is read as a binary one."""
    if isinstance(value, Decimal):
        return str(value)
    raise TypeError(type(value).__name__)


def _whole_texts(value: Any) -> Any:
    if isinstance(value, str):
        return path_text(value)
    if isinstance(value, dict):
        return {_whole_texts(key): _whole_texts(each) for key, each in value.items()}
    return [_whole_texts(each) for each in value] if isinstance(value, list | tuple) else value


def from_json(text: bytes | str, form: type[T]) -> T:
    """A JSON text as a dataclass (or a list, a dictionary of them); nothing is taken for something else.

    A number is no text, a text no number, and what has no default must be there.

    Raises:
        WrongForm: it is no JSON, or not of this form.
    """
    import msgspec

    try:
        return msgspec.json.decode(text, type=form)
    except (msgspec.DecodeError, UnicodeError, RecursionError) as error:
        raise _wrong_form(error) from error


def from_values(value: Any, form: type[T]) -> T:
    """The same from values that come from elsewhere, such as the row of a database.

    Raises:
        WrongForm: they are not of this form.
    """
    import msgspec

    try:
        return msgspec.convert(value, form)
    except (msgspec.ValidationError, RecursionError) as error:
        raise _wrong_form(error) from error


def _wrong_form(error: Exception) -> WrongForm:
    import msgspec

    words = str(error) if isinstance(error, msgspec.DecodeError) else "it is no JSON text"
    return WrongForm(words.replace("`", "").replace("$.", "").replace(" - at ", ", at "))


def json_text(value: Any) -> str:
    """A dataclass as a JSON text, its members in their order."""
    return json_bytes(to_json(value)).decode()

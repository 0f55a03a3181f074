"""TOML files as dataclasses: every mistake of a file at once, each with its line and what to write instead."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterator, Mapping
from dataclasses import MISSING, fields, is_dataclass
from datetime import date, datetime, time
from decimal import Decimal
from functools import cache, partial
from pathlib import Path
from types import UnionType
from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeVar, Union, get_args, get_origin, get_type_hints

from cattrs import Converter
from cattrs.errors import AttributeValidationNote, ForbiddenExtraKeysError
from cattrs.gen import make_dict_structure_fn, override

from neat_delta.base.errors import InvalidInput, InvalidOption, InvalidSettings
from neat_delta.base.nearest import nearest_hint
from neat_delta.base.options import OPTION, Option
from neat_delta.files.output_paths import note_input
from neat_delta.locations import Location, parse_location
from neat_delta.locations.dated_names import with_dates
from neat_delta.tables.constraints import FIX, AtLeast, Inlined, InvalidSetting, Key, NotInFile, OneOf
from neat_delta.tables.variables import with_variables

if TYPE_CHECKING:
    from collections.abc import Callable

    from cattrs.dispatch import StructureHook

T = TypeVar("T")
AS_SECTION = "Write its settings after a line with its name in [ ]."
Place = tuple[str, ...]
WORDS = {
    str: "a text in quotes",
    bool: "true or false",
    int: "a whole number",
    Decimal: "a share such as 0.5",
    float: "a share such as 0.5",
    datetime: "a date and time such as 2026-12-01T06:00:00",
}


def load_config(cls: type[T], path: Path, hint: str, code: str = InvalidInput.code) -> T:
    """A TOML file as a dataclass whose members declare by their types what they may be.

    Args:
        cls: the dataclass; a method ``mistakes`` may tell what does not go together.
        path: the file.
        hint: for those who have no such file.
        code: of the error that they get.

    Raises:
        InvalidInput: file not found, or it is no TOML.
        InvalidSettings: every mistake, with its line and what is allowed.
    """
    data, text = read_toml(path, hint, code)
    return structured(cls, data, path, text)


def structured(cls: type[T], data: dict[str, Any], path: Path, text: str = "") -> T:
    """What a TOML file holds as a dataclass; ``text`` is the file's, by which mistakes get their lines.

    Raises:
        InvalidSettings: every mistake.
    """
    try:
        return _converter().structure(data, cls)
    except Exception as error:
        mistakes = list(_mistakes(error, cls, ()))
        lines = text.splitlines()
        raise InvalidSettings([_located(mistake, place, path, lines) for place, mistake in mistakes]) from error


def read_toml(path: Path, hint: str, code: str = InvalidInput.code) -> tuple[dict[str, Any], str]:
    """What a TOML file holds, parsed and as text; ``hint`` is for those who have no such file.

    Raises:
        InvalidInput: there is none, or it is no TOML.
    """
    note_input(path)
    try:
        text = path.read_text("utf-8-sig")
        return with_variables(tomllib.loads(text, parse_float=Decimal), path, text.splitlines()), text
    except FileNotFoundError as error:
        raise InvalidInput("file not found", file=path, hint=hint, code=code) from error
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line ([0-9]+)", str(error))
        raise InvalidInput(
            f"not a valid TOML file: {error}",
            file=path,
            line=int(line[1]) if line else None,
            hint="Correct that line; texts need quotes.",
        ) from error
    except (OSError, UnicodeDecodeError) as error:
        raise InvalidInput("the file cannot be read as UTF-8 text", file=path, hint="Save it as UTF-8.") from error
    except (ValueError, RecursionError, ArithmeticError) as error:  # a date, a number or a nesting that cannot be
        raise InvalidInput(f"not a valid TOML file: {error}", file=path, hint="Correct that value.") from error


@cache
def _converter() -> Converter:
    """A converter that takes nothing for something else: no text for a number, no number for a text."""
    converter = Converter(forbid_extra_keys=True)
    for plain in WORDS:
        converter.register_structure_hook(plain, _plain)
    converter.register_structure_hook_factory(partial(_is_a, Annotated), _constrained(converter))
    converter.register_structure_hook_factory(partial(_is_a, tuple), _list(converter))
    converter.register_structure_hook_factory(partial(_is_a, Mapping), _table(converter))
    converter.register_structure_hook_factory(_is_optional, _optional(converter))
    converter.register_structure_hook_factory(_is_literal, lambda _: lambda value, _: _plain(value, str))
    converter.register_structure_hook(Path, lambda value, _: Path(_plain(value, str)))
    converter.register_structure_hook_factory(_is_location, lambda _: _location)
    converter.register_structure_hook_factory(is_dataclass, _dataclass(converter))
    return converter


def _is_a(kind: Any, declared: Any) -> bool:
    return get_origin(declared) is kind


def _is_optional(declared: Any) -> bool:
    return get_origin(declared) in (Union, UnionType) and type(None) in get_args(declared)


def _is_literal(declared: Any) -> bool:
    return get_origin(declared) is Literal


def _is_location(declared: Any) -> bool:
    return bool(get_args(declared)) and set(get_args(declared)) - {type(None)} == set(get_args(Location))


def _location(value: Any, _: Any) -> Location:
    """A path, an address without a password, or several files."""
    try:
        return parse_location(with_dates(_plain(value, str)))
    except InvalidOption as error:
        raise InvalidSetting(error.what, error.hint or FIX, error.file) from error


def _optional(converter: Converter) -> Callable[[Any], StructureHook]:
    """TOML has no null, so what is there is of the other type."""

    def factory(declared: Any) -> StructureHook:
        inner = next(each for each in get_args(declared) if each is not type(None))
        hook = converter.get_structure_hook(inner)
        return lambda value, _: hook(value, inner)

    return factory


def _plain(value: Any, kind: type) -> Any:
    takes = (int, Decimal) if kind in (Decimal, float) else (kind,)
    if kind is datetime and type(value) is date:
        return datetime.combine(value, time())
    # True is an int to Python, but no number to people.
    if not isinstance(value, takes) or (isinstance(value, bool) and kind is not bool):
        raise InvalidSetting(f"{{key}} must be {WORDS[kind]}", value=value)
    if isinstance(value, Decimal) and not value.is_finite():
        raise InvalidSetting("{key} must be a number", value=value)
    return value if kind is datetime else kind(value)


def _constrained(converter: Converter) -> Callable[[Any], StructureHook]:
    """For ``Annotated`` types: the bare type first, then each of its constraints."""

    def factory(declared: Any) -> StructureHook:
        bare, *constraints = get_args(declared)
        bare = next((constraint.written_as for constraint in constraints if hasattr(constraint, "written_as")), bare)
        inner = converter.get_structure_hook(bare)

        def convert(value: Any, _: Any) -> Any:
            value = inner(value, bare)
            for constraint in constraints:
                if value is not None and hasattr(constraint, "convert"):
                    value = constraint.convert(value)
            return value

        return convert

    return factory


def _list(converter: Converter) -> Callable[[Any], StructureHook]:
    def factory(declared: Any) -> StructureHook:
        of = get_args(declared)[0]
        inner = converter.get_structure_hook(of)
        of_texts = not is_dataclass(of)

        def convert(value: Any, _: Any) -> Any:
            if of_texts and isinstance(value, str) and value:
                value = [value]  # a list of one, as people write it
            if not isinstance(value, list):
                raise InvalidSetting("{key} must be a list of " + ("texts" if of_texts else "tables"), value=value)
            for one in value:
                if of_texts and (not isinstance(one, str) or not one):
                    raise InvalidSetting("{key} must be a list of texts", value=one)
            return tuple(inner(one, of) for one in value)

        return convert

    return factory


def _table(converter: Converter) -> Callable[[Any], StructureHook]:
    """A table with names of the user's own."""

    def factory(declared: Any) -> StructureHook:
        key_type, value_type = get_args(declared)
        key_hook, value_hook = (converter.get_structure_hook(each) for each in (key_type, value_type))

        def convert(table: Any, _: Any) -> Any:
            if not isinstance(table, dict):
                raise InvalidSetting("{key} must be a table", AS_SECTION, table)
            values, mistakes = {}, []
            for key, value in table.items():
                try:
                    values[key_hook(key, key_type)] = value_hook(value, value_type)
                except Exception as error:  # noqa: BLE001 (gathered, and told all together)
                    mistakes.append(_at(error, key))
            if mistakes:
                raise ExceptionGroup("a table", mistakes)
            return values

        return convert

    return factory


def _dataclass(converter: Converter) -> Callable[[Any], StructureHook]:
    """A table with names of ours."""

    def factory(cls: Any) -> StructureHook:
        declared = get_type_hints(cls, include_extras=True)
        for member in fields(cls):
            # (Else the converter would see the types without their constraints.)
            member.type = _with_limits(declared[member.name], member.metadata.get(OPTION))
        inlined = _inlined(cls)
        overrides = {name: override(rename=key) for name, key in keys_of(cls).items()}
        omitted = {
            name: override(omit=True)
            for name, constraints in _declared(cls).items()
            if any(isinstance(c, NotInFile) for c in constraints)
        }
        members: dict[str, Any] = overrides | omitted
        structure = make_dict_structure_fn(cls, converter, **members)
        hints = get_type_hints(cls)
        needed = [
            f'{one.name} = "…"' for one in fields(cls) if one.default is MISSING and one.default_factory is MISSING
        ]
        # Tables of a list have something that each of them needs.
        remedy = f"Write {{ {', '.join(needed)} }}." if needed else AS_SECTION

        def convert(table: Any, _: Any) -> Any:
            if not isinstance(table, dict):
                raise InvalidSetting("{key} must be a table", remedy, table)
            for name in inlined:
                names = keys_of(hints[name]).values()
                section = table.get(name, {})
                if not isinstance(section, dict):
                    raise InvalidSetting("{key} must be a table", AS_SECTION, section, key=name)
                # (They may also be in a table of that name.)
                table = table | {name: section | {key: table[key] for key in names if key in table}}
                table = {key: value for key, value in table.items() if key == name or key not in names}
            value = structure(table, cls)
            if mistakes := list(value.mistakes()) if hasattr(value, "mistakes") else []:
                raise ExceptionGroup("a table", mistakes)
            return value

        return convert

    return factory


def _with_limits(declared: Any, told: Option | None) -> Any:
    """The type of an option with what it is limited to, as the settings declare theirs."""
    limits: list[Any] = []
    if told is not None and told.choices:
        limits.append(OneOf(told.choices))
    if told is not None and told.least is not None:
        limits.append(AtLeast(told.least))
    return Annotated[declared, *limits] if limits else declared


def _declared(cls: Any) -> dict[str, tuple[Any, ...]]:
    """The constraints of each member, those of an optional type included."""
    hints = get_type_hints(cls, include_extras=True)
    return {member.name: tuple(_constraints(hints[member.name])) for member in fields(cls)}


def _constraints(declared: Any) -> Iterator[Any]:
    if get_origin(declared) is Annotated:
        yield from declared.__metadata__
    elif get_origin(declared) is not tuple:
        for part in get_args(declared):
            if get_origin(part) is Annotated:
                yield from part.__metadata__


def _inlined(cls: Any) -> list[str]:
    return [name for name, declared in _declared(cls).items() if any(isinstance(each, Inlined) for each in declared)]


def keys_of(cls: Any) -> dict[str, str]:
    """What each member is called in the file, but for those that are not there."""
    keys = {}
    for name, constraints in _declared(cls).items():
        if not any(isinstance(constraint, NotInFile) for constraint in constraints):
            keys[name] = next((constraint.name for constraint in constraints if isinstance(constraint, Key)), name)
    return keys


class _Place(str):
    """A note on an exception: the name in the file at which it happened."""


def _at(error: Exception, key: str) -> Exception:
    error.add_note(_Place(key))
    return error


def _mistakes(error: BaseException, cls: Any, place: Place) -> Iterator[tuple[Place, InvalidSetting]]:
    """Every mistake in what the converter raised, with the names that lead to it."""
    notes = getattr(error, "__notes__", ())
    place = (*place, *(str(note) for note in notes if isinstance(note, _Place)))
    for note in notes:
        if isinstance(note, AttributeValidationNote) and note.name not in _inlined(cls):
            place = (*place, keys_of(cls).get(note.name, note.name))
    if isinstance(error, InvalidSetting):
        yield (*place, *(error.key or "").split(".")) if error.key else place, error
    elif isinstance(error, ForbiddenExtraKeysError):
        allowed = list(keys_of(error.cl).values())
        for name in sorted(error.extra_fields):
            hint = nearest_hint(name, allowed, "Allowed")
            yield (*place, name), InvalidSetting(f"there is no setting {name!r}", hint, unknown=True)
    elif isinstance(error, BaseExceptionGroup):
        owner = getattr(error, "cl", cls)
        for one in error.exceptions:
            yield from _mistakes(one, owner, place)
    elif isinstance(error, KeyError):
        yield place, InvalidSetting("{key} is missing", f"Write {place[-1]} = …")
    else:
        raise error


def _located(mistake: InvalidSetting, place: Place, path: Path, lines: list[str]) -> InvalidInput:
    """A mistake as an error with its line."""
    key = place[-1] if place else ""
    located = InvalidInput(
        mistake.message.replace("{key}", key),
        file=path,
        line=_line(key, place[:-1], lines),
        column=".".join(place) or None,
        value=mistake.value,
        hint=mistake.hint or FIX,
    )
    if mistake.unknown:
        located.code = "unknown-setting"
    return located


def _line(key: str, place: Place, lines: list[str]) -> int | None:
    """The line on which a setting is, below the header of its table; or that of the table it is itself.

    What is in a table written on one line is looked for by the setting that holds it.
    """
    table, itself = _table_header(place), _table_header((*place, key))
    setting = re.compile(rf"^\s*[\"']?{re.escape(key)}[\"']?\s*=")
    below = not place
    for number, line in enumerate(lines, start=1):
        if itself.match(line):
            return number
        if place and table.match(line):
            below = True
        elif below and setting.match(line):
            return number
    return _line(place[-1], place[:-1], lines) if place else None


def _table_header(place: Place) -> re.Pattern[str]:
    names = r"\s*\.\s*".join(rf"[\"']?{re.escape(name)}[\"']?" for name in place)
    return re.compile(rf"^\s*\[\[?\s*{names}\s*\]")

"""Arguments of the Python API as the requests of the jobs."""

from __future__ import annotations

from dataclasses import replace
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar, get_args

from neat_delta.api.tables import read
from neat_delta.base.nearest import nearest_hint
from neat_delta.base.options import Options, declared_types
from neat_delta.locations import parse_location
from neat_delta.tables import Table
from neat_delta.tables.settings import Settings, SupplierProfile
from neat_delta.workflows.base import KEPT_BASE, NO_BASE

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.api.tables import TableLike
    from neat_delta.locations import Location

R = TypeVar("R", bound=Options)
# What a profile is called that was given as such, not by its name.
GIVEN = "(given)"


def request_of(request: type[R], function: str, given: Mapping[str, Any], settings: Settings, **members: Any) -> R:
    """A request, from the named arguments of a function and the members that are no options.

    Raises:
        TypeError: there is no argument of this name, as for any other function.
        InvalidOption: a value is none that the option can have.
    """
    types = declared_types(request)
    for name in given:
        if name not in types or name in members:
            hint = nearest_hint(name, types, "Known")
            raise TypeError(f"{function}() got an unexpected keyword argument {name!r}. {hint}")
    options = {name: _value(value, types[name]) for name, value in given.items()}
    if isinstance(options.get("profile"), SupplierProfile):
        settings = replace(settings, profiles={**settings.profiles, GIVEN: options["profile"]})
        options["profile"] = GIVEN
    make: Any = request
    made: R = make(settings=settings, **members, **options)
    return made


def _value(value: Any, declared: Any) -> Any:
    """A path or an address by its text, where one is wanted."""
    if not isinstance(value, str | PathLike):
        return value
    parts = [part for part in (get_args(declared) or (declared,)) if part is not type(None)]
    if parts == [Path]:
        return Path(value)
    return parse_location(str(value)) if Path in parts else value


def table_or_place(source: TableLike, settings: Settings, name: str = "frame.csv") -> Table | Location:
    """A table, or the place of one, which the job reads."""
    if isinstance(source, Table):
        return source
    if isinstance(source, str | PathLike):
        return parse_location(str(source))
    return read(source, settings, name=name)


def base_members(base: TableLike | None, settings: Settings) -> dict[str, Any]:
    """The members of a request that say what an edited table was made from."""
    if base is None:
        return {}
    if isinstance(base, str) and base in (NO_BASE, KEPT_BASE):
        return {"base": Path(base)}
    table = table_or_place(base, settings)
    return {"base_table": table} if isinstance(table, Table) else {"base": table}

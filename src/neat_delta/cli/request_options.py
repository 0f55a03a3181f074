"""The options of a command, made from the request of its job: each is declared there, and only there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import MISSING, Field
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar, get_args, get_origin

import click

from neat_delta.base.options import Option, Options, declared_types, options_of, without_none
from neat_delta.cli.help import option
from neat_delta.cli.param_types import FILE, SOURCE, FormatParam, WholeNumber
from neat_delta.workflows.option_groups import OUTPUT_FORMATS

if TYPE_CHECKING:
    from collections.abc import Callable

F = TypeVar("F", bound="Callable[..., Any]")

MOMENT = click.DateTime(["%Y-%m-%d", "%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M"])


def request_options(request: type[Options]) -> Callable[[F], F]:
    """Add the options of a request to a command; they reach it by the names of the request's members."""

    def add(command: F) -> F:
        types, told = declared_types(request), options_of(request)
        for name in reversed(told):
            member = request.__dataclass_fields__[name]
            command = option_for(name, types[name], told[name], member)(command)
        return command

    return add


def option_for(name: str, declared: Any, told: Option, member: Field[Any]) -> Callable[[F], F]:
    """One option of the command line, by the type of its member."""
    names = [*(told.names or (f"--{name.replace('_', '-')}",)), name]
    given = _click_attributes(declared, told)
    if isinstance(member.default, str | Path):
        given |= {"default": member.default, "show_default": told.shows_default}
    if told.required or (member.default is MISSING and member.default_factory is MISSING):
        given["required"] = True
    return option(told.group, *names, common=told.common, metavar=told.metavar, help=told.help, **given)


def _click_attributes(declared: Any, told: Option) -> dict[str, Any]:
    """What click has to know of a value of this type."""
    bare = without_none(declared)
    if bare is bool:
        return {"is_flag": True}
    if told.choices:
        choice = FormatParam(OUTPUT_FORMATS) if callable(told.choices) else click.Choice(told.choices)
        return {"type": choice}
    if get_origin(bare) is tuple:
        return {"multiple": True}
    if _is_mapping(bare):
        nested = _is_mapping(get_args(bare)[1])
        return {"multiple": True, "callback": _nested if nested else _pairs, **({"nargs": 2} if nested else {})}
    if bare is int:
        return {"type": WholeNumber(told.least or 0)}
    if bare is datetime:
        return {"type": MOMENT}
    if bare is Path:
        return {"type": FILE}
    return {} if bare is str else {"type": SOURCE}


def _is_mapping(declared: Any) -> bool:
    return get_origin(declared) is Mapping


def _pairs(_context: click.Context, param: click.Parameter, given: tuple[str, ...]) -> dict[str, str]:
    """``A=B`` options as a dictionary.

    Columns of other people may have a sign of equality, so that the last one parts a pair; a name of ours has none, so
    that the first one does where it comes first.
    """
    first = str(param.metavar).startswith(("NAME", "FIELD"))
    return dict(_pair(text, str(param.metavar), first=first) for text in given)


def _nested(
    _context: click.Context, param: click.Parameter, given: tuple[tuple[str, str], ...]
) -> dict[str, dict[str, str]]:
    """``FIELD A=B`` options as a dictionary by field."""
    by_field: dict[str, dict[str, str]] = {}
    for field, answer in given:
        edited, live = _pair(answer, str(param.metavar), first=False)
        by_field.setdefault(field, {})[edited] = live
    return by_field


def _pair(text: str, form: str, *, first: bool) -> tuple[str, str]:
    left, equals, right = text.partition("=") if first else text.rpartition("=")
    if not (left.strip() and equals and right.strip()):
        raise click.BadParameter(f"{text!r} is not {form}")
    return left.strip(), right.strip()

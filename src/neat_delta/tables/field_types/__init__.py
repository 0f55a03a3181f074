"""Kinds of field: what the values of a column are, so that a difference of form is not taken for a change.

A kind is one module in this folder that defines ``TYPE``. Adding the file adds the kind.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache

import polars as pl

from neat_delta.base.plugins import FIELD_TYPES, plugins
from neat_delta.tables.field_types.field_type import EditedColumn, FieldType, FormatOverrides

__all__ = [
    "BLANK",
    "EditedColumn",
    "FieldType",
    "FormatOverrides",
    "are_blank",
    "every_character_counts",
    "field_types",
    "infer_type",
    "type_named",
]


@cache
def field_types() -> tuple[FieldType, ...]:
    """Every kind, those of plug-ins too, the pickiest first: the order in which a column is tried against them."""
    modules = [importlib.import_module(f"{__name__}.{each.name}") for each in pkgutil.iter_modules(__path__)]
    kinds = [module.TYPE for module in modules if hasattr(module, "TYPE")]
    others = [kind for kind in plugins(FIELD_TYPES).values() if kind.name not in {one.name for one in kinds}]
    return tuple(sorted((*kinds, *others), key=lambda kind: kind.priority))


def type_named(name: str) -> FieldType:
    """The kind of that name; raises ``KeyError`` if there is none."""
    return {kind.name: kind for kind in field_types()}[name]


def every_character_counts(kind: FieldType) -> bool:
    """Whether values of a kind are compared as texts; of numbers, dates and flags the form does not count."""
    return not kind.numeric and kind.name not in ("date", "yes/no")


# A cell that holds nothing but space.
BLANK = r"^[\s\u00a0]*$"


def are_blank(values: pl.Series, blank: str = BLANK) -> pl.Series:
    """Which values match the pattern of blank ones; what begins with a usual sign does not and needs no closer look."""
    if values.is_empty():
        return values.cast(pl.Boolean)
    suspects = ((values < "!") | (values >= "\u0080")).arg_true()
    blanks = suspects.filter(values.gather(suspects).str.contains(blank))
    return pl.repeat(False, len(values), dtype=pl.Boolean, eager=True).scatter(blanks, True)


def infer_type(filled: pl.Series, field: str) -> FieldType:
    """The first kind that fits the distinct filled values of a live column; none at all make it text.

    ``field`` is the field's name: "stock" with nothing but 0 and 1 in it is a count, "active" is a flag.
    """
    if filled.is_empty():
        return type_named("text")
    return next(kind for kind in field_types() if kind.matches(filled, field))

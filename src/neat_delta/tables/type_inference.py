"""Which kind a field is: as settled, or as its live values show."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from neat_delta.tables.field_types import infer_kind, kind_named
from neat_delta.tables.field_types.multi_value import ManyValued

if TYPE_CHECKING:
    import polars as pl

    from neat_delta.tables.field_types import Kind
    from neat_delta.tables.settings import FieldSettings
    from neat_delta.tables.table import Catalogue

STOCK = re.compile(r"(^|_)(stock|qty|quantity|on_hand|inventory)(_|$)")


def is_stock(name: str, kind: str) -> bool:
    """Whether a field of this name and kind counts the units in a stock room."""
    return kind in ("count", "number") and bool(STOCK.search(name))


def kind_of(filled: pl.Series, name: str, told: FieldSettings) -> Kind:
    """The kind of a field from the distinct filled values of its live column; of single values or of several a cell."""
    if told.separator is None:
        return kind_named(told.kind) if told.kind else infer_kind(filled, name)
    if told.kind:
        return ManyValued(kind_named(told.kind), told.separator, told.ordered)
    return ManyValued(infer_kind(single_values(filled, told.separator), name), told.separator, told.ordered)


def form_in(catalogue: Catalogue, name: str, kind: Kind, told: FieldSettings) -> Any:
    """How a live column writes its kind; one that shows no decimal mark itself has that of its file."""
    return kind.live_form(catalogue.filled(name), replace(told.form, mark=catalogue.form.mark))


def single_values(cells: pl.Series, separator: str | None) -> pl.Series:
    """The distinct single values of cells that may hold several."""
    if separator is None:
        return cells.str.strip_chars().unique()
    singles = cells.str.split(separator).explode().str.strip_chars().unique().drop_nulls()
    return singles.filter(singles != "")


def code_separator(cells: pl.Series) -> str | None:
    """What parts several codes in the cells of a field, where that is not settled."""
    return next((sign for sign in ("|", ";", ",") if cells.str.contains(sign, literal=True).any()), None)

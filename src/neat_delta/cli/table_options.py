"""Options that name other tables for formulas: costs, price lists, translations."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.base.errors import InvalidOption
from neat_delta.cli.common import bundle_options
from neat_delta.cli.help import VALUES, option

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.tables.settings import Settings

F = TypeVar("F", bound="Callable[..., Any]")
# Names that formulas have for something else.
TAKEN = ("live", "file", "rates")


class TableOptions(NamedTuple):
    """Other tables by name, and by which column of them rows are found (with the field that it holds)."""

    files: tuple[tuple[str, str], ...]
    columns: tuple[tuple[str, str], ...]

    def over(self, settings: Settings) -> Settings:
        """The settings with these tables, which go before those of catalogue.toml.

        Raises:
            InvalidOption: a column is given for a table that there is not.
        """
        from pathlib import Path

        from neat_delta.base.nearest import nearest_hint
        from neat_delta.tables import field_name
        from neat_delta.tables.settings import LookupTable

        tables = dict(settings.tables)
        for name, file in self.files:
            # (Settings mean their files from their own folder; options, from this one.)
            tables[field_name(name)] = LookupTable(file if "://" in file else str(Path(file).absolute()))
        for name, column in self.columns:
            known = tables.get(field_name(name))
            if known is None:
                hint = nearest_hint(name, tables, "Tables")
                raise InvalidOption("there is no such table", option="table_column", value=name, hint=hint)
            held, _, field = column.partition("=")
            tables[field_name(name)] = replace(known, column=held, field=field_name(field) if field else None)
        return replace(settings, tables=tables) if tables != settings.tables else settings


def _named(_context: click.Context, option: click.Parameter, given: tuple[str, ...]) -> tuple[tuple[str, str], ...]:
    """``NAME=…`` options as pairs; what follows may have further signs of equality."""
    pairs = []
    for text in given:
        name, equals, rest = text.partition("=")
        if not (name.strip() and equals and rest.strip()):
            raise click.BadParameter(f"{text!r} is not {option.metavar}")
        if name.strip().lower() in TAKEN:
            raise click.BadParameter(f"{name.strip()!r} has a meaning of its own in formulas; choose another name")
        pairs.append((name.strip(), rest.strip()))
    return tuple(pairs)


def _table_options(table_files: Any, table_columns: Any) -> TableOptions:
    return TableOptions(table_files, table_columns)


def table_options(command: F) -> F:
    """Add --table and --table-column, as ``tables``."""
    options = (
        option(
            VALUES,
            "--table",
            "table_files",
            multiple=True,
            metavar="NAME=FILE",
            callback=_named,
            help="Another table for formulas: costs=costs.csv gives costs.net. Also a database. Repeatable.",
        ),
        option(
            VALUES,
            "--table-column",
            "table_columns",
            multiple=True,
            metavar="NAME=COLUMN",
            callback=_named,
            help="Its column with our SKU, if not found by name; NAME=COLUMN=FIELD for another field. Repeatable.",
        ),
    )
    return bundle_options(_table_options, "tables", options, command)

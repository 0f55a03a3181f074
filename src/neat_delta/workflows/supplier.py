"""How an edited file is mapped to the shop's fields: what is saved in its profile, and what is given besides."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.matching.mapping_file import read_mapping_file
from neat_delta.tables import field_name
from neat_delta.tables.settings import LookupTable, Settings, SupplierProfile

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.workflows.compare_options import ComparisonOptions, SupplierOptions, TableOptions

# Names that formulas have for something else.
TAKEN = ("live", "file", "rates")


def profile_named(name: str | None, settings: Settings) -> SupplierProfile:
    """The supplier profile of this name; an empty one for no name.

    Raises:
        InvalidOption: there is none of this name.
    """
    if name is None:
        return SupplierProfile()
    if name not in settings.profiles:
        raise InvalidOption(
            "there is no supplier profile with this name",
            option="profile",
            value=name,
            hint=nearest_hint(name, settings.profiles, "Saved profiles"),
        )
    return settings.profiles[name]


def profile_of(given: ComparisonOptions, settings: Settings) -> SupplierProfile:
    """What holds for an edited file: as given, else as saved in its profile.

    Raises:
        InvalidOption: there is no such profile, delimiter or encoding.
        InvalidInput: the mapping table cannot be used.
    """
    saved = profile_named(given.profile, settings)
    codes, values = _answers(given)
    return replace(
        saved,
        format=saved.format.overridden_by(given.read_options()),
        columns={**saved.columns, **{column: field_name(field) for column, field in given.map.items()}},
        skip=tuple(dict.fromkeys([*saved.skip, *map(field_name, given.skip)])),
        match_on=tuple(map(field_name, given.match_on)) or saved.match_on,
        constants={**saved.constants, **{field_name(field): value for field, value in given.constant.items()}},
        added=tuple(dict.fromkeys([*saved.added, *map(field_name, given.add)])),
        rules=_by_field(saved.rules, given.set),
        rules_new=_by_field(saved.rules_new, given.set_new),
        new_sku=given.new_sku or saved.new_sku,
        codes={**saved.codes, **codes},
        values={
            field: {**saved.values.get(field, {}), **values.get(field, {})}
            for field in dict.fromkeys([*saved.values, *values])
        },
    )


def _answers(given: SupplierOptions) -> tuple[Mapping[str, str], Mapping[str, Mapping[str, str]]]:
    """Our SKUs for their codes, and our values for theirs by field: those of a file, then those given."""
    codes, values = ({}, {}) if given.map_file is None else read_mapping_file(given.map_file)
    for field, answers in given.map_value.items():
        values[field_name(field)] = {**values.get(field_name(field), {}), **answers}
    return {**codes, **given.map_code}, values


def _by_field(*formulas: tuple[str, ...]) -> tuple[str, ...]:
    """Formulas, of which a later one for a field replaces an earlier one."""
    return tuple({field_name(one.partition("=")[0].strip()): one for each in formulas for one in each}.values())


def with_tables(given: TableOptions, settings: Settings) -> Settings:
    """The settings with the tables for formulas that are given, which go before those of catalogue.toml.

    Raises:
        InvalidOption: a name is taken, or a column is given for a table that there is not.
    """
    tables = dict(settings.tables)
    for name, file in given.table.items():
        if name.lower() in TAKEN:
            hint = "Choose another name."
            raise InvalidOption("this name has a meaning of its own in formulas", option="table", value=name, hint=hint)
        # (Settings mean their files from their own folder; options, from this one.)
        tables[field_name(name)] = LookupTable(file if "://" in file else str(Path(file).absolute()))
    for name, column in given.table_column.items():
        table = tables.get(field_name(name))
        if table is None:
            hint = nearest_hint(name, tables, "Tables")
            raise InvalidOption("there is no such table", option="table_column", value=name, hint=hint)
        held, _, field = column.partition("=")
        tables[field_name(name)] = replace(table, column=held, field=field_name(field) if field else None)
    return replace(settings, tables=tables) if tables != settings.tables else settings

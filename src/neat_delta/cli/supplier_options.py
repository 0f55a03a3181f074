"""Options that map a supplier's file to our fields, and the section of catalogue.toml that saves them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.cli.common import bundle_options
from neat_delta.cli.help import MATCHING, SCOPE, SUPPLIER, VALUES, option
from neat_delta.cli.param_types import SOURCE

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Mapping

    from rich.text import Text

    from neat_delta.locations import Location
    from neat_delta.tables.read_options import ReadOptions
    from neat_delta.tables.settings import Settings, SupplierProfile

F = TypeVar("F", bound="Callable[..., Any]")


class SupplierOptions(NamedTuple):
    """What the command line says about a supplier's file."""

    name: str | None
    save_as: str | None
    columns: dict[str, str]
    map_by_values: bool
    skip: tuple[str, ...]
    match_on: tuple[str, ...]
    constant: dict[str, str]
    added: tuple[str, ...]
    rules: tuple[str, ...]
    rules_new: tuple[str, ...]
    new_sku: str | None
    map_code: dict[str, str]
    map_value: tuple[tuple[str, str], ...]
    map_file: Location | None

    def over(self, settings: Settings, format_given: ReadOptions) -> SupplierProfile:
        """What holds for this file: as given in this run, else as saved in its profile.

        Raises:
            InvalidOption: there is no supplier profile with this name.
        """
        from neat_delta.tables import field_name
        from neat_delta.tables.settings import SupplierProfile

        if self.name is not None and self.name not in settings.profiles:
            raise InvalidOption(
                "there is no supplier profile with this name",
                option="profile",
                value=self.name,
                hint=nearest_hint(self.name, settings.profiles, "Saved profiles"),
            )
        known = settings.profiles[self.name] if self.name is not None else SupplierProfile()
        codes, values = self._answers()
        return replace(
            known,
            format=known.format.overridden_by(format_given),
            columns={**known.columns, **{column: field_name(field) for column, field in self.columns.items()}},
            skip=tuple(dict.fromkeys([*known.skip, *map(field_name, self.skip)])),
            match_on=tuple(map(field_name, self.match_on)) or known.match_on,
            constants={**known.constants, **{field_name(field): value for field, value in self.constant.items()}},
            added=tuple(dict.fromkeys([*known.added, *map(field_name, self.added)])),
            rules=_by_field(known.rules, self.rules),
            rules_new=_by_field(known.rules_new, self.rules_new),
            new_sku=self.new_sku or known.new_sku,
            codes={**known.codes, **codes},
            values={
                field: {**known.values.get(field, {}), **values.get(field, {})}
                for field in dict.fromkeys([*known.values, *values])
            },
        )

    def _answers(self) -> tuple[dict[str, str], dict[str, dict[str, str]]]:
        """Our SKUs for their codes, and our values for theirs by field: those of a file, then those given."""
        from neat_delta.tables import field_name

        codes: dict[str, str] = {}
        values: dict[str, dict[str, str]] = {}
        if self.map_file:
            from neat_delta.matching.mapping_file import read_mapping_file

            codes, values = read_mapping_file(self.map_file)
        for field, answer in self.map_value:
            edited, live = _pair(answer, "FIELD THEIRS=OURS")
            values.setdefault(field_name(field), {})[edited] = live
        return codes | self.map_code, values


def _by_field(*rules: tuple[str, ...]) -> tuple[str, ...]:
    """Formulas, of which a later one for a field replaces an earlier one."""
    return tuple({rule.partition("=")[0].strip(): rule for multiple in rules for rule in multiple}.values())


def _pairs(_context: click.Context, option: click.Parameter, given: tuple[str, ...]) -> dict[str, str]:
    """``A=B`` options as a dictionary; the last sign of equality parts them, for columns may have one."""
    return dict(_pair(text, str(option.metavar)) for text in given)


def _pair(text: str, format_given: str) -> tuple[str, str]:
    left, equals, right = text.rpartition("=")
    if not (left.strip() and equals and right.strip()):
        raise click.BadParameter(f"{text!r} is not {format_given}")
    return left.strip(), right.strip()


OPTIONS = (
    option(SUPPLIER, "--profile", "name", metavar="NAME", help="Use this supplier profile of catalogue.toml."),
    option(
        SUPPLIER,
        "--save-profile",
        "save_as",
        metavar="NAME",
        help="Save the options of this group as a supplier profile.",
    ),
    option(
        MATCHING,
        "--map",
        "columns",
        common=True,
        multiple=True,
        metavar="COLUMN=FIELD",
        callback=_pairs,
        help='Map a column to a field, such as "Dealer net=cost". Repeatable.',
    ),
    option(
        MATCHING,
        "--map-by-values",
        is_flag=True,
        help="Map the remaining columns by what they hold: barcodes, SKUs, names, brands, prices that go together.",
    ),
    option(SCOPE, "--skip", multiple=True, metavar="FIELD", help="Do not change this field. Repeatable."),
    option(
        MATCHING,
        "--match-on",
        multiple=True,
        metavar="FIELD",
        help="Match items by this field instead of the SKU, such as a barcode. Repeat for fields that are unique "
        "together, such as brand and model.",
    ),
    option(
        VALUES,
        "--constant",
        multiple=True,
        metavar="FIELD=VALUE",
        callback=_pairs,
        help="Use this value in every row for a field that EDITED does not have. Repeatable.",
    ),
    option(
        VALUES,
        "--add",
        "added",
        multiple=True,
        metavar="FIELD",
        help="Add EDITED's values (8, +8, -2) to the shop's instead of setting them, such as a delivery. Repeatable.",
    ),
    option(
        VALUES,
        "--set",
        "rules",
        common=True,
        multiple=True,
        metavar="FORMULA",
        help='Calculate a field, such as "price = round(file.net * 1.6, 2)". Repeatable.',
    ),
    option(
        VALUES,
        "--set-new",
        "rules_new",
        multiple=True,
        metavar="FORMULA",
        help='Calculate a field of new items, such as "active = 1". Repeatable.',
    ),
    option(
        VALUES,
        "--new-sku",
        metavar="PATTERN",
        help="SKUs for new items without one (--add-new): KT-{number:5} counts on from the shop's highest.",
    ),
    option(
        SUPPLIER,
        "--map-code",
        multiple=True,
        metavar="THEIRS=OURS",
        callback=_pairs,
        help="Map a supplier's code to our SKU; --save-profile saves it. Repeatable.",
    ),
    option(
        SUPPLIER,
        "--map-value",
        multiple=True,
        nargs=2,
        metavar="FIELD THEIRS=OURS",
        help="Map a supplier's value to ours, such as the name of a location. Repeatable.",
    ),
    option(
        SUPPLIER,
        "--map-file",
        type=SOURCE,
        metavar="FILE",
        help="Mapping table: 2 columns (their code, our SKU) or 3 (field, their value, ours).",
    ),
)


def supplier_options(command: F) -> F:
    """Add the options about a supplier's file to a command, as ``supplier``."""
    return bundle_options(SupplierOptions, "supplier", OPTIONS, command)


def save_profile(config: Path | None, name: str, profile: SupplierProfile, result: Mapping[str, str]) -> None:
    """Save a supplier profile in catalogue.toml, which is made if there is none; nothing else in it changes."""
    from neat_delta.files.atomic_write import write_atomic
    from neat_delta.tables.saved_profile import with_profile
    from neat_delta.tables.settings import NAME

    path = config or Path(NAME)
    existing = path.read_text("utf-8-sig") if path.exists() else ""
    write_atomic(path, with_profile(existing, name, profile, result).encode(), replace=True)


def saved_view(name: str, config: Path | None, width: int) -> Iterator[Text]:
    """Where a profile was saved, and how it is used."""
    from neat_delta.tables.settings import NAME
    from neat_delta.views.lines import sentence

    message = f"as supplier profile {name} in {config or NAME}; next time use --profile {name}"
    yield from sentence("saved", message, width)

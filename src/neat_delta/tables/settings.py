"""The settings of catalogue.toml: what is configured once, instead of being recognised each time.

Each setting is declared here and nowhere else: its type says what it may be, the text below it what it does. The loader
and the tables of the documentation follow from that.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

from neat_delta.tables.constraints import (
    AsFieldName,
    AtLeast,
    AtMost,
    Count,
    FieldName,
    Inlined,
    InvalidSetting,
    Key,
    NotEmpty,
    NotInFile,
    OneOf,
    Rate,
)
from neat_delta.tables.field import field_name
from neat_delta.tables.field_types import FormatOverrides, field_types
from neat_delta.tables.field_types.date import named_formats
from neat_delta.tables.import_config import ImportConfig
from neat_delta.tables.read_options import ReadOptions
from neat_delta.tables.roles import field_in_role, fields_in_role, is_stock
from neat_delta.tables.settings_sections import (
    MoneySettings,
    PageSettings,
    RefreshSettings,
    SendSettings,
    StoreSettings,
)

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.tables.table import Table

# As many decimals as numbers are compared with.
MOST_DECIMALS = 12
# What the file of settings is called.
NAME = "catalogue.toml"
REPLACE = "replace"
LEAVE, CLEAR = "leave", "clear"
# What a shop keeps itself, or what changes far more than one cell when it changes.
LOCKED_BY_DEFAULT = re.compile(
    r"^(item_|product_)?(id|type|uuid)$|(^|_)(tax_class|attribute_(set|group))$|^(added|created|updated|changed)(_at|_on)?$"
)


def _type_names() -> list[str]:
    return sorted(kind.name for kind in field_types())


def _date_formats() -> list[str]:
    return list(named_formats())


@dataclass(frozen=True)
class FieldSettings:
    """``[fields.NAME]``: what is configured of one field."""

    column: str | None = None
    """The column's name; case, spaces and punctuation do not matter. Left out, it is the field's name."""
    aliases: tuple[str, ...] = ()
    """Other names for the column; two columns of a file for one field are an error."""
    type: Annotated[str, OneOf(_type_names)] | None = None
    """What decides [which values are the same](comparing.md#what-is-a-change)."""
    locked: bool = False
    """Changes of this field are errors; `--unlock FIELD` allows them for one run."""
    blank: Annotated[str, OneOf((LEAVE, CLEAR))] | None = None
    """What a blank cell means, `leave` or `clear`; `--blanks` overrides it for one run."""
    labels: Mapping[str, str] = field(default_factory=dict)
    """Labels for the values of the shop: `{ "A" = "on sale", "B" = "on request" }`. The sheet shows labels; an edited
    file may have either."""
    allowed: tuple[str, ...] = ()
    """The allowed values of a choice field. Another one is an error, with the nearest allowed one;
    `--allow-new-values FIELD` allows it for one run."""
    separator: Annotated[str, NotEmpty()] | None = None
    """The separator of several values in one cell, such as `"\\|"`; spaces around a value do not count."""
    ordered: bool = False
    """Whether the order of several values counts (images) or not (tags, the default)."""
    cells: Annotated[str, OneOf((REPLACE, "add", "take"))] = REPLACE
    """What several values in an edited file do: `replace` (the default), `add` or `take`."""
    required: bool = False
    """It cannot be emptied, and a new item must have it."""
    length: Count | None = None
    """Maximum characters."""
    decimals: Annotated[int, AtLeast(0), AtMost(MOST_DECIMALS)] | None = None
    """Maximum decimals; numbers are written with so many."""
    date: Annotated[str, OneOf(_date_formats)] | None = None
    """The order of a date: `YYYY-MM-DD`, `DD.MM.YYYY`, `MM/DD/YYYY` …"""
    yes: Annotated[str, NotEmpty()] | None = None
    """The word for yes of a yes/no field, such as `"Y"`; set it together with `no`."""
    no: Annotated[str, NotEmpty()] | None = None
    """The word for no, such as `"N"`."""
    unique: bool = False
    """No two items may have the same value; always so for barcodes."""
    lowest: bool = False
    """Of a category: items are in the lowest categories only."""
    by: FieldName | None = None
    """Of a field with a value for each location, language or customer group: the column that names these in a
    [long file](long-and-wide.md), such as `"location"`."""
    columns: Mapping[str, str] = field(default_factory=dict)
    """The columns of a wide file: `{ harbour = "stock_harbour", barn = "stock_barn" }`; set it together with `by`."""

    def mistakes(self) -> Iterator[InvalidSetting]:
        """What does not go together."""
        if (self.yes is None) != (self.no is None):
            given = "no" if self.yes is None else "yes"
            yield InvalidSetting("yes and no go together", "Set both.", key=given)
        if self.labels and self.allowed:
            yield InvalidSetting("labels and allowed do the same", "Keep one of the two.", key="allowed")
        if (self.by is None) == bool(self.columns):
            yield InvalidSetting("by and columns go together", "Set both.", key="columns" if self.by is None else "by")
        yield from self._ambiguous_labels()

    def _ambiguous_labels(self) -> Iterator[InvalidSetting]:
        """Labels must turn back into one value each."""
        for value, label in self.labels.items():
            if not label.strip():
                yield InvalidSetting(f"the label of {value!r} must be a text", "Correct it.", label, "labels")
            if any(label.casefold() == other.casefold() for other in self.labels if other != value):
                message = f"the label of {value!r} is another value of the store"
                yield InvalidSetting(message, "Choose another.", key="labels")
        if max(Counter(label.strip().casefold() for label in self.labels.values()).values(), default=1) > 1:
            yield InvalidSetting("two values have the same label", "Give each value a label of its own.", key="labels")

    @property
    def format_overrides(self) -> FormatOverrides:
        """What is configured of how its values are written."""
        return FormatOverrides(self.decimals, named_formats()[self.date] if self.date else None, self.yes, self.no)

    @property
    def allowed_values(self) -> tuple[str, ...]:
        """The values that the store knows, if they are configured; none if the field is open."""
        return tuple(self.labels) or self.allowed


NOT_CONFIGURED = FieldSettings()


@dataclass(frozen=True)
class SupplierProfile:
    """``[profiles.NAME]``: a supplier's file that comes again and again: its format and mapping."""

    format: Annotated[ReadOptions, Inlined()] = field(default_factory=ReadOptions)
    """The file's format, as in `[export]`."""
    columns: Mapping[str, FieldName] = field(default_factory=dict)
    """The field for each column that is not matched by its name."""
    skip: tuple[FieldName, ...] = ()
    """Fields that the file must not change."""
    match_on: tuple[FieldName, ...] = ()
    """The field that matches items, if not the key; or several that do so together, such as brand and model."""
    constants: Mapping[FieldName, str] = field(default_factory=dict)
    """The value of a field in every row, where the file does not have the field."""
    added: Annotated[tuple[FieldName, ...], Key("add")] = ()
    """Fields whose values in the file are added to the shop's, such as a delivery: `8`, `+8`, `-2`."""
    rules: Annotated[tuple[str, ...], Key("set")] = ()
    """Formulas for values."""
    rules_new: Annotated[tuple[str, ...], Key("set_new")] = ()
    """Formulas for new items."""
    new_sku: Annotated[str, NotEmpty()] | None = None
    """The SKUs of new items, such as `"KT-{number:5}"`: counted on from the highest one in the shop."""
    codes: Mapping[str, str] = field(default_factory=dict)
    """Our SKU for each of the supplier's codes."""
    values: Mapping[FieldName, Mapping[str, str]] = field(default_factory=dict)
    """By field, our value for each of the supplier's."""
    drift_baseline: Annotated[Mapping[str, str], Key("columns_last_time")] = field(default_factory=dict)
    """The columns of the file last time, and what they had; written by `--save-profile`."""

    @property
    def is_configured(self) -> bool:
        """Whether anything at all is configured, besides the format."""
        return replace(self, format=ReadOptions()) != SupplierProfile()


@dataclass(frozen=True)
class LookupTable:
    """``[tables.NAME]``: another table that formulas read, such as `costs.net`."""

    file: str
    """The file, address or database table; a path is meant from the folder of this file."""
    column: str | None = None
    """The column of the table that holds the SKU, or the values of `field`; found by name or values if left out."""
    field: FieldName | None = None
    """The field of the shop that the column holds, if not the SKU."""


@dataclass(frozen=True)
class Condition:
    """``[[checks.conditions]]``: a condition between fields, in SQL, that must hold for every item."""

    must: str
    """The condition, such as `sale_price < price`."""
    level: Annotated[str, OneOf(("error", "warning", "note"))] = "error"
    """`error` (not sent), `warning` (sent) or `note`."""
    message: str | None = None
    """The message where the rule is broken."""


@dataclass(frozen=True)
class AllowedCheck:
    """``[[checks.allow]]``: a check that a field may always pass, with who said so and why."""

    field: FieldName
    """The field."""
    check: str
    """The check, such as `fill series`."""
    by: str
    """Who allowed it."""
    why: str
    """Why: `shelves are numbered one after another`."""


@dataclass(frozen=True)
class CheckSettings:
    """``[checks]``: limits, conditions of the shop's own, and checks that are off."""

    largest_change: Annotated[float, AtLeast(0)] = 0.5
    """The largest change of a price without a warning, as a share: 0.5 is half."""
    most_changed: Annotated[float, AtLeast(0)] = 0.3
    """The largest share of all items that changes without a warning."""
    margin_floor: Annotated[float, AtLeast(0)] | None = None
    """The smallest margin without a warning, as a share of the price."""
    ignore: tuple[str, ...] = ()
    """Checks that are not run."""
    allow: tuple[AllowedCheck, ...] = ()
    """Checks that single fields may always pass."""
    conditions: tuple[Condition, ...] = ()
    """Rules for every item: `{must = "sale_price < price", message = "a sale is cheaper"}`."""


@dataclass(frozen=True)
class RoleSettings:
    """``[roles]``: which field is the price, the cost …, where headers and values do not show it."""

    price: FieldName | None = None
    """The field of the price."""
    cost: FieldName | None = None
    """The field of the cost."""
    sale_price: FieldName | None = None
    """The field of the sale price."""
    stock: tuple[FieldName, ...] = ()
    """The fields of the stock, one for each location."""
    category: FieldName | None = None
    """The field of the category."""
    brand: FieldName | None = None
    """The field of the brand."""

    def field_for(self, role: str, live: Table) -> str | None:
        """The field with a role: as configured, else the one whose header and values show it; one that is there."""
        configured: str | None = getattr(self, role)
        if configured is not None:
            return configured if configured in live.names else None
        return field_in_role(live, role)

    def lacking(self, live: Table) -> list[tuple[str, str]]:
        """The roles whose configured field is not in a live export, with that field."""
        single = ("price", "cost", "sale_price", "category", "brand")
        named = [(role, getattr(self, role)) for role in single] + [("stock", name) for name in self.stock]
        return [(role, name) for role, name in named if name is not None and name not in live.names]

    def found(self, live: Table) -> dict[str, list[str]]:
        """The fields that were found for each role; a role without any has an empty list."""
        fields = {
            role: [name] if (name := self.field_for(role, live)) else [] for role in ("price", "cost", "sale_price")
        }
        stock_fields = [name for name in self.stock if name in live.names]
        fields["stock"] = stock_fields if self.stock else fields_in_role(live, "stock")
        return fields | {role: [name] if (name := self.field_for(role, live)) else [] for role in ("category", "brand")}

    def price_and_cost(self, live: Table) -> tuple[str | None, str | None]:
        """The fields of price and cost, as far as there are any."""
        return self.field_for("price", live), self.field_for("cost", live)

    def is_stock(self, name: str, kind: str) -> bool:
        """Whether a field of this name and type counts units: as configured, else by its name."""
        return name in self.stock or (not self.stock and is_stock(name, kind))


@dataclass(frozen=True)
class Settings:
    """``[]``: the whole of catalogue.toml; everything may be left out."""

    key: tuple[str, ...] = ()
    """The fields that identify an item."""
    identity: FieldName | None = None
    """A field that identifies an item even if its SKU changes."""
    fields: Mapping[Annotated[str, AsFieldName(strict=True)], FieldSettings] = field(default_factory=dict)
    """What is configured of each field."""
    export: ReadOptions = field(default_factory=ReadOptions)
    """The format of the shop's exports."""
    imports: Annotated[ImportConfig, Key("import")] = field(default_factory=ImportConfig)
    """How the shop reads an update."""
    profiles: Mapping[str, SupplierProfile] = field(default_factory=dict)
    """Supplier profiles."""
    tables: Mapping[FieldName, LookupTable] = field(default_factory=dict)
    """Other tables that formulas read."""
    rates: Mapping[FieldName, Annotated[Decimal, Rate()]] = field(default_factory=dict)
    """Numbers for formulas, such as an exchange rate."""
    known: Mapping[FieldName, tuple[str, ...]] = field(default_factory=dict)
    """Allowed values of a field that no item has yet."""
    checks: CheckSettings = field(default_factory=CheckSettings)
    """Limits, conditions, and checks that are off."""
    money: MoneySettings = field(default_factory=MoneySettings)
    """The tax that prices include."""
    roles: RoleSettings = field(default_factory=RoleSettings)
    """Which field is the price, the cost, the stock …"""
    refresh: RefreshSettings = field(default_factory=RefreshSettings)
    """How to handle changes of the shop in the meantime."""
    store: StoreSettings = field(default_factory=StoreSettings)
    """The kept exports."""
    send: SendSettings = field(default_factory=SendSettings)
    """Approval by a person."""
    page: PageSettings = field(default_factory=PageSettings)
    """The page of `preview --page`."""
    path: Annotated[Path | None, NotInFile()] = None
    """Where the file is, if there is one."""

    def mistakes(self) -> Iterator[InvalidSetting]:
        """Two fields must not share a column."""
        taken: dict[str, str] = {}
        for name, configured in self.fields.items():
            for column in (configured.column or name, *configured.aliases):
                other = taken.setdefault(field_name(column), name)
                if other != name:
                    key = f"fields.{name}.{'aliases' if column in configured.aliases else 'column'}"
                    yield InvalidSetting(f"{column!r} is already mapped to {other}", "Use it once.", column, key)

    def field(self, name: str) -> FieldSettings:
        """What is configured of a field; nothing at all if it is not mentioned."""
        return self.fields.get(name, NOT_CONFIGURED)

    def names(self) -> dict[str, str]:
        """Field by the normalised name of each column and alias that is configured for it."""
        names_of_columns = {}
        for name, configured in self.fields.items():
            for column in (configured.column, *configured.aliases):
                if column:
                    names_of_columns[field_name(column)] = name
        return names_of_columns

    def labels(self) -> dict[str, Mapping[str, str]]:
        """The labels that are configured, by field."""
        return {name: configured.labels for name, configured in self.fields.items() if configured.labels}

    def unknown_in(self, names: Sequence[str]) -> list[str]:
        """Which of these fields are not configured."""
        return [name for name in names if name not in self.fields]

    def missing_in(self, names: Sequence[str]) -> list[str]:
        """Which configured fields are not among these."""
        return [name for name, one in self.fields.items() if name not in names and not one.by]

    def is_locked(self, name: str) -> bool:
        """Whether a field is locked: as configured, else if it is one whose change has wide effects."""
        return self.fields[name].locked if name in self.fields else bool(LOCKED_BY_DEFAULT.search(name))

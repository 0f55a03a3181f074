"""What a person has settled about the catalogue, once, instead of having it recognised each time."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import TYPE_CHECKING

from neat_delta.tables.field import field_name
from neat_delta.tables.field_types import FormSettings
from neat_delta.tables.field_types.date import told_forms

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import Path

# What the file of settings is called.
NAME = "catalogue.toml"
REPLACE = "replace"
LEAVE, CLEAR = "leave", "clear"
EMPTIES, LEAVES = "empties", "leaves"
# Under these names shops keep what things sell for and cost, surest first.
PRICES = ("price", "selling_price", "retail_price", "net_price", "gross_price", "unit_price", "list_price", "rrp")
COSTS = ("cost", "cost_price", "unit_cost", "purchase_price", "buying_price")
SALE_PRICES = ("sale_price", "special_price", "offer_price", "promotion_price", "discounted_price")
# What a shop keeps itself, or what changes far more than one cell when it changes.
DANGEROUS = re.compile(
    r"^(item_|product_)?(id|type|uuid)$|(^|_)(tax_class|attribute_(set|group))$|^(added|created|updated|changed)(_at|_on)?$"
)


@dataclass(frozen=True)
class FieldSettings:
    """What is settled of one field.

    ``column`` and ``aliases``: its column and other names for it; ``kind``; ``locked``; ``blank``: what a blank cell
    means. ``labels``: what people read for each value that the store writes; ``allowed``: the values of a limited
    field. ``separator``: what parts several values in one cell, ``ordered`` if their order counts, ``cells``: whether
    the values in a sheet "replace" them, or are there to "add" or "take". ``required``: it must not be emptied;
    ``unique``: no two items may share a value; ``lowest``: items stand in lowest categories only. ``length``: the
    longest text. ``decimals``, ``date``, ``yes`` and ``no``: its form.
    """

    column: str | None = None
    aliases: tuple[str, ...] = ()
    kind: str | None = None
    locked: bool = False
    blank: str | None = None
    labels: Mapping[str, str] = field(default_factory=dict)
    allowed: tuple[str, ...] = ()
    separator: str | None = None
    ordered: bool = False
    cells: str = REPLACE
    required: bool = False
    length: int | None = None
    decimals: int | None = None
    date: str | None = None
    yes: str | None = None
    no: str | None = None
    unique: bool = False
    lowest: bool = False

    @property
    def form(self) -> FormSettings:
        """What is settled of the form of its values."""
        return FormSettings(self.decimals, told_forms()[self.date] if self.date else None, self.yes, self.no)

    @property
    def limited(self) -> tuple[str, ...]:
        """The values that the store knows, if they are settled; none if the field is open."""
        return tuple(self.labels) or self.allowed


NOTHING_SETTLED = FieldSettings()


@dataclass(frozen=True)
class ExportForm:
    """How the shop writes its exports; what is ``None`` is recognised."""

    delimiter: str | None = None
    encoding: str | None = None
    decimal: str | None = None
    header_line: int | None = None
    sheet: str | None = None


@dataclass(frozen=True)
class ImportRules:
    """How the shop reads an update; what is ``None`` is as in its exports.

    ``blank``: whether a blank cell "empties" a field or "leaves" it, ``None`` if nobody has said; ``marker``: what is
    written to empty a field where a blank does not. ``columns``: fields that every file must have beside the key.
    ``rows`` and ``bytes``: the most that one file may have, the header among them. ``table``: the database's table, for
    updates as SQL. ``instead_of_removal``: what fields of an item become that would be removed, where the shop keeps
    such items.
    """

    delimiter: str | None = None
    encoding: str | None = None
    decimal: str | None = None
    blank: str | None = None
    marker: str | None = None
    columns: tuple[str, ...] = ()
    rows: int | None = None
    bytes: int | None = None
    table: str = "items"
    instead_of_removal: Mapping[str, str] = field(default_factory=dict)

    @property
    def can_empty(self) -> bool:
        """Whether a file can empty a field at all."""
        return not self.leaves_blanks or self.marker is not None

    @property
    def leaves_blanks(self) -> bool:
        """Whether a blank cell leaves a field alone; where nobody has said so, it is taken to empty it."""
        return self.blank == LEAVES


@dataclass(frozen=True)
class ListSettings:
    """What is settled of a list that comes again and again: its form, and how it is brought into our terms.

    ``columns``: the field for each column that is not known by its name; ``leave_out``: fields that the list must not
    touch; ``match_on``: the field that names items in it, if not the key; ``assume``: constants, by field; ``rules``:
    how values are computed, ``rules_new``: how those of new items are, where it is another way; ``remember``: our code
    for each of theirs; ``values``: by field, our value for each of theirs; ``seen``: the columns that it had last time,
    and what they held.
    """

    form: ExportForm = field(default_factory=ExportForm)
    columns: Mapping[str, str] = field(default_factory=dict)
    leave_out: tuple[str, ...] = ()
    match_on: str | None = None
    assume: Mapping[str, str] = field(default_factory=dict)
    rules: tuple[str, ...] = ()
    rules_new: tuple[str, ...] = ()
    remember: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    seen: Mapping[str, str] = field(default_factory=dict)

    @property
    def is_told(self) -> bool:
        """Whether anything at all is settled of the list, besides its form."""
        return replace(self, form=ExportForm()) != ListSettings()


@dataclass(frozen=True)
class Condition:
    """A condition between fields in SQL that must hold for every item, how heavy it weighs, and what is said of it."""

    must: str
    level: str = "stop"
    say: str | None = None


@dataclass(frozen=True)
class CheckSettings:
    """Where the guards stand, by shares (0.5 is half); conditions of the shop's own; checks that are off."""

    largest_move: float = 0.5
    most_changed: float = 0.3
    margin_floor: float | None = None
    off: tuple[str, ...] = ()
    conditions: tuple[Condition, ...] = ()


@dataclass(frozen=True)
class MoneySettings:
    """Which fields hold price, cost and sale price, where their names do not tell; and the tax a price includes."""

    price: str | None = None
    cost: str | None = None
    sale_price: str | None = None
    tax: Decimal = Decimal(0)

    def price_of(self, names: Sequence[str]) -> str | None:
        """The field of the price, if there is one."""
        return self.price or next((name for name in PRICES if name in names), None)

    def sale_of(self, names: Sequence[str]) -> str | None:
        """The field of the sale price, if there is one."""
        return self.sale_price or next((name for name in SALE_PRICES if name in names), None)

    def both(self, names: Sequence[str]) -> tuple[str | None, str | None]:
        """The fields of price and cost, as far as there are any."""
        return self.price_of(names), self.cost or next((name for name in COSTS if name in names), None)


@dataclass(frozen=True)
class RefreshSettings:
    """What is settled about a shop that moves on meanwhile.

    ``difference``: fields that are sent as what we add to them or take from them, such as a stock that sells;
    ``hours``: how old a live export may be when an update is written from it.
    """

    difference: tuple[str, ...] = ()
    hours: int | None = None


@dataclass(frozen=True)
class Settings:
    """The whole of catalogue.toml; everything may be left out. ``path`` is where it stands, if it does.

    ``identity`` is a field by which an item is known even where its code changes.

    ``rates`` are numbers for rules, as they are written there; ``known`` are values of a field that no item has yet.
    """

    key: tuple[str, ...] = ()
    identity: str | None = None
    fields: Mapping[str, FieldSettings] = field(default_factory=dict)
    export: ExportForm = field(default_factory=ExportForm)
    imports: ImportRules = field(default_factory=ImportRules)
    lists: Mapping[str, ListSettings] = field(default_factory=dict)
    rates: Mapping[str, str] = field(default_factory=dict)
    known: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    checks: CheckSettings = field(default_factory=CheckSettings)
    money: MoneySettings = field(default_factory=MoneySettings)
    refresh: RefreshSettings = field(default_factory=RefreshSettings)
    path: Path | None = None

    def of(self, name: str) -> FieldSettings:
        """What is settled of a field; nothing at all if it is not mentioned."""
        return self.fields.get(name, NOTHING_SETTLED)

    def names(self) -> dict[str, str]:
        """Field by the normalised name of each column and alias that is settled for it."""
        found = {}
        for name, told in self.fields.items():
            for column in (told.column, *told.aliases):
                if column:
                    found[field_name(column)] = name
        return found

    def labels(self) -> dict[str, Mapping[str, str]]:
        """The labels that are settled, by field."""
        return {name: told.labels for name, told in self.fields.items() if told.labels}

    def unknown_in(self, names: Sequence[str]) -> list[str]:
        """Which of these fields are not settled."""
        return [name for name in names if name not in self.fields]

    def missing_in(self, names: Sequence[str]) -> list[str]:
        """Which settled fields are not among these."""
        return [name for name in self.fields if name not in names]

    def is_locked(self, name: str) -> bool:
        """Whether a field is locked: as settled, else if it is one whose change has wide effects."""
        return self.fields[name].locked if name in self.fields else bool(DANGEROUS.search(name))

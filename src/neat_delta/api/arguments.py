"""What can be said of a comparison, by the names that the command line's options have."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, TypedDict

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.changeset.changeset import Overrides
from neat_delta.diff.compare import CompareOptions
from neat_delta.locations import parse_location
from neat_delta.tables import field_name
from neat_delta.tables.settings import Settings, SupplierProfile

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from os import PathLike


class AllowArguments(TypedDict, total=False):
    """What checks let through, in this call only."""

    unlock: Sequence[str]
    """Locked fields that may change."""
    allow_new_values: Sequence[str]
    """Choice fields that may have values the shop does not know."""
    as_typed: Sequence[str]
    """Fields in which what looks like damage by a spreadsheet program is meant."""
    ignore: Sequence[str]
    """Checks that are not run."""


class CompareArguments(AllowArguments, total=False):
    """How to compare; what is left out is as configured, else as the files show."""

    key: Sequence[str]
    """The fields that identify an item."""
    where: str
    """Only items for which this condition in SQL holds."""
    items: str | PathLike[str]
    """A file of SKUs, one a line: only these items."""
    add_new: bool
    """New rows are added as new items."""
    delete_missing: int
    """Items without a row are deleted, if they are no more than this."""
    blanks: str
    """What a blank cell does: "leave" or "clear"."""
    types: Mapping[str, str]
    """The type of a field, by field."""
    repair_skus: bool
    """Damaged SKUs are repaired where only one item fits."""
    profile: str | SupplierProfile
    """The supplier profile of the edited file: its name in the settings, or itself."""
    map: Mapping[str, str]
    """The field for each column that is not matched by its name."""
    skip: Sequence[str]
    """Fields that the edited file must not change."""
    match_on: Sequence[str]
    """The fields that match items, if not the key."""
    constant: Mapping[str, str]
    """The value of a field in every row."""
    add: Sequence[str]
    """Fields whose values are added to the shop's."""
    set: Sequence[str]
    """Formulas for values, such as ``price = file.cost * 1.95``."""
    set_new: Sequence[str]
    """Formulas for new items."""


def known(given: Mapping[str, object], allowed: type, function: str) -> None:
    """See that only arguments are given that there are.

    Raises:
        TypeError: one is none of them, as for any other function.
    """
    names = list(allowed.__annotations__)
    for name in given:
        if name not in names:
            hint = nearest_hint(name, names, "Known")
            raise TypeError(f"{function}() got an unexpected keyword argument {name!r}. {hint}")


def overrides_of(given: AllowArguments | CompareArguments) -> Overrides:
    """What checks let through."""
    names = ("unlock", "allow_new_values", "as_typed", "ignore")
    return Overrides(**{name: tuple(given.get(name, ())) for name in names})  # type: ignore[arg-type]


def compare_options(given: CompareArguments, settings: Settings) -> CompareOptions:
    """How to compare.

    Raises:
        InvalidOption: ``blanks`` is neither of its two words.
    """
    blanks, items = given.get("blanks"), given.get("items")
    if blanks not in (None, "leave", "clear"):
        raise InvalidOption("not what a blank cell can do", option="blanks", value=blanks, hint="Give leave or clear.")
    return CompareOptions(
        key=tuple(given.get("key", ())),
        clear_blanks=None if blanks is None else blanks == "clear",
        types=given.get("types", {}),
        repair_keys=given.get("repair_skus", False),
        where=given.get("where"),
        items=parse_location(str(items)) if items is not None else None,
        add_new=given.get("add_new", False),
        delete_at_most=given.get("delete_missing"),
        settings=settings,
        as_typed=tuple(given.get("as_typed", ())),
    )


def profile_of(given: CompareArguments, settings: Settings) -> SupplierProfile:
    """How the edited file is mapped to the shop's fields: by a profile, and what is given besides.

    Raises:
        InvalidOption: there is no profile of this name.
    """
    profile = given.get("profile", SupplierProfile())
    if isinstance(profile, str):
        if profile not in settings.profiles:
            hint = nearest_hint(profile, list(settings.profiles), "Profiles")
            raise InvalidOption("no supplier profile of this name", option="profile", value=profile, hint=hint)
        profile = settings.profiles[profile]

    def fields(name: str) -> tuple[str, ...]:
        return tuple(field_name(one) for one in given.get(name, ()))  # type: ignore[attr-defined]

    columns = {column: field_name(field) for column, field in given.get("map", {}).items()}
    constants = {field_name(field): value for field, value in given.get("constant", {}).items()}
    return replace(
        profile,
        columns={**profile.columns, **columns},
        skip=(*profile.skip, *fields("skip")),
        match_on=fields("match_on") or profile.match_on,
        constants={**profile.constants, **constants},
        added=(*profile.added, *fields("add")),
        rules=(*profile.rules, *given.get("set", ())),
        rules_new=(*profile.rules_new, *given.get("set_new", ())),
    )

"""Making change sets: by an edited table, by formulas, by new SKUs, out of others; and taking a part of one."""

from __future__ import annotations

from os import PathLike
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.cell_selection import Selection, cells_in
from neat_delta.api.arguments import (
    AllowArguments,
    CompareArguments,
    compare_options,
    known,
    overrides_of,
    profile_of,
)
from neat_delta.api.tables import SettingsLike, TableLike, read, settings_of
from neat_delta.base.errors import InvalidInput
from neat_delta.changeset.subset import subset
from neat_delta.checks import recheck
from neat_delta.diff.compare import CompareOptions
from neat_delta.diff.formulas import parse_formula
from neat_delta.diff.recode import code_pairs
from neat_delta.diff.recode import recode as recode_items
from neat_delta.locations import parse_location
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.matching.selection import filter_rows
from neat_delta.reading import read_table
from neat_delta.reading.frames import table_from_frame
from neat_delta.reconcile.conflicts import HOLD, ConflictPolicy
from neat_delta.tables import Table
from neat_delta.workflows.base import KEPT_BASE, NO_BASE, BaseWish
from neat_delta.workflows.combining import Preference, combined
from neat_delta.workflows.plan import PlanOptions, checked, context_of, plan_adjustment, plan_comparison

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Unpack

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.reconcile.combine import CombineResult
    from neat_delta.tables.read_options import ReadOptions
    from neat_delta.tables.settings import Settings


def compare(
    live: TableLike,
    edited: TableLike,
    settings: SettingsLike = None,
    *,
    base: TableLike | None = None,
    on_conflict: str = HOLD,
    **options: Unpack[CompareArguments],
) -> ChangeSet:
    """What the edited table changes in the live one, after all checks.

    >>> import polars as pl
    >>> import neat_delta as nd
    >>> live = pl.DataFrame({"sku": ["A", "B"], "price": ["1.00", "2.00"]})
    >>> edited = pl.DataFrame({"sku": ["A", "B"], "price": ["1.10", "2.00"]})
    >>> nd.compare(live, edited).cells.rows()
    [('A', 'price', '1.00', '1.10')]

    Args:
        live: the live export: a file, an address or a frame.
        edited: the edited table, likewise; it need not have all fields or rows.
        settings: what is configured, or the path of a ``catalogue.toml``.
        base: the older export that the edited table was made from: then only what was edited since is a change. A
            sheet that was made for editing carries it, or is known by its place. "none": there is none; "kept": the
            kept export that the table looks like.
        on_conflict: with a base, where both have changed a cell: "hold" it back, or "ours", or "theirs".
        options: how to compare, as ``CompareArguments`` has it.

    Raises:
        InvalidOption: an option names what does not exist, or the base lacks the key.
        AmbiguousKey: no column can be taken as the key without asking.
        InvalidInput: a file cannot be read as a table.
    """
    known(options, CompareArguments, "compare")
    own = settings_of(settings)
    profile, shop = profile_of(options, own), read(live, own)
    sheet = edited if isinstance(edited, Table) else _edited(edited, profile.format)
    plan = PlanOptions(
        compare_options(options, own),
        profile,
        overrides=overrides_of(options),
        base=BaseWish(_base(base, own)),
        on_conflict=ConflictPolicy(on_conflict),
    )
    return plan_comparison(shop, sheet, plan)[0].changes


def _base(base: TableLike | None, settings: Settings) -> Table | str | None:
    if isinstance(base, str) and base in (NO_BASE, KEPT_BASE):
        return base
    return None if base is None else read(base, settings)


def _edited(edited: TableLike, form: ReadOptions) -> Table:
    """An edited table as it came: its columns are mapped when it is compared."""
    if isinstance(edited, str | PathLike):
        return read_table(parse_location(str(edited)), options=form)
    return read(edited, name="edited.csv")


def adjust(
    live: TableLike,
    formulas: Sequence[str],
    settings: SettingsLike = None,
    *,
    where: str | None = None,
    key: Sequence[str] = (),
    **allow: Unpack[AllowArguments],
) -> ChangeSet:
    """What formulas change in the live table, after all checks.

    >>> import polars as pl
    >>> import neat_delta as nd
    >>> live = pl.DataFrame({"sku": ["A", "B"], "price": ["1.00", "20.00"]})
    >>> nd.adjust(live, ["price = price * 1.05"], where="price > 10").cells["now"].to_list()
    ['21.00']

    Args:
        live: the live export.
        formulas: each ``field = expression``, in standard SQL over the fields; all see the values as they were before.
        settings: what is configured.
        where: a condition in SQL; only items for which it holds.
        key: the fields that identify an item, if not as configured.
        allow: what checks let through, as ``AllowArguments`` has it.

    Raises:
        InvalidOption: a formula or the condition is wrong, or names what does not exist.
    """
    known(allow, AllowArguments, "adjust")
    own, overrides = settings_of(settings), overrides_of(allow)
    context = context_of(read(live, own), own, key)
    plan = PlanOptions(CompareOptions(settings=own, as_typed=overrides.as_typed), overrides=overrides)
    parsed = [parse_formula(text) for text in formulas]
    return plan_adjustment(context, parsed, where, None, plan)[0].changes


def recode(
    live: TableLike,
    new_keys: Mapping[str, str],
    settings: SettingsLike = None,
    *,
    rename_images: bool = False,
    **allow: Unpack[AllowArguments],
) -> ChangeSet:
    """What it takes to give items other SKUs: the SKUs, and the fields of other items that name them.

    Args:
        live: the live export.
        new_keys: the new SKU by the one that the item has.
        settings: what is configured.
        rename_images: names of image files that hold an item's SKU get the new one.
        allow: what checks let through, as ``AllowArguments`` has it.

    Raises:
        InvalidOption: the key has several fields.
    """
    known(allow, AllowArguments, "recode")
    own = settings_of(settings)
    pairs = {"old": list(new_keys), "new": list(new_keys.values())}
    codes = table_from_frame(pl.DataFrame(pairs, schema={"old": pl.String, "new": pl.String}), "new_keys.csv")
    context = context_of(read(live, own), own)
    asked = code_pairs(codes, context.key, "old", "new")
    result = recode_items(codes, context, asked, CompareOptions(settings=own), images=rename_images)
    return checked(result, own, overrides_of(allow)).changes


def combine(sets: Mapping[str, ChangeSet], *, prefer: str | None = None) -> CombineResult:
    """Change sets of one live export as one.

    Args:
        sets: the change sets by their names, which are columns of the conflicts.
        prefer: the name of the change set whose value goes on where they disagree; none: such cells are not sent.

    Returns:
        ``changes``, the change set of them all, ``conflicts`` (key, field, was, a column for each name, chosen) and the
        number of ``shared`` cells.

    Raises:
        InvalidOption: they are not of one live export, or have different keys.
    """
    return combined(list(sets.values()), list(sets), Preference(prefer))


def accept(
    changes: ChangeSet,
    *,
    where: str | None = None,
    only: Sequence[str] = (),
    skip: Sequence[str] = (),
    items: Sequence[str] | None = None,
    live: TableLike | None = None,
    settings: SettingsLike = None,
) -> ChangeSet:
    """The accepted part of a change set: what meets all conditions; the rest stays in it as notes.

    >>> import polars as pl
    >>> import neat_delta as nd
    >>> live = pl.DataFrame({"sku": ["A", "B"], "price": ["1.00", "2.00"]})
    >>> changes = nd.adjust(live, ["price = price + 1"])
    >>> nd.accept(changes, where="price > 1", live=live).cells["key"].to_list()
    ['B']

    Args:
        changes: the change set.
        where: a condition in SQL over an item's fields as they are in the shop; it needs ``live``.
        only: fields of which changes are accepted.
        skip: fields of which no change is accepted.
        items: the SKUs of items; of a key of several fields, its parts in a tuple.
        live: the live export that the change set was made from.
        settings: what is configured.

    Raises:
        InvalidOption: a field or an item is not in the change set, or the condition is none.
        InvalidInput: there is a condition, and no live table.
    """
    own = settings_of(settings)
    if where is not None and live is None:
        raise InvalidInput("a condition is about the live table", hint="Give it as live=…")
    table = None if live is None else read(live, own).renamed(changes.head.names())
    keys = None if items is None else tuple(one if isinstance(one, str) else KEY_SEPARATOR.join(one) for one in items)
    selection = Selection(tuple(only), tuple(skip), where, keys)
    return subset(changes, cells_in(changes, selection, table, own))


def filter_keys(live: TableLike, where: str, settings: SettingsLike = None) -> pl.Series:
    """The keys of the live items for which a condition in SQL holds, in the order of the export.

    Raises:
        InvalidOption: it is no condition, or names a field that does not exist.
    """
    own = settings_of(settings)
    context = context_of(read(live, own), own)
    return context.key.values(context.live, filter_rows(context, where))


def check(
    changes: ChangeSet, live: TableLike, settings: SettingsLike = None, **allow: Unpack[AllowArguments]
) -> ChangeSet:
    """The change set after all checks against the live table as it is now; what they block is taken out.

    Raises:
        InvalidOption: an override names a field or a check that does not exist.
    """
    known(allow, AllowArguments, "check")
    own = settings_of(settings)
    return recheck(changes, read(live, own).renamed(changes.head.names()), own, overrides_of(allow))

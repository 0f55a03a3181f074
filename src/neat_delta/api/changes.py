"""Making change sets: by an edited table, by formulas, by new SKUs, out of others; and taking a part of one."""

from __future__ import annotations

from os import PathLike
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.api.tables import SettingsLike, TableLike, read, settings_of
from neat_delta.api.translate import base_members, request_of, table_or_place
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.matching.selection import filter_rows
from neat_delta.reading.frames import table_from_frame
from neat_delta.workflows import accept as accepting
from neat_delta.workflows import adjust as adjusting
from neat_delta.workflows import check as checking
from neat_delta.workflows import combine as combining
from neat_delta.workflows import compare as comparing
from neat_delta.workflows import recode as recoding
from neat_delta.workflows.plan import context_of
from neat_delta.workflows.requests import (
    AcceptRequest,
    AdjustRequest,
    CheckRequest,
    CombineRequest,
    CompareRequest,
    RecodeRequest,
)

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Unpack

    from neat_delta.api.arguments import (
        AcceptArguments,
        AdjustArguments,
        CheckArguments,
        CombineArguments,
        CompareArguments,
        RecodeArguments,
    )
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location
    from neat_delta.reconcile.combine import CombineResult
    from neat_delta.tables import Table


def compare(
    live: TableLike,
    edited: TableLike | Sequence[TableLike],
    settings: SettingsLike = None,
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
        edited: the edited table, likewise; it need not have all fields or rows. Several in a list are combined.
        settings: what is configured, or the path of a ``catalogue.toml``.
        options: how to compare, and what is saved and written of it, as ``CompareArguments`` has it.

    Raises:
        InvalidOption: an option names what does not exist, or the base lacks the key.
        AmbiguousKey: no column can be taken as the key without asking.
        InvalidInput: a file cannot be read as a table.
        WriteError, LiveMismatch, NotApproved, ProofFailed: an update is wanted and cannot be written.
    """
    configured = settings_of(settings)
    files = edited if isinstance(edited, list | tuple) else [edited]
    given = dict(options)
    members = base_members(options.get("base"), configured)
    given.pop("base", None)
    request = request_of(
        CompareRequest,
        "compare",
        given,
        configured,
        live=table_or_place(live, configured),
        edited=tuple(table_or_place(one, configured, "edited.csv") for one in files),
        **members,
    )
    return comparing.compare(request).changes


def adjust(
    live: TableLike, formulas: Sequence[str], settings: SettingsLike = None, **options: Unpack[AdjustArguments]
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
        options: which items, how values are rounded, and what is saved and written, as ``AdjustArguments`` has it.

    Raises:
        InvalidOption: a formula or the condition is wrong, or names what does not exist.
        WriteError, LiveMismatch, NotApproved, ProofFailed: an update is wanted and cannot be written.
    """
    configured = settings_of(settings)
    request = request_of(
        AdjustRequest, "adjust", options, configured, live=table_or_place(live, configured), set=tuple(formulas)
    )
    return adjusting.adjust(request).changes


def recode(
    live: TableLike,
    new_keys: Mapping[str, str] | TableLike,
    settings: SettingsLike = None,
    **options: Unpack[RecodeArguments],
) -> ChangeSet:
    """What it takes to give items other SKUs: the SKUs, and the fields of other items that name them.

    Args:
        live: the live export.
        new_keys: the new SKU by the one that the item has; or a table of old and new ones.
        settings: what is configured.
        options: how the list is read, and what is saved and written, as ``RecodeArguments`` has it.

    Raises:
        InvalidOption: the key has several fields, or the columns of the list are not known.
        WriteError, LiveMismatch, NotApproved, ProofFailed: an update is wanted and cannot be written.
    """
    configured = settings_of(settings)
    given = dict(options)
    codes: Table | Location
    if isinstance(new_keys, dict):
        pairs = {"old": list(new_keys), "new": list(new_keys.values())}
        frame = pl.DataFrame(pairs, schema={"old": pl.String, "new": pl.String})
        codes = table_from_frame(frame, "new_keys.csv")
        given |= {"old": "old", "new": "new"}
    else:
        codes = table_or_place(new_keys, configured, "codes.csv")
    request = request_of(RecodeRequest, "recode", given, configured, live=table_or_place(live, configured), codes=codes)
    return recoding.recode(request).changes


def combine(
    sets: Mapping[str, ChangeSet],
    live: TableLike,
    settings: SettingsLike = None,
    **options: Unpack[CombineArguments],
) -> CombineResult:
    """Change sets of one live export as one, after all checks: what each may change, all together may not.

    Args:
        sets: the change sets by their names, which are columns of the conflicts.
        live: the live export that they were made from.
        settings: what is configured.
        options: whose value goes on where they disagree, and what is saved, as ``CombineArguments`` has it.

    Returns:
        ``changes``, the change set of them all, ``conflicts`` (key, field, was, a column for each name, chosen) and the
        number of ``shared`` cells.

    Raises:
        InvalidOption: they are not of one live export, or have different keys.
        LiveMismatch: they were made from another live export.
    """
    configured = settings_of(settings)
    members = {"changes": tuple(sets.values()), "names": tuple(sets), "live": table_or_place(live, configured)}
    return combining.combine(request_of(CombineRequest, "combine", options, configured, **members))


def accept(
    changes: ChangeSet,
    live: TableLike | None = None,
    settings: SettingsLike = None,
    *,
    items: Sequence[str] | Sequence[tuple[str, ...]] | str | PathLike[str] | None = None,
    **options: Unpack[AcceptArguments],
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
        live: the live export that it was made from; a condition needs it.
        settings: what is configured.
        items: the SKUs of items, of a key of several fields its parts in a tuple; or a file of them, one a line.
        options: fields, a condition, what people have decided in a page or a workbook, and what is saved, as
            ``AcceptArguments`` has it.

    Raises:
        InvalidOption: a field or an item is not in the change set, or the condition is none.
        InvalidInput: there is a condition, and no live table.
    """
    configured = settings_of(settings)
    members: dict[str, Any] = {"changes": changes, "live": None if live is None else table_or_place(live, configured)}
    given = dict(options)
    if items is not None and not isinstance(items, str | PathLike):
        members["keys"] = tuple(one if isinstance(one, str) else KEY_SEPARATOR.join(one) for one in items)
    elif items is not None:
        given["items"] = items
    return accepting.accept(request_of(AcceptRequest, "accept", given, configured, **members)).changes


def filter_keys(live: TableLike, where: str, settings: SettingsLike = None) -> pl.Series:
    """The keys of the live items for which a condition in SQL holds, in the order of the export.

    Raises:
        InvalidOption: it is no condition, or names a field that does not exist.
    """
    configured = settings_of(settings)
    context = context_of(read(live, configured), configured)
    return context.key.values(context.live, filter_rows(context, where))


def check(
    changes: ChangeSet, live: TableLike, settings: SettingsLike = None, **options: Unpack[CheckArguments]
) -> ChangeSet:
    """The change set after all checks against the live table as it is now; what they block is taken out.

    Raises:
        InvalidOption: an override names a field or a check that does not exist.
        LiveMismatch: the change set was made from another live table.
    """
    configured = settings_of(settings)
    request = request_of(
        CheckRequest, "check", options, configured, changes=changes, live=table_or_place(live, configured)
    )
    return checking.check(request).changes

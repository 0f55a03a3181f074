"""Requests of the jobs that show or draft: what can be asked of inspect, setup, preview and history.

Nothing heavy is loaded here, for the help of a command is made from it.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from neat_delta.base.options import DISPLAY, OUTPUT, SAFETY, SCOPE, option, words_of
from neat_delta.locations import Location
from neat_delta.workflows.option_groups import KeyOption, OverwriteOption, PartOptions, ReadingOptions

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

ReviewBy = Literal["cell", "item"]


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class InspectRequest(ReadingOptions):
    """See what is in a table.

    Attributes:
        file: the table, or where it is.
        settings: what is configured.
    """

    file: Table | Location
    settings: Settings


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class SetupRequest(KeyOption, ReadingOptions):
    """Draft the settings of a shop from its live export.

    Attributes:
        export: where the live export is.
    """

    export: Location
    out: Path = option(
        Path("catalogue.toml"),
        OUTPUT,
        "The settings file.",
        metavar="FILE",
        names=("-o", "--out"),
        shows_default=True,
    )
    yes: bool = option(False, OUTPUT, "Add missing fields to an existing file; nothing else changes.")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class PreviewRequest(PartOptions, OverwriteOption):
    """See a change set, or a part of it, and save what people decide with.

    Attributes:
        changes: the change set, or its file.
        live: the live export; ``None``: it is found where it is needed.
        settings: what is configured.
    """

    changes: ChangeSet | Location
    live: Table | Location | None
    settings: Settings
    by: str = option(
        "item",
        DISPLAY,
        "Group by item (default), field, category, brand, or the name of any field.",
        metavar="WHAT",
    )
    item: tuple[str, ...] = option((), DISPLAY, "Show one item, before and after. Repeatable.", metavar="SKU")
    money: bool = option(False, DISPLAY, "Prices, costs, margins; prices needed to keep the margin.")
    stock: bool = option(False, DISPLAY, "Units and value, up and down, by location.")
    quotes: Location | None = option(
        None, DISPLAY, "Open quotes or contract prices that the new costs affect.", metavar="FILE"
    )
    quotes_csv: Path | None = option(None, OUTPUT, "Save the result of --quotes.", metavar="FILE")
    page: Path | None = option(None, OUTPUT, "Save a page for a browser (HTML, one file).", metavar="FILE", common=True)
    review: Path | None = option(
        None, OUTPUT, "Save a review workbook (accept or reject each row).", metavar="FILE", common=True
    )
    review_by: ReviewBy = option(
        "cell",
        OUTPUT,
        "One row of the review workbook per changed cell, or per item.",
        choices=words_of(ReviewBy),
        shows_default=True,
    )
    charts: Path | None = option(None, OUTPUT, "Save charts in this folder (PNG, SVG).", metavar="DIR", common=True)


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class HistoryRequest(OverwriteOption):
    """See what was sent, when, with what result.

    Attributes:
        what: the number of an update, or the SKU of an item; ``None``: all updates.
        history: the history's file; ``None``: the user's.
        settings: what is configured.
    """

    what: str | None
    history: Path | None
    settings: Settings
    sku: str | None = option(
        None, SCOPE, "The past of this item, also if its SKU could be the number of an entry.", metavar="SKU"
    )
    since: datetime | None = option(None, SCOPE, "Only what was sent since then.", metavar="DATE", common=True)
    until: datetime | None = option(None, SCOPE, "Only what was sent until then.", metavar="DATE")
    person: str | None = option(
        None, SCOPE, "Only what this person made, approved or sent.", metavar="NAME", common=True
    )
    field: str | None = option(None, SCOPE, "Only changes of this field; every cell is listed.", metavar="FIELD")
    cells: bool = option(False, SCOPE, "List every cell that was sent, and by whom.", common=True)
    exports: bool = option(False, SCOPE, "List the live exports that are kept.")
    prune: bool = option(False, SAFETY, "Delete kept exports beyond the limits in [store] of catalogue.toml.")
    out: Path | None = option(
        None,
        OUTPUT,
        "Save the list as CSV, or as .json.",
        metavar="FILE",
        common=True,
        names=("-o", "--out"),
    )

"""Preview: what a change set, or a part of it, does to items, money and stock; and the files people decide with."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.analysis.grouping import by_group, field_of
from neat_delta.analysis.margins import price_moves, touched_records
from neat_delta.analysis.stock import stock_moves
from neat_delta.base.errors import InvalidOption, WriteError
from neat_delta.base.nearest import nearest_hint
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.files.atomic_write import new_together, write_atomic
from neat_delta.files.output_paths import check_outputs
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.matching.quote_columns import quote_columns
from neat_delta.reading import read_strict
from neat_delta.tables import field_name
from neat_delta.update.delimited import report_csv
from neat_delta.workbooks.review import review_workbook
from neat_delta.workflows.accept import selected_part
from neat_delta.workflows.saved_changes import changes_with_live, loaded

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    import polars as pl

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
    from neat_delta.workflows.view_requests import PreviewRequest

    # What draws the page and the charts of a preview: their files, by what they are.
    Drawing = Callable[["PreviewRequest", "Preview", ProgressReporter], dict[str, dict[Path, bytes]]]

# What is shown without grouping by a field.
ITEM, FIELD = "item", "field"
# The order in which files are named.
FILES = ("quotes", "page", "review", "charts")


@dataclass(frozen=True)
class Preview:
    """What a change set, or a part of it, does.

    Attributes:
        changes: the part that is shown.
        whole: the change set that it is a part of.
        both: its items before and after; ``None``: nothing was asked for that the live export is needed for.
        groups: changes by the value of a field, as ``by_group`` has them.
        money: prices, costs and margins, as ``price_moves`` has them.
        stock: units and values, as ``stock_moves`` has them.
        affected_quotes: the quotes that new costs affect, as ``touched_records`` has them.
        quotes: the table of quotes.
    """

    changes: ChangeSet
    whole: ChangeSet
    both: BeforeAfter | None = None
    groups: pl.DataFrame | None = None
    money: pl.DataFrame | None = None
    stock: pl.DataFrame | None = None
    affected_quotes: pl.DataFrame | None = None
    quotes: Table | None = None

    @property
    def live(self) -> Table | None:
        """The live export, where it was needed."""
        return None if self.both is None else self.both.live


def preview(
    request: PreviewRequest, progress: ProgressReporter = NO_PROGRESS, draw: Drawing | None = None
) -> tuple[Preview, dict[str, list[Path]]]:
    """Work out what is asked for, and save the files that are; returns these by what they are.

    Args:
        request: what is asked for.
        progress: is told the steps.
        draw: what draws the page and the charts.

    Raises:
        InvalidOption: a field, an item or a group is not in the change set, or the condition is none.
        LiveMismatch: the change set was made from another live export.
        WriteError: a file cannot be written; then none is.
    """
    check_outputs(request.page, request.review, request.quotes_csv, replace=request.overwrite)
    if request.charts is not None and request.charts.is_file():
        raise WriteError("this is a file, not a folder", file=request.charts, hint="Choose another name.")
    if request.quotes_csv is not None and request.quotes is None:
        raise InvalidOption("there are no quotes", option="quotes_csv", hint="Give the file with the quotes as well.")
    seen = _previewed(request, progress)
    drawn = {} if draw is None else draw(request, seen, progress)
    return seen, _save({**_reports(request, seen, progress), **drawn}, request)


def _previewed(request: PreviewRequest, progress: ProgressReporter) -> Preview:
    """What is asked for."""
    settings = request.settings
    if request.live is None and not _asks_for_live(request):
        whole = loaded(request.changes, progress)
        return Preview(selected_part(whole, request, None, settings), whole)
    whole, live = changes_with_live(request.changes, request.live, settings, progress)
    changes = selected_part(whole, request, live, settings)
    both = BeforeAfter(changes, live)
    _insist_on_items(request, changes)
    progress.step("calculating")
    grouped = None if request.by in (ITEM, FIELD) else by_group(both, group_field(request.by, live, settings))
    money = price_moves(both, settings) if request.money else None
    stock = stock_moves(both, settings) if request.stock else None
    affected = quotes = None
    if request.quotes is not None:
        quotes = read_strict(request.quotes, progress)
        affected = touched_records(both, quotes, quote_columns(quotes, changes.head.key), settings)
    return Preview(changes, whole, both, grouped, money, stock, affected, quotes)


def _asks_for_live(request: PreviewRequest) -> bool:
    """Whether more is wanted than the change set itself knows: reading a large live export takes a while."""
    described = (
        request.where is not None,
        request.item,
        request.money,
        request.stock,
        request.quotes,
        request.page,
        request.charts,
    )
    return any(described) or request.by not in (ITEM, FIELD)


def keys_of_items(request: PreviewRequest) -> tuple[str, ...]:
    """The keys of the items that are shown; those of several parts are typed as they are shown."""
    return tuple(key.replace(" · ", KEY_SEPARATOR) for key in request.item)


def _insist_on_items(request: PreviewRequest, changes: ChangeSet) -> None:
    """Refuse an item that is not there.

    Raises:
        InvalidOption: it is not in the change set.
    """
    for key, typed in zip(keys_of_items(request), request.item, strict=True):
        if changes.items.filter(key=key).is_empty():
            hint = "Use the exact SKU, including leading zeros."
            raise InvalidOption("this SKU is not in the change set", option="item", value=typed, hint=hint)


def group_field(by: str, live: Table, settings: Settings) -> str:
    """The field that changes are grouped by.

    Raises:
        InvalidOption: there is none of this name.
    """
    name = field_name(by)
    if name in ("category", "brand") and name not in live.names:
        name = field_of(live, name, settings)
    if name not in live.names:
        hint = nearest_hint(by, [ITEM, FIELD, "category", "brand", *live.names], "Choose from")
        raise InvalidOption("there is no field with this name", option="by", value=by, hint=hint)
    return name


def _reports(request: PreviewRequest, seen: Preview, progress: ProgressReporter) -> dict[str, dict[Path, bytes]]:
    """The files that are asked for and need no drawing, by what they are."""
    files: dict[str, dict[Path, bytes]] = {}
    if request.quotes_csv is not None and seen.affected_quotes is not None:
        files["quotes"] = {request.quotes_csv: report_csv(seen.affected_quotes)}
    if request.review is not None:
        progress.step("writing the workbook")
        workbook = review_workbook(seen.changes, seen.whole, by_item=request.review_by == "item")
        files["review"] = {request.review: workbook}
    return files


def _save(files: dict[str, dict[Path, bytes]], request: PreviewRequest) -> dict[str, list[Path]]:
    """The names of the files, by what they are, once all are written; none is if one has no place."""
    content = {path: data for some in files.values() for path, data in some.items()}
    if request.charts is not None and "charts" in files:
        request.charts.mkdir(parents=True, exist_ok=True)
    check_outputs(*content, replace=request.overwrite)
    with new_together(*content):
        for path, data in content.items():
            write_atomic(path, data, replace=request.overwrite)
    return {what: list(files[what]) for what in FILES if what in files}

"""Accept: the part of a change set that people have marked, or that meets conditions; the rest stays in it as notes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.analysis.cell_selection import Selection, cells_in
from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.changeset import ChangeSet
from neat_delta.changeset.serialization import save_changes
from neat_delta.changeset.subset import subset
from neat_delta.files.output_paths import check_outputs
from neat_delta.matching import KEY_SEPARATOR, Key
from neat_delta.matching.selection import parse_key_list
from neat_delta.reading import read_bytes, read_strict
from neat_delta.reconcile.import_report import failed as failed_part
from neat_delta.reconcile.import_report import rejected, with_reasons
from neat_delta.reconcile.page_decisions import read_page_decisions
from neat_delta.reconcile.review import Review, read_review, subset_with_review
from neat_delta.workflows.saved_changes import changes_with_live, loaded

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
    from neat_delta.workflows.option_groups import PartOptions
    from neat_delta.workflows.requests import AcceptRequest


@dataclass(frozen=True)
class Accepted:
    """The accepted part, and the change set that it was taken from."""

    changes: ChangeSet
    whole: ChangeSet


def accept(request: AcceptRequest, progress: ProgressReporter = NO_PROGRESS) -> Accepted:
    """Take the part that meets all conditions and was marked, and save it where it is wanted.

    Raises:
        InvalidOption: nothing is selected, a field or an item is not in the change set, or the condition is none.
        InvalidInput: a condition is given, and no live table; or a file is not about this change set.
        WriteError: the file cannot be written.
    """
    _insist_on_a_choice(request)
    settings = request.settings
    check_outputs(request.out, replace=request.overwrite)
    whole, live = _with_live_if_needed(request, progress)
    selection = selection_of(whole, request, request.skip, request.keys)
    keep = cells_in(whole, selection, live, settings)
    marks = _marks(request, whole)
    bad = rejected(read_strict(request.failed, progress), whole) if request.failed else None
    if bad is not None:
        keep = keep.join(failed_part(whole, bad, settings), on=["key", "field"], how="semi", nulls_equal=True)
    changes = subset_with_review(whole, keep, marks, ", ".join(_ways(request)))
    changes = changes if bad is None else with_reasons(changes, bad)
    if not request.is_approval:
        changes = changes.with_maker()
    if request.out is not None:
        check_outputs(request.out, replace=request.overwrite)
        save_changes(changes, request.out, replace=request.overwrite)
    return Accepted(changes, whole)


def _insist_on_a_choice(request: AcceptRequest) -> None:
    """Refuse to accept everything unseen, or by two sources of marks.

    Raises:
        InvalidOption: nothing is selected, or both a workbook and a page are given.
    """
    given = (request.review, request.decisions, request.failed, request.skip, request.only, request.items, request.keys)
    if request.where is None and all(one is None or one == () for one in given):
        hint = "Give what was decided, fields, a condition, or items."
        raise InvalidOption("nothing selected", hint=hint, code="nothing-selected")
    if request.review and request.decisions:
        hint = "Give one of them; pick again from the result."
        raise InvalidOption("a workbook and a page do not go together", option="decisions", hint=hint)


def _with_live_if_needed(request: AcceptRequest, progress: ProgressReporter) -> tuple[ChangeSet, Table | None]:
    """The change set, and its live export where a condition is about it."""
    if request.live is None and request.where is None:
        return loaded(request.changes, progress), None
    if request.live is None and isinstance(request.changes, ChangeSet):
        raise InvalidInput("a condition is about the live table", hint="Give it as live=…")
    return changes_with_live(request.changes, request.live, request.settings, progress)


def _marks(request: AcceptRequest, changes: ChangeSet) -> Review | None:
    """What people have marked, in a workbook or a page."""
    unmarked = request.unmarked == "accept"
    if request.decisions is not None:
        return read_page_decisions(request.decisions, changes, unmarked=unmarked)
    return read_review(request.review, changes, unmarked=unmarked) if request.review else None


def _ways(request: AcceptRequest) -> Iterator[str]:
    """How the part was named."""
    for name in ("review", "decisions", "failed"):
        if file := getattr(request, name):
            yield f"{name} {file.name}"
    yield from (f"only {name}" for name in request.only)
    yield from (f"without {name}" for name in request.skip)
    if request.where is not None:
        yield f"where {request.where}"
    if request.items:
        yield f"items of {request.items.name}"


def selected_part(changes: ChangeSet, part: PartOptions, live: Table | None, settings: Settings) -> ChangeSet:
    """The part of a change set that is meant; the very same if it is all of it."""
    meant = selection_of(changes, part)
    return subset(changes, cells_in(changes, meant, live, settings)) if meant else changes


def selection_of(
    changes: ChangeSet, part: PartOptions, skip: tuple[str, ...] = (), keys: tuple[str, ...] | None = None
) -> Selection:
    """The part for the core, with the keys of the file that lists them."""
    if part.items is not None:
        key = Key(changes.head.key, explicit=True)
        listed = parse_key_list(read_bytes(part.items).decode(errors="replace"), key)
        keys = (*(keys or ()), *(one.replace(" · ", KEY_SEPARATOR) for one in listed))
    return Selection(part.only, skip, part.where, keys)

"""Reading back what people decided in a page: a JSON file that is bound to one change set by its checksum."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.base.json_form import WrongForm, from_json
from neat_delta.base.path_text import path_text
from neat_delta.locations.prefetch import read_bytes
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.reconcile.review import Review, insist_on_changes, insist_on_one_mark, require_same, review_of_marks

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location

FORMAT = 2
KIND = "decisions"
MARKS = {"line": pl.UInt32, "key": pl.String, "field": pl.String, "mark": pl.String, "comment": pl.String}


@dataclass(frozen=True)
class PageDecision:
    """What was decided on a cell, or on a whole item (no field): ``accept``, ``reject``, or only a comment."""

    item: tuple[str, ...]
    field: str | None = None
    decision: Literal["accept", "reject"] | None = None
    comment: str = ""


@dataclass(frozen=True)
class PageDecisions:
    """The file: its format, what it is, the checksum of the change set, when it was saved, and the decisions."""

    neat_delta: int
    kind: str
    changes: str
    decisions: tuple[PageDecision, ...]
    saved: str | None = None


def read_page_decisions(path: Location, changes: ChangeSet, *, unmarked: bool = False) -> Review:
    """The decisions in a file that the page of just this change set has saved.

    A change without a decision is rejected, or accepted if ``unmarked`` says so.

    Raises:
        InvalidOption: the file belongs to another change set.
        InvalidInput: it is no file of decisions, or a decision is about no change or contradicts another one.
    """
    file = _parsed(path)
    require_same(file.changes, changes, path, "these decisions belong to another change set")
    rows = [
        (line, KEY_SEPARATOR.join(one.item), one.field, one.decision or "", one.comment.strip())
        for line, one in enumerate(file.decisions, start=2)
    ]
    marks = pl.DataFrame(rows, schema=MARKS, orient="row")
    insist_on_changes(marks, changes, path, "Save the decisions again from the page.")
    insist_on_one_mark(marks, path)
    every = pl.concat(
        [
            changes.cells.select("key", "field"),
            changes.items.filter(pl.col("action").is_in(["add", "remove", "recode"])).select(
                "key", field=pl.lit(None, pl.String)
            ),
        ]
    )
    open_ones = every.join(marks, on=["key", "field"], how="anti", nulls_equal=True).select(
        pl.lit(0, pl.UInt32).alias("line"), "key", "field", mark=pl.lit(""), comment=pl.lit("")
    )
    return review_of_marks(pl.concat([marks, open_ones]), changes, path, unmarked=unmarked)


def _parsed(path: Location) -> PageDecisions:
    hint = 'Give the file that "save decisions" in the page has saved.'
    try:
        file = from_json(read_bytes(path), PageDecisions)
    except WrongForm as error:
        raise InvalidInput(f"not a file of decisions ({error})", file=path, hint=hint) from error
    if file.kind != KIND:
        raise InvalidInput(f"not a file of decisions, but of {path_text(file.kind)}", file=path, hint=hint)
    if file.neat_delta != FORMAT:
        raise InvalidInput(
            f"these decisions have format {file.neat_delta}; this program reads format {FORMAT}",
            file=path,
            hint="Make the page again.",
        )
    return file

"""Reading back what people marked in a review workbook: which changes they take, which they leave, and why."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.base.path_text import path_text
from neat_delta.changeset.changeset import with_exclusion
from neat_delta.changeset.head import Exclusion
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.changeset.serialization import dump_changes
from neat_delta.changeset.subset import subset, with_remarks
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.matching.key import key_parts
from neat_delta.reading import ReadOptions, read_table, sha256_hex
from neat_delta.tables.formula_text import unescaped_unless

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location
    from neat_delta.tables import Table

BOOK_SHEET = "review"
DECISION, COMMENT, FIELD = "accept or reject", "comment", "field"
ACCEPT, REJECT = "accept", "reject"
_DECISION, _COMMENT = "accept_or_reject", "comment"
# People also write these.
SYNONYMS = {"take": ACCEPT, "yes": ACCEPT, "leave": REJECT, "no": REJECT}


@dataclass(frozen=True)
class Review:
    """What people decided.

    Attributes:
        keep: what is accepted (key, field).
        why: why the rest is rejected (key, field, message).
        comments: every comment on what is rejected.
        remarks: the comments on what is accepted (key, field, message).
    """

    keep: pl.DataFrame
    why: pl.DataFrame
    comments: tuple[str, ...]
    remarks: pl.DataFrame


def read_review(path: Location, changes: ChangeSet, *, unmarked: bool = False) -> Review:
    """The decisions in a review workbook made from just this change set.

    A row without a mark is rejected, or accepted if ``unmarked`` says so; what has no row in the workbook is rejected.

    Raises:
        InvalidOption: the workbook was made from another change set.
        InvalidInput: it lacks a column, a mark is not valid, or a row is about no change of the change set.
    """
    book = read_table(path, options=ReadOptions(worksheet=BOOK_SHEET, keep_non_data=True, header_line=1))
    require_same(book.source_sha256, changes, path, "this workbook belongs to another change set")
    lacking = [name for name in (_DECISION, _COMMENT, *changes.head.key) if name not in book.names]
    if lacking:
        raise InvalidInput(
            "a column is missing in the workbook", file=path, column=lacking[0], hint="Make the workbook again."
        )
    marks = _marks(book, changes)
    _insist_on_words(marks, path)
    insist_on_changes(marks, changes, path, "Do not change SKUs and field names in the workbook.")
    insist_on_one_mark(marks, path)
    return review_of_marks(marks, changes, path, unmarked=unmarked, by_cell=FIELD in book.names)


def require_same(sha256: str | None, changes: ChangeSet, path: Location, otherwise: str) -> None:
    """See that marks were made on just this change set.

    Raises:
        InvalidOption: they were made on another one.
    """
    if sha256 != sha256_hex(dump_changes(changes)):
        raise InvalidOption(
            otherwise,
            file=path,
            hint="Give the change set it was made from, or review this one.",
            code="another-change-set",
        )


def review_of_marks(
    marks: pl.DataFrame, changes: ChangeSet, path: Location, *, unmarked: bool, by_cell: bool = True
) -> Review:
    """What marks say (line, key, field, mark, comment), each about a cell, or all about items."""
    taken = marks.filter((pl.col("mark") == ACCEPT) | ((pl.col("mark") == "") & pl.lit(unmarked)))
    left = marks.join(taken, on=["key", "field"], how="anti", nulls_equal=True, maintain_order="left")
    message = (
        pl.when(pl.col("comment") != "")
        .then("rejected: " + pl.col("comment"))
        .otherwise(pl.lit(f"rejected in {path_text(path.name)}"))
    )
    return Review(
        _spread(taken, changes, by_cell=by_cell).select("key", "field"),
        _spread(left, changes, by_cell=by_cell).select("key", "field", message=message),
        tuple(left.filter(pl.col("comment") != "")["comment"].unique(maintain_order=True)),
        taken.filter(pl.col("comment") != "").select("key", "field", message="accepted: " + pl.col("comment")),
    )


def _marks(book: Table, changes: ChangeSet) -> pl.DataFrame:
    """The rows of the book: line, key, field (null for a whole item), mark, comment."""
    cells = book.cells(book.names)
    parts = key_parts(changes.items["key"], changes.head.key)
    cells = cells.with_columns(unescaped_unless(cells[name], parts[name]) for name in changes.head.key)
    field = pl.col(FIELD) if FIELD in book.names else pl.lit("")
    return cells.select(
        pl.Series("line", book.rows.line),
        pl.concat_str(list(changes.head.key), separator=KEY_SEPARATOR).alias("key"),
        pl.when(field != "").then(field).alias("field"),
        pl.col(_DECISION).str.strip_chars().str.to_lowercase().replace(SYNONYMS).alias("mark"),
        pl.col(_COMMENT).str.strip_chars().alias("comment"),
    )


def _insist_on_words(marks: pl.DataFrame, path: Location) -> None:
    strange = marks.filter(~pl.col("mark").is_in([ACCEPT, REJECT, ""]))
    if len(strange):
        raise InvalidInput(
            "not a valid mark", file=path, line=strange["line"][0], column=DECISION, value=strange["mark"][0],
            hint="Write accept or reject, or leave it blank.",
        )  # fmt: skip


def insist_on_changes(marks: pl.DataFrame, changes: ChangeSet, path: Location, hint: str) -> None:
    """See that each mark is about a change of the change set.

    Raises:
        InvalidInput: one is not.
    """
    cells = changes.cells.select("key", "field")
    items = changes.items.select("key", field=pl.lit(None, pl.String))
    unknown = marks.join(pl.concat([cells, items]), on=["key", "field"], how="anti", nulls_equal=True)
    if len(unknown):
        row = unknown.row(0, named=True)
        raise InvalidInput(
            "this change is not in the change set", file=path, line=row["line"], column=row["field"],
            value=row["key"].replace(KEY_SEPARATOR, " · "), hint=hint,
        )  # fmt: skip


def insist_on_one_mark(marks: pl.DataFrame, path: Location) -> None:
    """See that no two marks contradict each other.

    Raises:
        InvalidInput: two of them do.
    """
    twice = marks.filter(
        pl.struct("key", "field").is_duplicated() & (pl.col("mark").n_unique().over("key", "field") > 1)
    )
    if len(twice):
        row = twice.row(0, named=True)
        raise InvalidInput(
            "conflicting marks for the same change", file=path, line=row["line"], column=row["field"] or DECISION,
            value=row["key"].replace(KEY_SEPARATOR, " · "), hint="Keep one of them.",
        )  # fmt: skip


def _spread(rows: pl.DataFrame, changes: ChangeSet, *, by_cell: bool) -> pl.DataFrame:
    """Rows about items as rows about all of their changes (key, field, comment); those about cells as they are."""
    rows = rows.select("key", "field", "comment").unique(["key", "field"], keep="first", maintain_order=True)
    if by_cell:
        return rows
    cells = changes.cells_with_action(CHANGE, RECODE).select("key", "field")
    whole = changes.keys_with_action(ADD, REMOVE, RECODE).with_columns(field=pl.lit(None, pl.String))
    return pl.concat([cells, whole]).join(rows.drop("field"), on="key", how="inner", maintain_order="left")


def subset_with_review(changes: ChangeSet, keep: pl.DataFrame, review: Review | None, by: str) -> ChangeSet:
    """The change set with what a part holds (``keep``) and a review takes; the head says what was left out ``by`` what.

    Raises:
        InvalidOption: some code changes would be taken and others left.
    """
    if review is not None:
        keep = keep.join(review.keep, on=["key", "field"], how="semi", nulls_equal=True, maintain_order="left")
    less = subset(changes, keep, review.why if review else None)
    left = less.findings.slice(len(changes.findings))
    cells = int(left["field"].count())
    if review is not None:
        less = with_remarks(less, review.remarks)
    return with_exclusion(less, Exclusion(by, cells, len(left) - cells, review.comments if review else ()))

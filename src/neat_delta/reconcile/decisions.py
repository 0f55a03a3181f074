"""Conflicts decided one by one: what people have marked in a workbook of conflicts."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.base.nearest import nearest_hint
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.reading import ReadOptions, read_table
from neat_delta.tables import field_name
from neat_delta.tables.formula_text import unescaped

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.locations import Location

CONFLICTS_SHEET, DECISION, FIELD = "conflicts", "decision", "field"
DECISIONS = {"key": pl.String, "field": pl.String, "decision": pl.String, "line": pl.UInt32}


def read_decisions(
    path: Location, key: Sequence[str], conflicts: pl.DataFrame, sides: Sequence[str], choices: Sequence[str]
) -> pl.DataFrame:
    """The decisions in a workbook of conflicts (key, field, decision, line); rows without one are left open.

    Args:
        path: the workbook.
        key: the fields that identify an item.
        conflicts: the conflicts of now (key, field, and a column for each of the sides).
        sides: the columns of values that a person has seen when deciding.
        choices: what may be decided.

    Raises:
        InvalidInput: a column is missing, a decision is none, or it is about other values than the conflict has now.
    """
    book = read_table(path, options=ReadOptions(worksheet=CONFLICTS_SHEET, keep_non_data=True, header_line=1))
    columns = [*key, FIELD, *sides, DECISION]
    lacking = [name for name in columns if field_name(name) not in book.names]
    if lacking:
        raise InvalidInput(
            "a column is missing in the workbook of conflicts", file=path, column=lacking[0],
            hint="Save the conflicts again, and mark them again.",
        )  # fmt: skip
    cells = book.cells([field_name(name) for name in columns])
    cells.columns = [
        *(f"key_{at}" for at in range(len(key))),
        FIELD,
        *(f"side_{at}" for at in range(len(sides))),
        DECISION,
    ]
    keys = [unescaped(pl.col(f"key_{at}")) for at in range(len(key))]
    rows = cells.select(
        pl.concat_str(keys, separator=KEY_SEPARATOR).alias("key"),
        pl.when(pl.col(FIELD) != "").then(FIELD).alias("field"),
        pl.col(DECISION).str.strip_chars().alias("decision"),
        *(unescaped(pl.col(f"side_{at}")).alias(f"side_{at}") for at in range(len(sides))),
        line=book.rows.line,
    ).filter(pl.col("decision") != "")
    words = {choice.lower(): choice for choice in choices}
    rows = rows.with_columns(
        chosen=pl.col("decision").str.to_lowercase().replace_strict(words, default=None, return_dtype=pl.String)
    )
    _insist_on_choices(rows, choices, path)
    _insist_on_conflicts(rows, conflicts, sides, path)
    return rows.select("key", "field", decision="chosen", line="line")


def _insist_on_choices(rows: pl.DataFrame, choices: Sequence[str], path: Location) -> None:
    strange = rows.filter(pl.col("chosen").is_null())
    if len(strange):
        row = strange.row(0, named=True)
        raise InvalidInput(
            "not a decision", file=path, line=row["line"], column=DECISION, value=row["decision"],
            hint=nearest_hint(row["decision"], choices, "Write one of these"),
        )  # fmt: skip
    twice = rows.filter(
        pl.struct("key", "field").is_duplicated() & (pl.col("chosen").n_unique().over("key", "field") > 1)
    )
    if len(twice):
        row = twice.row(0, named=True)
        raise InvalidInput(
            "two decisions for the same conflict", file=path, line=row["line"], column=DECISION,
            value=row["key"].replace(KEY_SEPARATOR, " · "), hint="Keep one of them.",
        )  # fmt: skip


def _insist_on_conflicts(rows: pl.DataFrame, conflicts: pl.DataFrame, sides: Sequence[str], path: Location) -> None:
    """Refuse decisions that were made about something else than what is in conflict now."""
    now = conflicts.select(
        "key",
        "field",
        *(pl.col(side).fill_null("").alias(f"now_{at}") for at, side in enumerate(sides)),
        there=pl.lit(value=True),
    )
    beside = rows.join(now, on=["key", "field"], how="left", nulls_equal=True, maintain_order="left")
    same = pl.all_horizontal(pl.col(f"side_{at}") == pl.col(f"now_{at}") for at in range(len(sides)))
    stale = beside.filter(~(pl.col("there").fill_null(value=False) & same))
    if len(stale):
        row = stale.row(0, named=True)
        what = "there is no such conflict" if row["there"] is None else "the values of this conflict have changed since"
        raise InvalidInput(
            what, file=path, line=row["line"], column=row["field"], value=row["key"].replace(KEY_SEPARATOR, " · "),
            hint="Save the conflicts again, and mark them again.",
        )  # fmt: skip

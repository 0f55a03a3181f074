"""SKUs for new items: computed by a formula, for rows of a file that are no live item."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import findings_frame
from neat_delta.diff.formula_inputs import FormulaInputs
from neat_delta.errors import InvalidOption, shortened
from neat_delta.reading.frame_rows import FrameRows

if TYPE_CHECKING:
    from neat_delta.diff.formulas import Formula
    from neat_delta.matching.context import Context
    from neat_delta.tables import Table


def with_new_keys(
    context: Context, edited: Table, formula: Formula, excluded: pl.Series
) -> tuple[Table, pl.DataFrame, pl.Series]:
    """The edited file with the keys that a formula gives to rows that are no live item.

    Args:
        context: the live export, its settings and its key of one column.
        edited: the edited file under live fields.
        formula: what computes the key.
        excluded: rows (positions) that may be several items, and so are not new.

    Returns the file; findings on rows whose new key is blank or taken; the rows that the formula is about.

    Raises:
        InvalidOption: the key has several columns.
    """
    if len(context.key.fields) != 1:
        raise InvalidOption(
            f"formula {shortened(formula.text)!r}: the key has several columns", hint="Leave this formula out."
        )
    (name,) = context.key.fields
    inputs = FormulaInputs.of(context, edited, [formula], edited.names)
    before = edited.cells([name])[name]
    taken = context.key.values(context.live)
    new = inputs.rows.is_null() & ~before.is_in(taken.implode())
    at = new.arg_true().cast(pl.UInt32)
    at = at.filter(~at.is_in(excluded.implode()))
    cells = inputs.computed(formula, at)
    given = cells.kept.str.strip_chars()
    message = (
        pl.when(pl.col("now") == "")
        .then(pl.format("{} has no result: {}", pl.lit(formula.text), "why"))
        .when(pl.col("now").is_in(taken.implode()))
        .then(pl.format("{} gives {}, which an item of the shop has", pl.lit(formula.text), "now"))
    )
    about = pl.DataFrame({"row": at, "now": given, "why": cells.why}).with_columns(message=message)
    refused, good = about.drop_nulls("message"), about.filter(pl.col("message").is_null())
    frame = edited.cells(edited.names).with_columns(before.scatter(good["row"], good["now"]).alias(name))
    keyed = replace(edited, rows=FrameRows(edited.rows.line, frame))
    findings = findings_frame(
        "no SKU",
        "error",
        key=context.key.values(keyed, refused["row"]),
        line=edited.rows.line.gather(refused["row"]),
        value=refused["now"],
        message=refused["message"],
    )
    return keyed, findings, at

"""SKUs for new items: computed by a formula, for rows of a file that are no live item."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption, shortened
from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.problems import NO_SKU
from neat_delta.diff.formula_inputs import FormulaInputs
from neat_delta.reading.frame_rows import FrameRows

if TYPE_CHECKING:
    from neat_delta.diff.formulas import Formula
    from neat_delta.matching.context import Context
    from neat_delta.tables import Table

NUMBER = re.compile(r"\{number(?::(?P<width>\d{1,2}))?\}")


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
        NO_SKU,
        key=context.key.values(keyed, refused["row"]),
        line=edited.rows.line.gather(refused["row"]),
        value=refused["now"],
        message=refused["message"],
    )
    return keyed, findings, at


def with_numbered_keys(
    context: Context, edited: Table, pattern: str, nameless: pl.DataFrame
) -> tuple[Table, pl.Series]:
    """The edited file with numbered keys for its rows without one, and the positions of these rows.

    Numbers go on from the highest that a key of this pattern has, in the live export or in the edited file.

    Args:
        context: the live export, its settings and its key of one column.
        edited: the edited file under live fields.
        pattern: a text with ``{number}`` or, with so many digits at least, ``{number:5}`` in it.
        nameless: rows that no item is called as, or several are (row, several); the latter are not new.

    Raises:
        InvalidOption: it is no such pattern, or the key has several columns.
    """
    places = list(NUMBER.finditer(pattern))
    if len(places) != 1 or len(context.key.fields) != 1:
        what = "the key has several columns" if len(places) == 1 else "the pattern needs one number"
        raise InvalidOption(what, option="new_sku", value=pattern, hint="Example: KT-{number:5}.")
    before, behind = pattern[: places[0].start()], pattern[places[0].end() :]
    (name,) = context.key.fields
    cells = edited.cells([name])[name].str.strip_chars()
    used = pl.concat([context.key.values(context.live).rename("key"), cells.rename("key")])
    alike = used.str.extract(f"^{re.escape(before)}([0-9]{{1,18}}){re.escape(behind)}$")
    highest = int(str(alike.cast(pl.Int64, strict=False).max() or 0))
    rows = pl.int_range(len(cells), dtype=pl.UInt32, eager=True)
    several, none = (nameless.filter(several=value)["row"] for value in (True, False))
    at = rows.filter(((cells == "") | rows.is_in(none.implode())) & ~rows.is_in(several.implode()))
    width = int(places[0]["width"] or 0)
    keys = [f"{before}{number:0{width}}{behind}" for number in range(highest + 1, highest + 1 + len(at))]
    frame = edited.cells(edited.names).with_columns(cells.scatter(at, pl.Series(keys, dtype=pl.String)).alias(name))
    return replace(edited, rows=FrameRows(edited.rows.line, frame)), at

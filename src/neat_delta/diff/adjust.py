"""Adjust: formulas alone make a change set, without an edited file."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.diff.compare import CompareOptions, CompareResult, compare, with_findings
from neat_delta.diff.computed_columns import add_computed_columns, chosen, findings_about_changes
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.tables import Source

if TYPE_CHECKING:
    from collections.abc import Sequence

    import polars as pl

    from neat_delta.diff.formulas import Formula
    from neat_delta.matching.context import Context

# What a change set from formulas alone says it was made from.
FORMULAS = Path("formulas")


def adjust(context: Context, formulas: Sequence[Formula], rows: pl.Series, options: CompareOptions) -> CompareResult:
    """What formulas change in live items; all of them see the values as they were before.

    The change set is like one from a file that holds the computed values of these items. A value set to what it is
    drops out.

    Args:
        context: the live export, its settings and its key.
        formulas: what to compute.
        rows: the positions of the items in the live export.
        options: how to compare.

    Raises:
        InvalidOption: a formula is wrong, or names what does not exist.
    """
    items = chosen(context.live, context.key, rows)
    computed, findings = add_computed_columns(context, items, formulas, from_live_only=True)
    text = "\n".join(formula.text for formula in formulas)
    computed = replace(computed, source=Source(FORMULAS, lambda: sha256_hex(text.encode())))
    emptied = frozenset(formula.field for formula in formulas if formula.empties)
    options = replace(
        options,
        key=context.key.fields,
        constant_blanks=emptied,
        computed=frozenset(formula.field for formula in formulas),
    )
    # Items that no formula is about are not missing from anything.
    compared = compare(context.live, computed, options).without_missing()
    compared = replace(compared, from_formulas=True)
    return with_findings(compared, findings_about_changes(findings, compared.changes))

"""Adjust: rules alone make a change set, without an edited sheet."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from neat_delta.diff.compare import CompareOptions, CompareResult, compare, with_findings
from neat_delta.diff.computed_columns import add_computed_columns, chosen, findings_about_changes
from neat_delta.prefetch import sha256_hex
from neat_delta.tables import Source

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    import polars as pl

    from neat_delta.diff.formulas import Formula
    from neat_delta.matching import Key
    from neat_delta.tables import Table


def adjust(
    live: Table, key: Key, rules: Sequence[Formula], rows: pl.Series, options: CompareOptions, name: Path
) -> CompareResult:
    """What rules change in the live items at these positions; all rules see the values as they were before.

    The change set is like one from a sheet that holds the computed values of these items; ``name`` is what it is said
    to be made from. A value set to what it is drops out.

    Raises:
        WrongChoice: a rule is wrong, or names what does not exist.
    """
    items = chosen(live, key, rows)
    sheet, findings = add_computed_columns(live, items, key, rules, options.settings, listed=False)
    text = "\n".join(rule.text for rule in rules)
    sheet = replace(sheet, source=Source(name, lambda: sha256_hex(text.encode())))
    emptied = frozenset(rule.field for rule in rules if rule.empties)
    seen = compare(live, sheet, replace(options, key=key.fields, constant_blanks=emptied))
    # Items that no rule is about are not missing from anything.
    head = replace(seen.changes.head, counts=seen.changes.head.counts | {"gone": 0})
    none = replace(seen.rows, missing=seen.rows.missing.clear())
    seen = replace(seen, changes=replace(seen.changes, head=head), rows=none)
    return with_findings(seen, findings_about_changes(findings, seen.changes))

"""The terminal view of combined change sets: what each brings, what they share, and what they disagree about."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.tables.field_types import type_named
from neat_delta.views.changes import SOME_ITEMS
from neat_delta.views.formatting import NOTHING, count, format_key, pluralize, printable
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.preview import more_view
from neat_delta.views.table import Cell, Column, aligned, table

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

    from neat_delta.reconcile.combine import CombineResult


def combine_view(combined: CombineResult, width: int, limit: int = SOME_ITEMS) -> Iterator[Text]:
    """What is combined, and every conflict with the values of all files side by side."""
    for at, (changes, name) in enumerate(zip(combined.sets, combined.names, strict=True)):
        acting = int((changes.items["action"] != "none").sum())
        what = f"{pluralize(acting, 'item')}, {pluralize(len(changes.cells), 'cell')}"
        yield from sentence("" if at else "combined", f"{name}: {what}", width)
    if combined.shared:
        yield from sentence(
            "shared", f"{pluralize(combined.shared, 'cell')} with the same value in several files", width
        )
    if combined.conflicts.is_empty():
        yield labelled("conflicts", "none", "good")
        return
    decided = combined.conflicts["chosen"].count()
    open_ones = len(combined.conflicts) - decided
    parts = [f"{count(open_ones)} not sent"] if open_ones else []
    parts += [f"{count(decided)} decided"] if decided else []
    yield labelled("conflicts", f"{len(combined.conflicts):,}: {', '.join(parts)}", "error" if open_ones else "label")
    names = dict(combined.changes.items.select("key", "name").iter_rows())
    some = combined.conflicts.head(limit)
    kinds = {name: info.type for name, info in combined.changes.head.fields.items()}
    numeric = [field in kinds and type_named(kinds[field]).numeric for field in some["field"]]
    sides = [
        aligned([_shown(value) for value in some[name]], numeric, style)
        for name, style in (("was", "was"), *((name, "now") for name in combined.names))
    ]
    rows = [
        [Cell(format_key(key)), Cell(printable(names.get(key) or "")), Cell(field or "(item)"), *values]
        for key, field, *values in zip(some["key"], some["field"], *sides, strict=True)
    ]
    heads = [Column("SKU", least=8), Column("name", least=8), Column("field", least=5)]
    values = (Column(name, right=any(numeric), least=8) for name in ("was", *combined.names))
    yield from table([*heads, *values], rows, width)
    yield from more_view(len(combined.conflicts) - limit, "conflict", "--conflicts FILE saves them all, to be decided")


def _shown(value: str | None) -> str:
    """What one file says; a blank is said, for it is a value as well."""
    if value is None:
        return ""
    return printable(value) if value else NOTHING

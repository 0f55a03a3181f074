"""The terminal view of how somebody else's list was understood."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text

from neat_delta.changeset.findings import is_about_columns
from neat_delta.matching.item_names import fields_label
from neat_delta.tables.settings import NAME
from neat_delta.views.formatting import NOTHING, printable
from neat_delta.views.lines import sentence
from neat_delta.views.table import Cell, Column, table

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.matching.supplier_mapping import ColumnMatch
    from neat_delta.tables.settings import SupplierProfile


def supplier_view(
    matches: Sequence[ColumnMatch], profile: SupplierProfile, changes: ChangeSet, width: int
) -> Iterator[Text]:
    """Which column stands for which field, with its first value, so that a wrong match is seen at once; the rules.

    And what is another way with the list than last time.
    """
    drifted = changes.findings.filter(is_about_columns())["message"]
    heads = [Column("supplier column", least=10), Column("field", least=8), Column("first value", least=10)]
    heads.append(Column("in the shop", least=10))
    rows = [
        [
            Cell(printable(match.column)),
            Cell(match.field or f"{NOTHING} not used", "plain" if match.field else "note"),
            Cell(printable(match.first), "now" if match.field else "note"),
            Cell(printable(match.ours), "note"),
        ]
        for match in matches
    ]
    yield Text()
    yield from table(heads, rows, width)
    if profile.rules or profile.added or profile.constants or profile.match_on or len(drifted):
        yield Text()
    if profile.added:
        yield from sentence("added", f"{', '.join(profile.added)}: added to the shop's values", width)
    for at, rule in enumerate(profile.rules):
        yield from sentence("" if at else "formulas", rule, width)
    for at, rule in enumerate(profile.rules_new):
        yield from sentence("" if at else "for new", rule, width)
    for name, value in profile.constants.items():
        yield from sentence("constant", f"{name} = {value} in every row", width)
    if profile.match_on:
        yield from sentence("match on", fields_label(profile.match_on), width)
    for message in drifted:
        yield from sentence("warning", message, width, "warning")


def saved_view(name: str, config: Path | None, width: int) -> Iterator[Text]:
    """Where a profile was saved, and how it is used."""
    message = f"as supplier profile {name} in {config or NAME}; next time use --profile {name}"
    yield from sentence("saved", message, width)

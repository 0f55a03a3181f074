"""Inspect: what is in a table, by its cells alone; nothing is compared or changed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.matching.key_detection import KeyCandidates, key_candidates
from neat_delta.reading import read_table
from neat_delta.tables import Table
from neat_delta.tables.corruption import profile_with_corruption

if TYPE_CHECKING:
    import polars as pl

    from neat_delta.tables.profile import ColumnProfile
    from neat_delta.workflows.view_requests import InspectRequest


@dataclass(frozen=True)
class Inspected:
    """What is in a table.

    Attributes:
        table: the table, with its fields named as configured.
        columns: what each column holds.
        keys: the columns that can identify an item.
        damage: signs of damage (check, field, value, cells, say), as ``find_corruption`` has them.
    """

    table: Table
    columns: list[ColumnProfile]
    keys: KeyCandidates
    damage: pl.DataFrame


def inspect(request: InspectRequest, progress: ProgressReporter = NO_PROGRESS) -> Inspected:
    """Read a table and count what is in it.

    Raises:
        InvalidInput: it cannot be read as a table.
    """
    given = request.file
    read = given if isinstance(given, Table) else read_table(given, progress, request.read_options())
    table = read.renamed(request.settings.names())
    progress.step("counting values")
    columns, damage = profile_with_corruption(table, request.settings)
    return Inspected(table, columns, key_candidates(table, columns), damage)

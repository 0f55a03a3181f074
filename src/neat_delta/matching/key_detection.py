"""Which columns could be the key: alone, or two together."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.roles import NUMERIC, named_as, role_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.tables import Table
    from neat_delta.tables.profile import ColumnProfile

MOST_TRIED = 8
MOST_REPEATED = 5
# A field of which so many values differ may name items, though one or two of them are shared by mistake.
MOSTLY = 0.9


@dataclass(frozen=True)
class KeyCandidates:
    """Fields that are filled and different on every row, alone or in pairs; and why the expected one is not.

    ``expected`` is the field that is named as the item code, ``repeated`` its first values that stand on several
    rows, with their lines.
    """

    alone: list[str]
    pairs: list[tuple[str, str]]
    expected: str | None
    repeated: list[tuple[str, list[int]]]


def key_candidates(table: Table, columns: list[ColumnProfile]) -> KeyCandidates:
    """Look for keys among the filled columns; pairs only where no column will do alone."""
    rows = len(table)
    filled = [column for column in columns if rows and column.filled == rows]
    alone = [column.field for column in filled if column.distinct == rows]
    expected = next(iter(named_as("key", table.names)), None)
    texts = {column.field for column in columns if column.type in ("text", "image")} - {expected}
    # Names and pictures may well differ on every item, but nobody knows items by them.
    alone = [field for field in alone if field not in texts] or alone
    alone.sort(key=lambda field: field != expected)
    likeliest = sorted(filled, key=lambda column: (column.field != expected, -column.distinct))[:MOST_TRIED]
    pairs = [] if alone else [pair for pair in combinations([c.field for c in likeliest], 2) if _unique(table, pair)]
    repeated = [] if expected is None or expected in alone else _repeated(table, expected)
    return KeyCandidates(alone, pairs, expected, repeated)


def long_key(named: Sequence[str], candidates: KeyCandidates, columns: Sequence[ColumnProfile]) -> tuple[str, ...]:
    """The key of an export with a row for each item and location, language or the like; else as ``named``.

    It is the named field together with the one of fewest values that makes each row one of its kind.
    """
    distinct = {column.field: column.distinct for column in columns}
    others = [field for pair in candidates.pairs if set(named) & set(pair) for field in pair if field not in named]
    if len(named) > 1 or not others:
        return tuple(named)
    return (*named, min(others, key=lambda field: distinct[field]))


def naming_fields(table: Table, names: Sequence[str]) -> tuple[str, ...]:
    """Which of these fields name an item in another file that lacks the key: one, else two together, else none.

    A barcode comes first, a name last; what is counted or paid names nothing.
    """
    roles = {name: (role_of(name) or ("",))[0] for name in names}
    able = [name for name in names if roles[name] not in NUMERIC]
    able.sort(key=lambda name: (roles[name] != "barcode", roles[name] == "name"))
    alone = next((name for name in able if _mostly_unique(table, (name,))), None)
    if alone is not None:
        return (alone,)
    return next((pair for pair in combinations(able[:MOST_TRIED], 2) if _mostly_unique(table, pair)), ())


def _mostly_unique(table: Table, names: tuple[str, ...]) -> bool:
    cells = table.cells(names).select(pl.all().str.strip_chars())
    filled = cells.filter(pl.all_horizontal(pl.all() != ""))
    return 0 < len(cells) <= 2 * len(filled) and filled.n_unique() >= MOSTLY * len(filled)


def _unique(table: Table, pair: tuple[str, str]) -> bool:
    return not table.cells(pair).is_duplicated().any()


def _repeated(table: Table, field: str) -> list[tuple[str, list[int]]]:
    cells = table.cells([field]).rename({field: "value"}).with_columns(line=table.rows.line)
    filled = cells.filter(pl.col("value").is_duplicated() & (pl.col("value").str.strip_chars() != ""))
    groups = filled.group_by("value", maintain_order=True).agg("line").head(MOST_REPEATED)
    return list(groups.iter_rows())

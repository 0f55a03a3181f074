"""Which field a column of another file may be, by what it holds and by what its header says in another language."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.matching.key_detection import naming_fields
from neat_delta.replay import read_numbers
from neat_delta.tables.roles import named_as, role_of

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from neat_delta.tables import Table

# So many different values of a column are looked at; so many at least, and so large a share, must be the field's.
LOOKED_AT, FEWEST, SHARE = 1_000, 3, 0.6
EXAMPLES = 3
FIRST_FIELDS = 3
# Numbers are alike by chance; only codes with so many characters are not.
SHORTEST_CODE = 4
# Fields with more values than this are not looked at: it would keep people waiting.
MOST_VALUES = 300_000


@dataclass(frozen=True)
class MappingSuggestion:
    """A column that may be a field.

    ``matching`` of ``values`` different values are in the shop; 0 of 0 where only the header says so. ``examples`` are
    the column's first values, ``ours`` the field's.
    """

    column: str
    field: str
    matching: int
    values: int
    examples: tuple[str, ...]
    ours: tuple[str, ...]


def suggest_mappings(
    live: Table, edited: Table, columns: Sequence[str], fields: Sequence[str]
) -> list[MappingSuggestion]:
    """For each of these columns of the edited file the free field of the live export that it most likely is.

    Each field is suggested once, for the column that fits it best.
    """
    found = sorted(_candidates(live, edited, columns, fields), key=lambda one: one[0], reverse=True)
    taken: set[str] = set()
    suggestions = []
    for _, suggestion in found:
        if not {f"c {suggestion.column}", f"f {suggestion.field}"} & taken:
            taken |= {f"c {suggestion.column}", f"f {suggestion.field}"}
            suggestions.append(suggestion)
    order = [edited.field(name).column for name in columns]
    return sorted(suggestions, key=lambda one: order.index(one.column))


def mapping_data(live: Table, edited: Table, columns: Sequence[str], fields: Sequence[str]) -> dict[str, Any]:
    """The suggestions for the hint of an error, and the fields to match items on if none of them is the key."""
    mappings = suggest_mappings(live, edited, columns, fields)
    known = [name for name in live.names if name in edited.names] + [one.field for one in mappings]
    match_on = () if named_as("key", known) else naming_fields(live, known)
    return {"mappings": mappings, "match_on": match_on, "header_is_data": header_is_data(live, edited)}


def header_is_data(live: Table, edited: Table) -> bool:
    """Whether the file's first row seems to be an item, so that it has no header: most of its cells are values."""
    head = pl.Series([field.column.strip() for field in edited.fields])
    numbers = read_numbers(head, ".").is_not_null() | read_numbers(head, ",").is_not_null()
    known = sum(bool((_filled(live, name) == text).any()) for text in head for name in live.names[:FIRST_FIELDS])
    return bool(known) or int(numbers.sum()) * 2 > len(head)


def _candidates(
    live: Table, edited: Table, columns: Sequence[str], fields: Sequence[str]
) -> Iterator[tuple[float, MappingSuggestion]]:
    for column in columns:
        values = _filled(edited, column).head(LOOKED_AT)
        said = role_of(column)
        for field in fields:
            ours = _filled(live, field)
            alike = _alike(values, ours) if len(ours) <= MOST_VALUES else 0
            by_header = said is not None and (role_of(field) or ("",))[0] == said[0]
            enough = alike >= FEWEST and alike >= SHARE * len(values)
            if enough or by_header:
                suggestion = MappingSuggestion(
                    edited.field(column).column,
                    field,
                    alike if enough else 0,
                    len(values) if enough else 0,
                    tuple(values.head(EXAMPLES)),
                    tuple(ours.head(EXAMPLES)),
                )
                yield alike / max(1, len(values)) * enough + 0.5 * by_header, suggestion


def _filled(table: Table, name: str) -> pl.Series:
    values = table.distinct_values(name).str.strip_chars()
    return values.filter(values != "")


def _alike(values: pl.Series, ours: pl.Series) -> int:
    """How many values are also ours: as texts, case aside, or as codes that lost zeros in front."""
    texts = values.filter((values.str.len_chars() >= SHORTEST_CODE) | values.str.contains(r"\p{L}"))
    known = texts.str.to_lowercase().is_in(ours.str.to_lowercase().implode())
    others = texts.filter(~known)
    numbers = read_numbers(others, ".").drop_nulls()
    return int(known.sum()) + int(numbers.is_in(read_numbers(ours, ".").drop_nulls().implode()).sum())

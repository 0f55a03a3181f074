"""Which field a column of another file may be, by what it holds and by what its header says in another language."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.matching.key_detection import naming_fields
from neat_delta.matching.supplier_mapping import map_columns
from neat_delta.replay import read_numbers
from neat_delta.tables.roles import MONEY, named_as, role_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping, Sequence

    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings, SupplierProfile

# So many different values of a column are looked at; so many at least, and so large a share, must be the field's.
LOOKED_AT, FEWEST, SHARE = 1_000, 3, 0.6
EXAMPLES, TOP_ROWS = 2, 50
# Shares of numbers and of words may differ so much; texts may be so many times as long.
MOST_UNLIKE, MOST_LONGER = 0.5, 4
# Of several fields that a header may mean, the one is it that so many of the same items have equal, and so many times
# as many as the next.
SEVERAL, CLEAR, CLEARER = 2, 0.3, 2
# Prices of so many items, whose logarithms have this correlation (Pearson), are prices of the same things.
FEWEST_PAIRS, ALIKE = 10, 0.9
FIRST_FIELDS = 3
# Numbers are alike by chance; only codes with so many characters are not.
SHORTEST_CODE = 4
# Fields with more values than this are not looked at: it would keep people waiting.
MOST_VALUES = 300_000


@dataclass(frozen=True)
class MappingSuggestion:
    """A column that may be a field.

    ``matching`` of ``values`` different values are in the shop; 0 of 0 where only the header says so, or that numbers
    rise and fall with the field's (``correlation``). ``examples`` are the column's first values, ``ours`` the field's.
    """

    column: str
    field: str
    matching: int
    values: int
    examples: tuple[str, ...]
    ours: tuple[str, ...]
    correlation: float | None = None


def suggest_mappings(
    live: Table, edited: Table, columns: Sequence[str], fields: Sequence[str]
) -> list[MappingSuggestion]:
    """For each of these columns of the edited file the free field of the live export that it most likely is.

    Each field is suggested once, for the column that fits it best.
    """
    scored = _one_each(_candidates(live, edited, columns, fields))
    names = {edited.field(name).column: name for name in columns}
    mapped = {names[one.column]: one.field for _, one in scored}
    pairs = _paired_rows(live, edited, mapped)
    scored = _of_same_items(live, edited, scored, names, pairs, fields)
    taken = {one.field for _, one in scored}
    rest = [name for name in columns if name not in {names[one.column] for _, one in scored}]
    free = [name for name in fields if name not in taken]
    if rest and free:
        scored += _one_each(_correlated(live, edited, rest, free, pairs))
    order = list(names)
    return sorted((one for _, one in scored), key=lambda one: (-_evidence(one), order.index(one.column)))


def _evidence(one: MappingSuggestion) -> float:
    """How much the values say: many that are the shop's say more than a few that all are."""
    return one.matching / (one.values + FEWEST)


def _one_each(suggested: Iterable[tuple[float, MappingSuggestion]]) -> list[tuple[float, MappingSuggestion]]:
    """For each column and each field the likeliest suggestion at most, with its score."""
    columns: set[str] = set()
    fields: set[str] = set()
    suggestions = []
    for score, one in sorted(suggested, key=lambda scored: scored[0], reverse=True):
        if one.column not in columns and one.field not in fields:
            columns.add(one.column)
            fields.add(one.field)
            suggestions.append((score, one))
    return suggestions


def _of_same_items(
    live: Table,
    edited: Table,
    scored: Sequence[tuple[float, MappingSuggestion]],
    names: Mapping[str, str],
    pairs: pl.DataFrame,
    free: Sequence[str],
) -> list[tuple[float, MappingSuggestion]]:
    """The suggestions with first values of the same items side by side.

    Of fields that only the header speaks for, and of which the shop has several, such as stock at two places, the
    values of the same items decide; if they do not, or the field is taken, none is suggested.
    """
    kept: list[tuple[float, MappingSuggestion]] = []
    taken = {one.field for _, one in scored if one.values}
    for score, one in scored:
        theirs = edited.cells([names[one.column]], pairs["edited"]).to_series().str.strip_chars()
        field: str | None = one.field
        rivals = [name for name in live.names if _role(name) == _role(one.field)]
        if not one.values and len(rivals) >= SEVERAL:
            field = _clearly_equal(live, rivals, pairs["live"], theirs)
            if field not in free or field in taken:
                continue
        assert field is not None
        taken.add(field)
        ours = live.cells([field], pairs["live"]).to_series().str.strip_chars()
        both = pl.DataFrame({"theirs": theirs, "ours": ours}).filter(pl.all_horizontal(pl.all() != "")).head(EXAMPLES)
        if len(both):
            one = replace(one, examples=tuple(both["theirs"]), ours=tuple(both["ours"]))
        kept.append((score, replace(one, field=field)))
    return kept


def _clearly_equal(live: Table, fields: Sequence[str], rows: pl.Series, theirs: pl.Series) -> str | None:
    """The field whose values of these rows are the others' far more often than any other field's."""
    equal = {name: _equal_share(live.cells([name], rows).to_series(), theirs) for name in fields}
    first, second, *_ = sorted(fields, key=lambda name: -equal[name])
    return first if equal[first] >= CLEAR and equal[first] >= CLEARER * equal[second] else None


def _role(name: str) -> str:
    """The role of which a field's name speaks; nothing if of none."""
    return (role_of(name) or ("",))[0]


def _equal_share(ours: pl.Series, theirs: pl.Series) -> float:
    """How many of the same items' values are equal as numbers or texts."""
    equal = (ours.str.strip_chars() == theirs) | (read_numbers(ours, ".") == read_numbers(theirs, "."))
    return int(equal.fill_null(value=False).sum()) / max(1, len(equal))


def mapping_data(live: Table, edited: Table, columns: Sequence[str], fields: Sequence[str]) -> dict[str, Any]:
    """The suggestions for the hint of an error, and the fields to match items on if none of them is the key."""
    mappings = suggest_mappings(live, edited, columns, fields)
    taken = [name for name in live.names if name in edited.names] + [one.field for one in mappings]
    match_on = () if named_as("key", taken) else naming_fields(live, taken)
    return {"mappings": mappings, "match_on": match_on, "header_is_data": header_is_data(live, edited)}


def mapped_by_values(live: Table, sheet: Table, settings: Settings, profile: SupplierProfile) -> SupplierProfile:
    """The profile of a file with a field for each of its remaining columns whose values or header speak for one.

    Where none of the columns is the key, items are matched on the field that names them, such as a barcode.

    Raises:
        InvalidOption: the profile names a column or field that does not exist.
        InvalidInput: two columns would be one field.
    """
    mapped = map_columns(sheet, live, settings, profile)
    left = [name for name in mapped.names if name not in live.names]
    free = [name for name in live.names if name not in mapped.names]
    suggestions = mapping_data(live, mapped, left, free)
    columns = {**profile.columns, **{one.column: one.field for one in suggestions["mappings"]}}
    return replace(profile, columns=columns, match_on=profile.match_on or tuple(suggestions["match_on"]))


def header_is_data(live: Table, edited: Table) -> bool:
    """Whether the file's first row seems to be an item, so that it has no header: most of its cells are values."""
    head = pl.Series([field.column.strip() for field in edited.fields])
    numbers = read_numbers(head, ".").is_not_null() | read_numbers(head, ",").is_not_null()
    matches = sum(bool((_filled(live, name) == text).any()) for text in head for name in live.names[:FIRST_FIELDS])
    return bool(matches) or int(numbers.sum()) * 2 > len(head)


def _candidates(
    live: Table, edited: Table, columns: Sequence[str], fields: Sequence[str]
) -> Iterator[tuple[float, MappingSuggestion]]:
    for column in columns:
        values = _filled(edited, column).head(LOOKED_AT)
        said = role_of(column)
        for field in fields:
            ours = _filled(live, field)
            alike = _alike(values, ours) if len(ours) <= MOST_VALUES else 0
            by_header = said is not None and _role(field) == said[0]
            enough = alike >= FEWEST and alike >= SHARE * len(values)
            if enough or (by_header and _same_sort(values, ours)):
                score = alike / max(1, len(values)) * enough + 0.5 * by_header
                counts = (alike, len(values)) if enough else (0, 0)
                first = _first_filled(edited, column)
                ours_first = _same_values(first, ours) if enough else _first_filled(live, field)
                yield score, MappingSuggestion(edited.field(column).column, field, *counts, first, ours_first)


def _same_sort(values: pl.Series, ours: pl.Series) -> bool:
    """Whether the values may be the field's at all: numbers where it has numbers, words where it has words."""
    if values.is_empty() or ours.is_empty():
        return False
    sides = [side.head(LOOKED_AT) for side in (values, ours)]
    numbers = [max(_share(read_numbers(side, mark).is_not_null()) for mark in ".,") for side in sides]
    words = [_share(side.str.contains(r"\p{L} +\p{L}")) for side in sides]
    lengths = [int(side.str.len_chars().sum()) / len(side) for side in sides]
    alike = all(abs(one - other) <= MOST_UNLIKE for one, other in (numbers, words))
    return alike and max(lengths) <= MOST_LONGER * max(1.0, min(lengths))


def _share(which: pl.Series) -> float:
    return int(which.sum()) / max(1, len(which))


def _first_filled(table: Table, name: str) -> tuple[str, ...]:
    """A column's first values in the order of the rows."""
    top = table.cells([name], pl.int_range(min(len(table), TOP_ROWS), dtype=pl.UInt32, eager=True)).to_series()
    top = top.str.strip_chars()
    return tuple(top.filter(top != "").unique(maintain_order=True).head(EXAMPLES))


def _same_values(values: Sequence[str], ours: pl.Series) -> tuple[str, ...]:
    """Of the field's values those that are these, else its first ones."""
    plain = ours.str.to_lowercase().str.strip_chars_start("0")
    plain_theirs = [value.lower().lstrip("0") for value in values]
    same = {key: value for key, value in zip(plain, ours, strict=True) if key in plain_theirs}
    return tuple(same[value] for value in plain_theirs if value in same) or tuple(ours.head(EXAMPLES))


def _paired_rows(live: Table, edited: Table, mapped: Mapping[str, str]) -> pl.DataFrame:
    """Rows that are likely one item: by a field that both have or that a column may be (frame of live, edited)."""
    both = {name: name for name in edited.names if name in live.names} | dict(mapped)
    by_field = {field: column for column, field in both.items()}
    keys = [name for name in named_as("key", live.names) if name in by_field]
    field = next(iter([*keys, *naming_fields(live, list(by_field))]), None)
    none = pl.DataFrame(schema={"live": pl.UInt32, "edited": pl.UInt32})
    if field is None or len(live) > MOST_VALUES:
        return none
    sides = {"live": live.cells([field]), "edited": edited.cells([by_field[field]]).head(LOOKED_AT)}
    parts = [
        pl.DataFrame({"value": frame.to_series().str.strip_chars().str.to_lowercase().str.strip_chars_start("0")})
        .with_row_index(side)
        .filter(pl.col("value") != "")
        .unique("value", keep="none")
        for side, frame in sides.items()
    ]
    return parts[0].join(parts[1], on="value").select("live", "edited").sort("edited")


def _correlated(
    live: Table, edited: Table, columns: Sequence[str], fields: Sequence[str], pairs: pl.DataFrame
) -> Iterator[tuple[float, MappingSuggestion]]:
    """Columns of numbers that rise and fall with the prices and costs of the same items, as the list of a supplier."""
    money = [name for name in fields if _role(name) in MONEY]
    if len(pairs) < FEWEST_PAIRS:
        return
    marks = (live.format.decimal_separator or ".", edited.format.decimal_separator or ".")
    ours, theirs = live.cells(money, pairs["live"]), edited.cells(columns, pairs["edited"])
    for column in columns:
        for field in money:
            numbers = pl.DataFrame(
                {"a": read_numbers(ours[field], marks[0]), "b": read_numbers(theirs[column], marks[1])}
            )
            numbers = numbers.drop_nulls().cast(pl.Float64).filter((pl.col("a") > 0) & (pl.col("b") > 0))
            if len(numbers) < max(FEWEST_PAIRS, SHARE * len(pairs)) or numbers["b"].n_unique() < FEWEST_PAIRS // 2:
                continue
            alike = numbers.select(pl.corr(pl.col("a").log(), pl.col("b").log())).item()
            if alike is not None and alike >= ALIKE:
                first = (tuple(theirs[column].head(EXAMPLES)), tuple(ours[field].head(EXAMPLES)))
                yield alike, MappingSuggestion(edited.field(column).column, field, 0, 0, *first, round(alike, 2))


def _filled(table: Table, name: str) -> pl.Series:
    values = table.distinct_values(name).str.strip_chars()
    return values.filter(values != "")


def _alike(values: pl.Series, ours: pl.Series) -> int:
    """How many values are also ours: as texts, case aside, or as codes that lost zeros in front."""
    texts = values.filter((values.str.len_chars() >= SHORTEST_CODE) | values.str.contains(r"\p{L}"))
    is_alike = texts.str.to_lowercase().is_in(ours.str.to_lowercase().implode())
    others = texts.filter(~is_alike)
    numbers = read_numbers(others, ".").drop_nulls()
    return int(is_alike.sum()) + int(numbers.is_in(read_numbers(ours, ".").drop_nulls().implode()).sum())

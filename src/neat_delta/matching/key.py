"""The key: the field, or fields, whose value names an item."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.base.errors import AmbiguousKey, InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.matching.key_detection import naming_fields
from neat_delta.tables import field_name
from neat_delta.tables.distinct import is_ascending
from neat_delta.tables.roles import named_as

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.tables import Table

KEY_SEPARATOR = "\x1f"  # the unit separator of ASCII


@dataclass(frozen=True)
class Key:
    """The fields that name an item, and whether somebody said so (``given``) or we found them by name."""

    fields: tuple[str, ...]
    explicit: bool

    def values(self, table: Table, rows: pl.Series | None = None) -> pl.Series:
        """The key of each row as one text, its parts joined by a character that no code holds."""
        cells = table.cells(self.fields, rows)
        if len(self.fields) == 1:
            return cells.to_series()
        return cells.select(pl.concat_str(self.fields, separator=KEY_SEPARATOR)).to_series()

    def is_sorted_by(self, table: Table) -> bool:
        """Whether the rows are in the order of their keys, each of which is there once."""
        return table.is_sorted_by(self.fields[0]) if len(self.fields) == 1 else is_ascending(self.values(table))


def key_parts(keys: pl.Series, names: Sequence[str]) -> pl.DataFrame:
    """Keys as a column for each of their parts, under these names."""
    if len(names) == 1:
        return keys.to_frame(names[0])
    return keys.str.split_exact(KEY_SEPARATOR, len(names) - 1).struct.rename_fields(list(names)).struct.unnest()


def choose_key(live: Table, shared: Sequence[str], given: Sequence[str] = ()) -> Key:
    """The key fields: as given, or the one shared field that is named as the SKU.

    Raises:
        InvalidOption: a field that was given is not in both files.
        AmbiguousKey: no field is named as the SKU.
    """
    if given:
        return Key(_explicit_key(live, shared, given), explicit=True)
    named = next(iter(named_as("key", shared)), None)
    if named is None:
        raise AmbiguousKey(
            "no SKU column found in both files",
            file=live.source.path,
            code="no-key-column",
            **_candidates(live, shared),
            hint=_question(_candidates(live, shared)),
        )
    return Key((named,), explicit=False)


def require_usable_key(live: Table, shared: Sequence[str], key: Key, blank: pl.Series, repeated: pl.Series) -> None:
    """Refuse a key found by its name alone that some live rows (given by position) lack or share.

    Raises:
        AmbiguousKey: with the first such row, and the columns that would do.
    """
    if key.explicit or not (len(blank) or len(repeated)):
        return
    faults = [f"blank in {len(blank)} rows"] * bool(len(blank))
    faults += [f"duplicate in {len(repeated)} rows"] * bool(len(repeated))
    first = min([*blank.head(1), *repeated.sort().head(1)])
    (name,) = key.fields
    candidates = _candidates(live, shared)
    raise AmbiguousKey(
        f"this column should identify each item, but it is {' and '.join(faults)}",
        file=live.source.path,
        line=live.rows.line[first],
        column=live.field(name).column,
        value=live.cells(key.fields, pl.Series([first])).item(),
        hint=f"If you give it as the key, such rows are rejected and the others compared. {_question(candidates)}",
        code="unusable-key",
        key=name,
        **candidates,
    )


def _explicit_key(live: Table, shared: Sequence[str], given: Sequence[str]) -> tuple[str, ...]:
    names = tuple(field_name(name) or name for name in given)
    for name, as_told in zip(names, given, strict=True):
        if name not in shared:
            raise InvalidOption(
                "this column is not in both files",
                option="key",
                value=as_told,
                file=live.source.path,
                hint=nearest_hint(as_told, shared, "Columns of both"),
            )
    if len(set(names)) < len(names):
        raise InvalidOption(
            "this field is given twice", option="key", value=names[0], hint="Give each key column once."
        )
    return names


def _candidates(live: Table, shared: Sequence[str]) -> dict[str, Any]:
    """What a person needs to know who chooses the key.

    ``candidates`` are the shared fields that could be it, with an example each; ``elsewhere`` is the live column that
    seems to hold the item codes and is lacking in the other file, ``naming`` the shared fields that name items as well.
    """
    candidates = {}
    for name in shared:
        values = live.cells([name])[name]
        if len(values) and not (values.str.strip_chars() == "").any() and not values.is_duplicated().any():
            candidates[name] = values[0]
    elsewhere = next((live.field(name).column for name in named_as("key", live.names)), None)
    return {"candidates": candidates, "elsewhere": elsewhere, "naming": naming_fields(live, shared)}


def _question(candidates: dict[str, Any]) -> str:
    """Which fields could be the key, with an example each."""
    listed = [f"{name} (such as {example})" for name, example in candidates["candidates"].items()]
    if listed:
        return "Columns that could identify an item: " + ", ".join(listed) + "."
    return "No single column identifies each item; give several."

"""Fields of several values: what a sheet adds to them or takes from them, rather than writing them anew."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.tables.field import ADD, TAKE

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.tables import Table
    from neat_delta.tables.settings import FieldSettings


@dataclass(frozen=True)
class Parts:
    """The columns of a sheet that speak of one field, as far as it has them: all values, some to add, some to take."""

    whole: str | None
    add: str | None
    take: str | None


def parts_of_fields(edited: Table, fields: Sequence[str], configured: Mapping[str, FieldSettings]) -> dict[str, Parts]:
    """The fields of which the sheet adds or takes values, by a column of its own or as configured for the field.

    Raises:
        InvalidOption: nothing tells what parts the values of such a field.
    """
    by_field = {}
    for name in fields:
        mode = configured[name].cells
        columns = {sign: f"{name}{sign}" for sign in (ADD, TAKE) if f"{name}{sign}" in edited.names}
        here = name if name in edited.names else None
        if mode in ("add", "take") and here:
            columns.setdefault(ADD if mode == "add" else TAKE, here)
            here = None
        if not columns:
            continue
        if not configured[name].separator:
            raise InvalidOption(
                f"the file adds to {name} or removes from it, but its separator is unknown",
                file=edited.source.path,
                hint=f'Set it in catalogue.toml: [fields.{name}] separator = "|"',
            )
        by_field[name] = Parts(here, columns.get(ADD), columns.get(TAKE))
    return by_field


def apply_parts(was: pl.Series, sheet: pl.DataFrame, parts: Parts, separator: str) -> pl.Series:
    """What each cell becomes: the sheet's whole value, or the live one where that is blank, and what is added or taken.

    Added values stand last and once; what is to be taken and is not there is no matter. ``sheet`` holds the sheet's
    columns, row by row beside ``was``.
    """
    columns = {name: sheet[column] for name, column in asdict(parts).items() if column}
    frame = pl.DataFrame({name: columns.get(name, pl.repeat("", len(was), eager=True)) for name in asdict(parts)})
    blank = pl.all().str.strip_chars() == ""
    frame = frame.with_columns(was, whole=pl.when(pl.col("whole").str.strip_chars() == "").then(was).otherwise("whole"))
    silent = frame.select("add", "take").select(blank).select(pl.all_horizontal(pl.all())).to_series()
    lists = frame.select(pl.col(*asdict(parts)).str.split(separator).list.eval(pl.element().str.strip_chars()))
    lists = lists.select("take", value=pl.col("whole").list.concat("add").list.unique(maintain_order=True))
    singles = lists.with_row_index("at").explode("value").filter(pl.col("value") != "")
    singles = singles.filter(~pl.col("value").is_in(pl.col("take")))
    joined = singles.group_by("at").agg(pl.col("value").str.join(separator))
    applied = frame.with_row_index("at").join(joined, on="at", how="left", maintain_order="left")
    return applied.select(pl.when(silent).then("whole").otherwise(pl.col("value").fill_null(""))).to_series()

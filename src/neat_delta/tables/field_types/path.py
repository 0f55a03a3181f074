"""Paths: categories in categories, written from the widest to the narrowest ("Hives/Bodies")."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.roles import speaks_of

if TYPE_CHECKING:
    from neat_delta.tables.field_types.field_type import EditedColumn, FormatOverrides

SEPARATORS = (">", "/", "\\", "|", ":", "»")
LEVEL = "\x1f"
MOSTLY = 0.9


@dataclass(frozen=True)
class PathFormat:
    """What is between two levels, whether with spaces, and whether also in front of the first."""

    separator: str
    spaced: bool
    leading: bool


class Path:
    """Places in a tree of categories."""

    name = "category"
    priority = 70
    expected = "a category with its levels (such as Hives/Bodies), none of them empty"
    numeric = False

    def matches(self, values: pl.Series, field: str) -> bool:
        """The field's name speaks of categories, and some value has two levels."""
        return speaks_of(field, "category") and _commonest(values) is not None

    def infer_format(self, values: pl.Series, overrides: FormatOverrides | None = None) -> PathFormat:
        """The separator that most values have, and how it is written."""
        separator = _commonest(values) or "/"
        within = values.filter(values.str.contains(separator, literal=True))
        spaced = within.str.contains(f" {separator} ", literal=True).sum() * 2 > len(within)
        leading = values.str.starts_with(separator).sum() * 2 > len(values)
        return PathFormat(separator, bool(spaced), bool(leading))

    def infer_edited_format(self, sheet: EditedColumn, live_format: PathFormat) -> PathFormat:
        """The live column's form, unless no cell of the sheet has its separator and nearly all have another one."""
        deep = sheet.cells.filter(sheet.was.str.contains(live_format.separator, literal=True))
        other = _commonest(deep)
        if other is None or deep.str.contains(live_format.separator, literal=True).any():
            return live_format
        enough = deep.str.contains(other, literal=True).sum() >= MOSTLY * len(deep)
        return PathFormat(other, spaced=False, leading=False) if enough else live_format

    def normalize(self, cells: pl.Series, form: PathFormat) -> pl.Series:
        """The levels without the spaces around them; null where one is empty."""
        bare = pl.col("c").str.strip_chars()
        if form.leading:
            bare = bare.str.strip_prefix(form.separator)
        levels = bare.str.split(form.separator).list.eval(pl.element().str.strip_chars())
        empty = levels.list.eval(pl.element() == "").list.any()
        return cells.to_frame("c").select(pl.when(~empty).then(levels.list.join(LEVEL))).to_series()

    def format(self, readings: pl.Series, cells: pl.Series, form: PathFormat) -> pl.Series:
        """The levels parted as the live column parts them."""
        between = f" {form.separator} " if form.spaced else form.separator
        front = form.separator if form.leading else ""
        return (
            readings.to_frame("r").select(front + pl.col("r").str.replace_all(LEVEL, between, literal=True)).to_series()
        )


def _commonest(values: pl.Series) -> str | None:
    """The separator that is inside most values; ``None`` if none does."""
    counts = {mark: int(values.str.contains(mark, literal=True).sum()) for mark in SEPARATORS}
    best = max(counts, key=lambda mark: counts[mark])
    return best if counts[best] else None


TYPE = Path()

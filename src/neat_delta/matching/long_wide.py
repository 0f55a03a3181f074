"""Long and wide: a row for each item and location (language, customer group …), or a column for each of them.

What is configured by ``by`` and ``columns`` of a field says how the two go together. The edited file is brought into
the shape of the live export, so that everything that follows, the update too, is in the shop's own shape.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.base.nearest import nearest_hint
from neat_delta.matching.key import choose_key
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.tables import Field, FilePart, Table, field_name

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.tables.settings import Settings, SupplierProfile

LINE, PLACE = "\x1fline", "\x1fplace"


@dataclass(frozen=True)
class _Spread:
    """Fields that have a value for each of some places (locations, languages …), and their columns in a wide file.

    ``columns`` has by field the wide column's name for each place.
    """

    by: str
    columns: Mapping[str, Mapping[str, str]]

    @property
    def places(self) -> list[str]:
        """All places, in the order in which they are configured."""
        return list(dict.fromkeys(place for columns in self.columns.values() for place in columns))


def in_shape_of(
    live: Table, sheet: Table, settings: Settings, profile: SupplierProfile, key: Sequence[str]
) -> tuple[Table, SupplierProfile]:
    """The edited file in the shape of the live export, and what of its profile is still to be done.

    Nothing changes where both have the same shape, or nothing is configured. Cells of places that a long file has no
    row for are blank, and the table is then incomplete: a blank must not be taken for an emptied field.

    Raises:
        InvalidInput: another column of the live export differs among the rows of an item.
        InvalidOption: the key is not in both files.
        AmbiguousKey: no column can be taken as the key without asking.
    """
    mapped = settings.names() | {field_name(column): field for column, field in profile.columns.items()}
    sheet_columns = {mapped.get(field_name(field.column), field.name): field.name for field in sheet.fields}
    for spread in _configured(settings):
        fields = list(spread.columns)
        wide = {column for columns in spread.columns.values() for column in columns.values()}
        live_is_long = spread.by in live.names and any(name in live.names for name in fields)
        live_is_wide = any(column in live.names for column in wide)
        sheet_is_long = spread.by in sheet_columns and any(name in sheet_columns for name in fields)
        if sheet_is_long and live_is_wide and not live_is_long:
            renamed = {old: new for new, old in sheet_columns.items() if new in (spread.by, *fields)}
            taken = _renamed(sheet, renamed)
            of_shop = [name for name in live.names if name in sheet_columns]
            keys = [sheet_columns[name] for name in choose_key(live, of_shop, key or settings.key).fields]
            rest = {column: field for column, field in profile.columns.items() if field not in (spread.by, *fields)}
            values = {field: told for field, told in profile.values.items() if field != spread.by}
            sheet = _widened(taken, live, spread, keys, sheet_columns, profile.values.get(spread.by, {}))
            return sheet, replace(profile, columns=rest, values=values)
        if not sheet_is_long and live_is_long and any(column in sheet_columns for column in wide):
            ids = [name for name in choose_key(live, live.names, key or settings.key).fields if name != spread.by]
            return _lengthened(sheet, live, spread, sheet_columns, ids), profile
    return sheet, profile


def _configured(settings: Settings) -> list[_Spread]:
    """What is configured, together where it is spread by the same."""
    spreads: dict[str, dict[str, Mapping[str, str]]] = {}
    for name, one in settings.fields.items():
        if one.by is not None and one.columns:
            columns = {place: field_name(column) for place, column in one.columns.items()}
            spreads.setdefault(one.by, {})[name] = columns
    return [_Spread(by, columns) for by, columns in spreads.items()]


def _renamed(sheet: Table, names: Mapping[str, str]) -> Table:
    fields = tuple(replace(field, name=names.get(field.name, field.name)) for field in sheet.fields)
    moved = {old: new for old, new in names.items() if old != new}
    return replace(sheet, fields=fields, rows=sheet.rows.renamed(moved)) if moved else sheet


def _widened(
    sheet: Table,
    live: Table,
    spread: _Spread,
    key: Sequence[str],
    sheet_columns: Mapping[str, str],
    told: Mapping[str, str],
) -> Table:
    """A long sheet with a row for each item: a column for each place, on the line of the item's first row."""
    values = [name for name in spread.columns if name in sheet.names]
    others = [name for name in sheet.names if name not in (spread.by, *values)]
    cells = sheet.cells(sheet.names).with_columns(sheet.rows.line.alias(LINE))
    cells = cells.with_columns(_places(cells[spread.by], spread, told).alias(PLACE))
    strange = cells.filter(pl.col(PLACE).is_null())
    cells = cells.filter(pl.col(PLACE).is_not_null())
    to_live = {old: new for new, old in sheet_columns.items()}
    _require_same(cells, key, [name for name in others if to_live.get(name, name) in live.names], sheet)
    grouped = cells.group_by(key, maintain_order=True)
    wide = [
        (column, pl.col(name).filter((pl.col(PLACE) == place) & (pl.col(name) != "")))
        for name in values
        for place, column in spread.columns[name].items()
        if column in live.names
    ]
    several = grouped.agg(pl.col(LINE).first(), *(cell.n_unique().alias(column) for column, cell in wide))
    rows = grouped.agg(
        pl.col(LINE).first(),
        *(pl.col(name).first() for name in others if name not in key),
        *(pl.when(cell.n_unique() == 1).then(cell.first()).fill_null("").alias(column) for column, cell in wide),
    )
    faults = [*_unknown(strange, sheet, spread), *_twice(several, [column for column, _ in wide])]
    bad = pl.DataFrame(faults, schema=sheet.unreadable_rows.schema, orient="row")
    fields = [field for field in sheet.fields if field.name in others]
    fields += [Field(column, live.field(column).column) for column, _ in wide]
    blank = rows.select(pl.any_horizontal([pl.col(column) == "" for column, _ in wide])).to_series().any()
    remark = f"{len(sheet):,} rows by {spread.by} are {len(rows):,} items with a column for each"
    return replace(
        sheet,
        fields=tuple(fields),
        rows=FrameRows(rows[LINE], rows.select(field.name for field in fields)),
        unreadable_rows=pl.concat([sheet.unreadable_rows, bad]),
        remarks=(*sheet.remarks, remark),
        incomplete=sheet.incomplete or bool(blank),
    )


def _places(cells: pl.Series, spread: _Spread, told: Mapping[str, str]) -> pl.Series:
    """The place that each cell means: by its name in whatever case, or as somebody has said; null for others."""
    places = {place.casefold(): place for place in spread.places}
    places |= {theirs.strip().casefold(): ours for theirs, ours in told.items() if ours in spread.places}
    plain = cells.str.strip_chars().str.to_lowercase()
    lowered = {name.lower(): place for name, place in places.items()}
    return plain.replace_strict(lowered, default=None, return_dtype=pl.String)


def _unknown(strange: pl.DataFrame, sheet: Table, spread: _Spread) -> list[tuple[int, str, str]]:
    """Rows of a place that nobody knows, with the likeliest ones."""
    delimiter = sheet.format.delimiter
    findings = []
    for row in strange.iter_rows(named=True):
        place = row[spread.by].strip()
        hint = nearest_hint(place, spread.places, "Known").rstrip(".")
        what = f"unknown {spread.by} {place!r}" if place else f"the row has no {spread.by}"
        message = f"{what} ({hint[0].lower()}{hint[1:]})"
        findings.append((row[LINE], delimiter.join(row[name] for name in sheet.names), message))
    return findings


def _twice(several: pl.DataFrame, columns: Sequence[str]) -> list[tuple[int, str, str]]:
    """Items with two values for one place; neither is taken."""
    findings = []
    for row in several.filter(pl.any_horizontal([pl.col(name) > 1 for name in columns])).iter_rows(named=True):
        places = ", ".join(name for name in columns if row[name] > 1)
        key = " · ".join(str(row[name]) for name in several.columns if name not in (LINE, *columns))
        findings.append((row[LINE], key, f"{key} has several rows with different values for {places}"))
    return findings


def _require_same(cells: pl.DataFrame, key: Sequence[str], others: Sequence[str], sheet: Table) -> None:
    """Refuse columns that differ among the rows of an item, for a wide file has one cell for them."""
    rest = [name for name in others if name not in key]
    if not rest or cells.is_empty():
        return
    differing = cells.select(LINE, *((pl.col(name) != pl.col(name).first().over(key)).alias(name) for name in rest))
    for name in rest:
        wrong = differing[name].arg_true()
        if len(wrong):
            at = int(wrong[0])
            raise InvalidInput(
                "this column has several values for one item",
                file=sheet.source.path,
                line=cells[LINE][at],
                column=sheet.field(name).column,
                value=cells[name][at],
                hint=f"Set by and columns of [fields.{name}] in catalogue.toml too, or remove the column.",
            )


def _lengthened(
    sheet: Table, live: Table, spread: _Spread, sheet_columns: Mapping[str, str], ids: Sequence[str]
) -> Table:
    """A wide sheet with a row for each item and place that it has a value for.

    Columns that differ from place to place in the live export, and are not configured, say nothing of any place.
    """
    wide = {
        sheet_columns[column]
        for columns in spread.columns.values()
        for column in columns.values()
        if column in sheet_columns
    }
    plain = [name for name in sheet_columns if sheet_columns[name] not in wide and name not in spread.columns]
    differing = differing_by_place(live, ids, plain)
    others = [
        name for name in sheet.names if name not in wide and name not in [sheet_columns[one] for one in differing]
    ]
    cells, lines = sheet.cells(sheet.names), sheet.rows.line.cast(pl.Int64)
    last = int(str(lines.max() or 0)) + 1
    fields = [name for name in spread.columns if name in live.names]
    frames, numbers, parts = [], [], []
    for at, place in enumerate(spread.places):
        columns = {name: sheet_columns.get(spread.columns[name].get(place, "")) for name in fields}
        if not any(columns.values()):
            continue
        told = [pl.lit(place).alias(spread.by)]
        told += [(pl.col(column) if column else pl.lit("")).alias(name) for name, column in columns.items()]
        frame = cells.select(*others, *told).with_columns((lines + at * last).cast(pl.UInt32).alias(LINE))
        frame = frame.filter(pl.any_horizontal(pl.col(name) != "" for name in fields))
        frames.append(frame.select(*others, spread.by, *fields))
        numbers.append(frame[LINE])
        parts.append(FilePart(f"{sheet.source.name} ({place})", at * last + 1, at * last))
    frame, line = pl.concat(frames), pl.concat(numbers)
    by_name = {field.name: field for field in sheet.fields}
    made = tuple(by_name.get(name) or Field(name, live.field(name).column) for name in frame.columns)
    remarks = [f"{len(sheet):,} items with columns by {spread.by} are {len(frame):,} rows of the live export's shape"]
    if differing:
        remarks.append(f"not used, for they differ by {spread.by} in the live export: {', '.join(differing)}")
    # (A place without a column for a field has blank cells that mean nothing.)
    incomplete = any(place not in columns for columns in spread.columns.values() for place in spread.places)
    return replace(
        sheet,
        fields=made,
        rows=FrameRows(line, frame),
        parts=tuple(parts),
        remarks=(*sheet.remarks, *remarks),
        incomplete=sheet.incomplete or incomplete,
    )


def differing_by_place(live: Table, ids: Sequence[str], names: Sequence[str]) -> list[str]:
    """Which fields differ among the rows of an item of a long live export, whose items are known by ``ids``."""
    fields = [name for name in names if name in live.names and name not in ids]
    if not fields or not ids:
        return []
    cells = live.cells([*ids, *fields])
    differ = cells.select((pl.col(name) != pl.col(name).first().over(ids)).any() for name in fields)
    return [name for name in fields if differ[name][0]]

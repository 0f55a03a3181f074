"""Tables that become one by their cells: one below the other, or side by side by the key that they share."""

from __future__ import annotations

import io
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.tables import ASCII, FilePart, Table
from neat_delta.tables.line_names import file_and_line

if TYPE_CHECKING:
    from collections.abc import Sequence


# A column identifies items if so many of its cells are filled and different.
IDENTIFIES = 0.9
# Tables with other columns belong together if so many of the items of the smaller one are in the other.
SHARED = 0.5
# A number's zeros behind the decimal separator say nothing.
ZEROS_BEHIND = r"^([+-]?\d+)(?:[.,]0+|([.,]\d*[1-9])0+)$"
LINE, KEY, OTHER = "\x1fline", "\x1fkey", "\x1f"


def below_each_other(tables: Sequence[Table]) -> Table:
    """Tables with the same fields as one; its lines count on from table to table.

    Raises:
        InvalidInput: one writes numbers with a point and another with a comma.
    """
    placed = _placed(tables)
    names = tables[0].names
    frame = pl.concat([table.cells(names) for table in tables], rechunk=True)
    rows = FrameRows(pl.concat([one.moved(one.table.rows.line) for one in placed]), frame)
    return _made(placed, rows)


def side_by_side(tables: Sequence[Table]) -> Table:
    """Tables that share a key and have other fields each, as one; an item may lack in any of them.

    Its lines are those of the first table in which an item is.

    Raises:
        InvalidInput: no field identifies items in all of them, they share too few items, an item is twice in one of
            them, or they disagree about a field.
    """
    key = _shared_key(tables)
    placed = _placed(tables)
    frames = [_keyed(one, key) for one in placed]
    whole = frames[0]
    for one, frame in zip(placed[1:], frames[1:], strict=True):
        _require_shared_items(tables[0], frames[0], one.table, frame, key)
        whole = _merged(whole, frame, key, one)
    whole = whole.with_columns(pl.col(pl.String).fill_null(""))
    fields = {field.name: field for table in reversed(tables) for field in table.fields}
    order = list(dict.fromkeys(name for table in tables for name in table.names))
    lacking = [
        f"{one.table.source.name} has no row for {len(whole) - len(frame):,} of {len(whole):,} items; its fields are "
        "blank for them"
        for one, frame in zip(placed, frames, strict=True)
        if len(frame) < len(whole)
    ]
    made = _made(placed, FrameRows(whole[LINE].cast(pl.UInt32), whole.select(order)))
    fields_in_order = tuple(fields[name] for name in order)
    return replace(made, fields=fields_in_order, remarks=tuple(lacking), incomplete=bool(lacking))


def rendered(table: Table) -> bytes:
    """A table as delimited text in its own form, so that it can be kept and known again."""
    form = table.format
    cells = table.cells(table.names).rename({field.name: field.column for field in table.fields})
    stream = io.BytesIO()
    filled = cells.with_columns(pl.when(pl.all() != "").then(pl.all()))
    filled.write_csv(stream, separator=form.delimiter, line_terminator=form.line_end)
    data = stream.getvalue()
    return data if form.writing_encoding == "utf-8" else data.decode().encode(form.writing_encoding)


@dataclass(frozen=True)
class _Placed:
    """A table among others, and by how much its lines are moved for lines of the whole."""

    table: Table
    shift: int

    def moved(self, lines: pl.Series) -> pl.Series:
        """Lines of the table as lines of the whole."""
        return (lines.cast(pl.Int64) + self.shift).cast(pl.UInt32)

    def parts(self) -> list[FilePart]:
        """The files of the table."""
        alone = self.table.parts or (FilePart(self.table.source.name, 1, 0),)
        return [FilePart(part.name, part.first_line + self.shift, part.shift + self.shift) for part in alone]

    def place(self, line: int) -> tuple[object, int]:
        """The file and the line in it that a line of the whole is."""
        file, line_in_file = file_and_line(self.table.parts, line - self.shift)
        return file or self.table.source.path, line_in_file


def _placed(tables: Sequence[Table]) -> list[_Placed]:
    """Tables whose lines count on; raises ``InvalidInput`` where they write numbers in different ways."""
    _require_same_marks(tables)
    placed, shift = [], 0
    for table in tables:
        placed.append(_Placed(table, shift))
        lines = (rows["line"] for rows in (table.unreadable_rows, table.non_data_rows))
        last = [lines_of.max() for lines_of in (table.rows.line, *lines)]
        shift += max([1, *(int(str(line)) for line in last if line is not None)])
    return placed


def _made(placed: Sequence[_Placed], rows: FrameRows) -> Table:
    """The whole, in the first table's form as plain delimited text."""
    tables = [one.table for one in placed]
    mark = next((table.format.decimal_separator for table in tables if table.format.decimal_separator), None)
    form = replace(
        tables[0].format,
        encoding=_encoding_for(placed, rows),
        bom=False,
        header_line=1,
        decimal_separator=mark,
        packing=None,
        container=None,
        encoding_certain=True,
    )
    unreadable, non_data = (
        pl.concat([frame.with_columns(one.moved(frame["line"])) for one, frame in zip(placed, frames, strict=True)])
        for frames in ([table.unreadable_rows for table in tables], [table.non_data_rows for table in tables])
    )
    return replace(
        tables[0],
        format=form,
        rows=rows,
        unreadable_rows=unreadable,
        non_data_rows=non_data,
        parts=tuple(part for one in placed for part in one.parts()),
    )


def _encoding_for(placed: Sequence[_Placed], rows: FrameRows) -> str:
    """The encoding that all delimited files have, if it has all characters of the whole; else UTF-8."""
    forms = [one.table.format for one in placed]
    encodings = {form.encoding for form in forms if form.container is None} - {ASCII}
    if len(encodings) != 1 or any(form.container for form in forms):
        return "utf-8"
    (encoding,) = encodings
    try:
        for column in rows.frame.get_columns():
            for text in column.unique():
                text.encode(encoding)
    except UnicodeEncodeError:
        return "utf-8"
    return encoding


def _require_same_marks(tables: Sequence[Table]) -> None:
    marks: dict[str, Table] = {}
    for table in tables:
        if table.format.decimal_separator:
            marks.setdefault(table.format.decimal_separator, table)
    if len(marks) > 1:
        one, other = marks
        raise InvalidInput(
            f"the decimal separator is {other!r} here and {one!r} in {marks[one].source.name}",
            file=marks[other].source.path,
            hint="Export both files with the same one.",
            code="decimal-separators-differ",
        )


def _shared_key(tables: Sequence[Table]) -> str:
    """The field by which rows of all tables are known: the first that identifies them everywhere.

    Raises:
        InvalidInput: there is none.
    """
    common = [name for name in tables[0].names if all(name in table.names for table in tables)]
    for name in common:
        if all(len(table) and len(table.distinct_values(name)) >= IDENTIFIES * len(table) for table in tables):
            return name
    shown = f"the columns in common ({', '.join(common)}) do not identify items" if common else "no column in common"
    raise InvalidInput(
        f"cannot be joined with {tables[0].source.name}: {shown}",
        file=tables[1].source.path,
        hint="Parts of one table need the same columns; files that are joined need a column with the SKU each.",
        code="no-shared-key",
    )


def _keyed(one: _Placed, key: str) -> pl.DataFrame:
    """A table's cells with its lines and its keys; rows without a key are left out.

    Raises:
        InvalidInput: a key stands twice.
    """
    frame = one.table.cells(one.table.names).with_columns(
        one.moved(one.table.rows.line).alias(LINE), pl.col(key).str.strip_chars().alias(KEY)
    )
    frame = frame.filter(pl.col(KEY) != "")
    again = frame.filter(~pl.col(KEY).is_first_distinct())
    if len(again):
        file, line = one.place(again[LINE][0])
        raise InvalidInput(
            "this item is twice in the file", file=file, line=line, column=key, value=again[KEY][0],
            hint="Keep one of its rows.",
        )  # fmt: skip
    return frame


def _require_shared_items(first: Table, keys: pl.DataFrame, other: Table, frame: pl.DataFrame, key: str) -> None:
    """Refuse files with other columns that are about other items; raises ``InvalidInput``."""
    fewer = min(len(keys), len(frame))
    shared = int(frame[KEY].is_in(keys[KEY].implode()).sum())
    if shared >= SHARED * fewer:
        return
    lacking = [name for name in first.names if name not in other.names]
    more = [name for name in other.names if name not in first.names]
    differing = [f"without {', '.join(lacking)}"] if lacking else []
    differing += [f"with {', '.join(more)}"] if more else []
    raise InvalidInput(
        f"other columns than in {first.source.name} ({'; '.join(differing)}), and only {shared:,} of {fewer:,} items "
        f"in common by {key}",
        file=other.source.path,
        hint="Parts of one table need the same columns; files that are joined need the same items.",
        code="other-columns",
    )


def _merged(whole: pl.DataFrame, frame: pl.DataFrame, key: str, one: _Placed) -> pl.DataFrame:
    """All items with the fields of both."""
    shared = [name for name in frame.columns if name in whole.columns and name not in (KEY, LINE)]
    _require_agreement(whole, frame, [name for name in shared if name != key], one)
    whole = whole.join(frame, on=KEY, how="full", coalesce=True, maintain_order="left_right", suffix=OTHER)
    both = [(name, f"{name}{OTHER}") for name in (*shared, LINE)]
    coalesced = [pl.coalesce(column, others) for column, others in both]
    return whole.with_columns(coalesced).drop(others for _, others in both)


def _require_agreement(whole: pl.DataFrame, frame: pl.DataFrame, shared: Sequence[str], one: _Placed) -> None:
    """Refuse files that say different things about a field that both have; raises ``InvalidInput`` with the first."""
    both = whole.select(KEY, *shared).join(frame.select(KEY, LINE, *shared), on=KEY, suffix=OTHER)
    for name in shared:
        ours, others = (pl.col(side).str.replace(ZEROS_BEHIND, "${1}${2}") for side in (name, f"{name}{OTHER}"))
        differing = both.filter(ours != others)
        if len(differing):
            row = differing.row(0, named=True)
            file, line = one.place(row[LINE])
            also = f" (and about {len(differing) - 1:,} more)" if len(differing) > 1 else ""
            raise InvalidInput(
                f"the files disagree about {row[KEY]}: {row[name]!r} in another file{also}",
                file=file,
                line=line,
                column=name,
                value=row[f"{name}{OTHER}"],
                hint="Remove the column from one of the files. Edited files can be given one by one instead.",
                code="files-disagree",
            )

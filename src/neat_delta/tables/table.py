"""The Catalogue value: one table file, read exactly, every cell as text."""

from __future__ import annotations

from dataclasses import dataclass, replace
from dataclasses import field as member
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from neat_delta.base.errors import InvalidInput
from neat_delta.base.path_text import path_text
from neat_delta.tables.distinct import distinct_values, is_ascending
from neat_delta.tables.field import Field, field_name

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    import polars as pl

    from neat_delta.files.content import Content
    from neat_delta.locations import Location

ASCII = "ascii"
# What parts the cells of a delimited file, and what people call it.
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "pipe"}
# Under this name a workbook keeps the checksum of the live export it was made from.
ORIGIN_PROPERTY = "neat-delta live sha256"


@dataclass(frozen=True)
class FileFormat:
    r"""How a delimited file is written, so that another can be written just so.

    ``encoding`` is a Python codec name, "ascii" where nothing in the file tells which it is; ``line_end`` is ``"\n"``,
    ``"\r\n"`` or ``"\r"``; ``quote_all`` says that every cell is in quotes; ``decimal_separator`` is the decimal
    mark where the file shows one. ``header_line`` is the header's line, 0 if there is none; ``delimiter_certain`` is
    false where the delimiter is a guess, ``encoding_certain`` where the character set is; ``packing`` names the
    archive, ``container`` the form of a file that is no delimited text. An update for such a file is written as
    delimited text by the other members.
    """

    delimiter: str = ","
    encoding: str = "utf-8"
    bom: bool = False
    line_end: str = "\n"
    quote_all: bool = False
    decimal_separator: str | None = None
    header_line: int = 1
    delimiter_certain: bool = True
    encoding_certain: bool = True
    packing: str | None = None
    container: str | None = None

    @property
    def writing_encoding(self) -> str:
        """The character set for a file of this form: UTF-8 where the file shows none."""
        return "utf-8" if self.encoding == ASCII else self.encoding


@dataclass(frozen=True)
class Source:
    """Where a catalogue came from: its path and the SHA-256 of the file's bytes.

    The digest of a large file takes as long as parsing it, so ``digest`` may still be at work beside us. ``content`` is
    what the file holds, where that is at hand, and ``known_time`` is when it was made, where it is no file any more.
    ``instead_of`` is a file of its name that was not taken, because it is another one by now.
    """

    path: Location
    digest: Callable[[], str]
    content: Callable[[], Content] | None = None
    known_time: datetime | None = None
    instead_of: Path | None = None

    @property
    def sha256(self) -> str:
        """The checksum in hexadecimal; waits until it is known."""
        return self.digest()

    @property
    def name(self) -> str:
        """The file's name without its folders."""
        return path_text(self.path.name)

    @property
    def made(self) -> datetime | None:
        """When the file was made, in UTC; ``None`` where that is not known here."""
        if self.known_time is not None:
            return self.known_time
        if not isinstance(self.path, Path) or not self.path.is_file():
            return None
        return datetime.fromtimestamp(self.path.stat().st_mtime, UTC)


@dataclass(frozen=True)
class FilePart:
    """One of several files that are a table: its name, and by how much the table's line numbers differ from its own.

    ``first_line`` is the number in the table of its first line, and ``shift`` what is to be taken off for its own.
    """

    name: str
    first_line: int
    shift: int


class Rows(Protocol):
    """The rows of a file, parsed only where somebody asks.

    Lines are counted from 1.
    """

    @property
    def line(self) -> pl.Series:
        """Line on which each row begins."""

    def __len__(self) -> int: ...

    def cells(self, names: Sequence[str], rows: pl.Series | None = None) -> pl.DataFrame:
        """The named columns as text, empty cells as ``""``; of the rows at these positions, or of all."""

    def renamed(self, names: Mapping[str, str]) -> Rows:
        """The same rows with some columns under other names."""

    def without(self, rows: pl.Series) -> Rows:
        """The rows but for those at these positions."""


@dataclass(frozen=True)
class Table:
    """A live export or an edited sheet.

    ``unreadable_rows`` lists what could not be read as a row: line, raw text and the reason (frame of line, raw, say);
    ``non_data_rows`` likewise what is no data: sums, footers, repeated header. ``unnamed_columns`` counts columns
    without a name, ``blank_columns`` the last ones, of which no row has a cell; ``source_sha256`` is the checksum of
    the live export that a sheet says it was made from, and ``base`` the live values that it carries, packed.

    A table of several files has them as ``parts``, and as ``missing_parts`` those that their numbered names lack;
    ``remarks`` are what else to know of them, and ``incomplete`` says that some items have no row in some of them, so
    that a blank cell may stand for no cell.
    """

    source: Source
    format: FileFormat
    fields: tuple[Field, ...]
    rows: Rows
    unreadable_rows: pl.DataFrame
    non_data_rows: pl.DataFrame
    unnamed_columns: int = 0
    blank_columns: int = 0
    source_sha256: str | None = None
    base: tuple[str, ...] = ()
    parts: tuple[FilePart, ...] = ()
    missing_parts: tuple[str, ...] = ()
    remarks: tuple[str, ...] = ()
    incomplete: bool = False
    _filled: dict[str, pl.Series] = member(default_factory=dict, init=False, compare=False, repr=False)
    _ascends: dict[str, bool] = member(default_factory=dict, init=False, compare=False, repr=False)

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def rows_read(self) -> int:
        """How many rows the file has, those among them that cannot be read."""
        return len(self) + len(self.unreadable_rows)

    @property
    def names(self) -> list[str]:
        """Field names in the file's order."""
        return [field.name for field in self.fields]

    def field(self, name: str) -> Field:
        """The field of that name; raises ``KeyError`` if there is none."""
        for field in self.fields:
            if field.name == name:
                return field
        raise KeyError(name)

    def renamed(self, names: Mapping[str, str]) -> Table:
        """The same catalogue with its columns under the field names configured for them.

        ``names`` gives the field for a column's normalised name.

        Raises:
            InvalidInput: two columns would be one field.
        """
        fields = tuple(Field(names.get(field_name(field.column), field.name), field.column) for field in self.fields)
        columns: dict[str, str] = {}
        for field in fields:
            other = columns.setdefault(field.name, field.column)
            if other != field.column:
                raise InvalidInput(
                    f"two columns are mapped to the field {field.name}: {other!r} and {field.column!r}",
                    file=self.source.path,
                    line=self.format.header_line,
                    hint="Remove one of them, or change the aliases in catalogue.toml.",
                )
        moved = {old.name: new.name for old, new in zip(self.fields, fields, strict=True) if old.name != new.name}
        return replace(self, fields=fields, rows=self.rows.renamed(moved)) if moved else self

    def cells(self, names: Sequence[str], rows: pl.Series | None = None) -> pl.DataFrame:
        """The named fields as text columns, of the rows at these positions, or of all rows."""
        return self.rows.cells(names, rows)

    def distinct_values(self, name: str) -> pl.Series:
        """The distinct values of a field's filled cells, in no order; kept, for several steps ask for them."""
        if name not in self._filled:
            self._filled[name] = distinct_values(self.cells([name])[name])
        return self._filled[name]

    def is_sorted_by(self, name: str) -> bool:
        """Whether the rows are in the order of this field, and no two of them share its text; kept likewise."""
        if name not in self._ascends:
            self._ascends[name] = is_ascending(self.cells([name])[name])
        return self._ascends[name]

"""Tables and settings as programs give them: files, addresses, frames."""

from __future__ import annotations

from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeAlias

import polars as pl

from neat_delta.base.errors import InvalidInput, NotInstalled
from neat_delta.base.extras import PANDAS
from neat_delta.locations import parse_location
from neat_delta.reading import read_table
from neat_delta.reading.frames import table_from_frame
from neat_delta.tables import Table
from neat_delta.tables.settings import Settings
from neat_delta.tables.settings_file import load_settings as load
from neat_delta.workflows.option_groups import ReadingOptions

if TYPE_CHECKING:
    from typing import Unpack

    from neat_delta.api.arguments import ReadArguments

# A table that was read; a file, an address or several files by their text; or a frame of any library.
TableLike: TypeAlias = Table | str | PathLike[str] | pl.DataFrame | Any
SettingsLike: TypeAlias = Settings | str | PathLike[str] | None


def read(
    source: TableLike, settings: SettingsLike = None, *, name: str = "frame.csv", **given: Unpack[ReadArguments]
) -> Table:
    """A table: from a file, an address, several files, a database table, or a frame in memory.

    A table file is delimited text, XLSX, ODS, JSON Lines, XML or Parquet, also packed. A frame is one of Polars, or of
    any library that hands out Arrow data (the Arrow PyCapsule interface, as pandas, PyArrow and DuckDB do) or the
    dataframe interchange protocol. Its values must have an exact text: binary floats are refused.

    >>> import polars as pl
    >>> import neat_delta as nd
    >>> nd.read(pl.DataFrame({"sku": ["A"], "stock": [3]})).names
    ['sku', 'stock']

    Args:
        source: a path, an address such as ``https://shop.example/export.csv``, a pattern, or a frame.
        settings: what its columns are called, and how the shop writes its exports.
        name: what messages and change sets call a frame.
        given: statements about the format, as ``ReadArguments`` has them.

    Returns:
        a ``Table``; ``table.cells(table.names)`` are its cells as a Polars frame of text.

    Raises:
        InvalidInput: it cannot be read as a table.
    """
    configured = settings_of(settings)
    if isinstance(source, Table):
        return source.renamed(configured.names())
    if isinstance(source, str | PathLike):
        options = configured.export.overridden_by(ReadingOptions(**given).read_options())
        return read_table(parse_location(str(source)), options=options).renamed(configured.names())
    return table_from_frame(_frame(source, name), name).renamed(configured.names())


def load_settings(path: str | PathLike[str]) -> Settings:
    """The settings of a ``catalogue.toml``.

    Raises:
        InvalidSettings: every mistake in it, with its line.
    """
    return load(Path(path))


def settings_of(given: SettingsLike) -> Settings:
    """Settings as they are given: themselves, a file of them, or none at all.

    Raises:
        InvalidSettings: every mistake in the file.
    """
    if given is None:
        return Settings()
    return given if isinstance(given, Settings) else load_settings(given)


def _frame(source: Any, name: str) -> pl.DataFrame:
    """A frame of any library as one of Polars.

    Raises:
        InvalidInput: it is no frame.
        NotInstalled: a package is missing that hands it over.
    """
    if isinstance(source, pl.LazyFrame):
        return source.collect()
    if isinstance(source, pl.DataFrame):
        return source
    try:
        if hasattr(source, "__arrow_c_stream__"):
            return pl.DataFrame(source)
        if hasattr(source, "__dataframe__"):
            return pl.from_dataframe(source)
    except ImportError as error:
        raise NotInstalled(
            "this frame can only be taken over with pyarrow, which is not installed",
            file=name,
            hint=f'Run: pip install "neat-delta[{PANDAS}]"',
            extra=PANDAS,
        ) from error
    except (TypeError, ValueError, pl.exceptions.PolarsError) as error:
        raise InvalidInput(f"this frame cannot be taken over ({error})", file=name) from error
    raise InvalidInput(
        f"{type(source).__name__} is no table", file=name, hint="Give a path, an address, or a frame of columns."
    )

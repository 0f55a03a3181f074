"""What a catalogue is: its fields and their kinds, its form as a file, and the Catalogue value."""

from neat_delta.tables.field import Field, field_name, parse_header
from neat_delta.tables.table import (
    ASCII,
    DELIMITERS,
    ORIGIN_PROPERTY,
    FileFormat,
    FilePart,
    Rows,
    Source,
    Table,
)

__all__ = [
    "ASCII",
    "DELIMITERS",
    "ORIGIN_PROPERTY",
    "Field",
    "FileFormat",
    "FilePart",
    "Rows",
    "Source",
    "Table",
    "field_name",
    "parse_header",
]

"""What a catalogue is: its fields and their kinds, its form as a file, and the Catalogue value."""

from neat_delta.tables.field import Field, field_name, name_fields
from neat_delta.tables.table import (
    ASCII,
    DELIMITERS,
    ORIGIN_PROPERTY,
    Catalogue,
    FileFormat,
    Rows,
    Source,
)

__all__ = [
    "ASCII",
    "DELIMITERS",
    "ORIGIN_PROPERTY",
    "Catalogue",
    "Field",
    "FileFormat",
    "Rows",
    "Source",
    "field_name",
    "name_fields",
]

"""Files in: where from, packing, character set, dialect, whole records; a file becomes a Catalogue of text cells."""

import neat_delta.reading.numpy_in_polars  # noqa: F401 (before any other: see there)
from neat_delta.locations.prefetch import read_bytes, sha256_hex
from neat_delta.reading.archives import fetch
from neat_delta.reading.read import read_pair, read_strict, read_table, require_every_row
from neat_delta.tables.read_options import ReadOptions

__all__ = [
    "ReadOptions",
    "fetch",
    "read_bytes",
    "read_pair",
    "read_strict",
    "read_table",
    "require_every_row",
    "sha256_hex",
]

"""Files in: where from, packing, character set, dialect, whole records; a file becomes a Catalogue of text cells."""

from neat_delta.prefetch import fingerprint, read_bytes
from neat_delta.reading.archives import fetch
from neat_delta.reading.read import insist_on_every_row, read_both, read_catalogue, read_whole
from neat_delta.reading.read_options import Told

__all__ = [
    "Told",
    "fetch",
    "fingerprint",
    "insist_on_every_row",
    "read_both",
    "read_bytes",
    "read_catalogue",
    "read_whole",
]

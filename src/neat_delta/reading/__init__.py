"""Files in: character set, dialect, whole records; a file becomes a Catalogue of text cells."""

from neat_delta.reading.read import fingerprint, read_both, read_bytes, read_catalogue

__all__ = ["fingerprint", "read_both", "read_bytes", "read_catalogue"]

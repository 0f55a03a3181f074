"""Zstandard (RFC 8878): Python's own module where it has one (3.14 and later), else the same module for older ones."""

from __future__ import annotations

import sys

if sys.version_info >= (3, 14):
    from compression.zstd import CompressionParameter, ZstdCompressor, ZstdError, ZstdFile, compress
else:
    from backports.zstd import CompressionParameter, ZstdCompressor, ZstdError, ZstdFile, compress

__all__ = ["CompressionParameter", "ZstdCompressor", "ZstdError", "ZstdFile", "compress"]

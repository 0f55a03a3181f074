"""The compare as a plain Polars script: read, join, keep what differs, write it. No kinds, checks, proof or undo."""

from __future__ import annotations

import sys

import polars as pl

live_path, edited_path, out, separator, encoding = sys.argv[1:6]
live = pl.read_csv(live_path, infer_schema=False, encoding=encoding)
edited = pl.read_csv(edited_path, infer_schema=False, encoding=encoding, separator=separator)
both = live.join(edited, on="sku", how="inner", suffix="_now")
columns = [c for c in live.columns if c != "sku" and both.select((pl.col(c) != pl.col(f"{c}_now")).any()).item()]
changed = both.filter(pl.any_horizontal(pl.col(c) != pl.col(f"{c}_now") for c in columns))
changed.select("sku", *(pl.when(pl.col(c) != pl.col(f"{c}_now")).then(f"{c}_now").alias(c) for c in columns)).write_csv(
    out
)

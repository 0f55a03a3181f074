"""Times writing an update in which every item changes, proof and undo and all, against Polars writing the same cells.

    python benchmarks/update.py [--items 1000000] [--runs 3]

Three sets of fields change. Plain Polars has its tables ready and writes them and the way back as CSV, nothing else. A
third contestant reads back what it wrote, works out its SHA-256 and compares it with the tables, which is the least
that any proof from the bytes and any receipt must do. Then the whole command "write", which also reads the kept change
set and the live export and tries all checks again, against a plain script that writes the same files from it.
"""

from __future__ import annotations

import argparse
import hashlib
import shutil
import statistics
import sys
import tempfile
import time
from pathlib import Path

import polars as pl
from compare import PROGRAM, measure
from make_pair import live as live_items

from neat_delta.changeset.serialization import save_changes
from neat_delta.diff.compare import compare
from neat_delta.reading import read_pair
from neat_delta.update import WriteOptions
from neat_delta.update.write import write_update

PLAIN = """
import io, sys
from pathlib import Path
import polars as pl
lines = Path(sys.argv[1]).read_bytes()
cell = pl.Struct({"was": pl.String, "now": pl.String})
schema = {"key": pl.List(pl.String), "cells": pl.Struct({"price": cell, "stock": cell})}
items = pl.read_ndjson(io.BytesIO(lines[lines.index(b"\\n") + 1 :]), schema=schema)
cells = {name: pl.col("cells").struct.field(name) for name in ("price", "stock")}
has = {name: cell.struct.field("now").is_not_null() for name, cell in cells.items()}
for side, folder in (("now", Path(sys.argv[2])), ("was", Path(sys.argv[2]) / "undo")):
    folder.mkdir()
    for names in (["price"], ["stock"], ["price", "stock"]):
        those = items.filter(*(has[name] if name in names else ~has[name] for name in has))
        columns = [cells[name].struct.field(side).alias(name) for name in names]
        those.select(pl.col("key").list.first().alias("sku"), *columns).write_csv(folder / f"{'-'.join(names)}.csv")
"""


def edit(frame: pl.DataFrame) -> pl.DataFrame:
    """Every item changes: a third its price, a third its stock, a third both."""
    lot = pl.col("sku").hash(99) % 3
    price = pl.format("{}.{}", pl.col("price").str.extract(r"^(\d+)").cast(pl.Int64) + 1, pl.col("price").str.tail(2))
    stock = (pl.col("stock").cast(pl.Int64) + 7).cast(pl.String)
    return frame.with_columns(
        price=pl.when(lot < 2).then(price).otherwise("price"), stock=pl.when(lot > 0).then(stock).otherwise("stock")
    )


def plainly(tables: list[pl.DataFrame], folder: Path) -> None:
    """Write ready tables."""
    folder.mkdir()
    for at, table in enumerate(tables):
        table.write_csv(folder / f"{at}.csv")


def read_back(tables: list[pl.DataFrame], folder: Path) -> None:
    """Read what was written and compare it."""
    for at, table in enumerate(tables):
        data = (folder / f"{at}.csv").read_bytes()
        hashlib.sha256(data)
        if not pl.read_csv(data, infer_schema=False).equals(table):
            raise SystemExit("read back otherwise")


def race_commands(folder: Path, runs: int) -> dict[str, float]:
    """The median wall seconds of the whole command and of the plain script, from a kept change set on."""
    kept, plain, update = (str(folder / name) for name in ("c.changes.jsonl", "plain", "update"))
    walls: dict[str, list[float]] = {"plain script": [], "neat-delta write": []}
    for _ in range(runs):
        walls["plain script"].append(measure([sys.executable, "-c", PLAIN, kept, plain])[0])
        ours = [*PROGRAM, "write", kept, "-o", update, "--pack", "exact", "--quiet"]
        walls["neat-delta write"].append(measure(ours)[0])
        shutil.rmtree(plain)
        shutil.rmtree(update)
    return {who: statistics.median(times) for who, times in walls.items()}


def main() -> None:
    """Make the files, time both in turns, print the ratio."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--items", type=int, default=1_000_000)
    told.add_argument("--runs", type=int, default=3)
    args = told.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        before = live_items(args.items)
        after = edit(before)
        before.write_csv(folder / "live.csv")
        after.write_csv(folder / "edited.csv")
        live, edited = read_pair(folder / "live.csv", folder / "edited.csv")
        changes = compare(live, edited).changes
        lot = before["sku"].hash(99) % 3
        fields = (["sku", "price"], ["sku", "price", "stock"], ["sku", "stock"])
        tables = [side.filter(lot == at).select(names) for side in (after, before) for at, names in enumerate(fields)]
        times: dict[str, list[float]] = {"plain Polars": [], "and read back": [], "neat-delta": []}
        for _ in range(args.runs):
            begun = time.perf_counter()
            write_update(changes, live, folder / "update", options=WriteOptions(strategy="exact"))
            times["neat-delta"].append(time.perf_counter() - begun)
            begun = time.perf_counter()
            plainly(tables, folder / "plain")
            times["plain Polars"].append(time.perf_counter() - begun)
            read_back(tables, folder / "plain")
            times["and read back"].append(time.perf_counter() - begun)
            shutil.rmtree(folder / "update")
            shutil.rmtree(folder / "plain")
        save_changes(changes, folder / "c.changes.jsonl")
        whole = race_commands(folder, args.runs)
    medians = {who: statistics.median(runs) for who, runs in times.items()}
    print({who: round(seconds, 2) for who, seconds in medians.items()})
    for who in ("and read back", "neat-delta"):
        print(f"{who} / plain Polars: {medians[who] / medians['plain Polars']:.2f}")
    print({who: round(seconds, 2) for who, seconds in whole.items()})
    print(f"neat-delta write / plain script: {whole['neat-delta write'] / whole['plain script']:.2f}")


if __name__ == "__main__":
    main()

"""Times writing an update in which every item changes, proof and undo and all, against Polars writing the same cells.

    python benchmarks/update.py [--items 1000000] [--runs 3]

Three sets of fields change. Plain Polars has its tables ready and writes them and the way back as CSV, nothing else. A
third contestant reads back what it wrote, works out its SHA-256 and compares it with the tables, which is the least
that any proof from the bytes and any receipt must do.
"""

from __future__ import annotations

import argparse
import hashlib
import shutil
import statistics
import tempfile
import time
from pathlib import Path

import polars as pl
from make_pair import live as live_items

from neat_delta.changes import compare
from neat_delta.reading import read_both
from neat_delta.writing import write_update


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
        live, edited = read_both(folder / "live.csv", folder / "edited.csv")
        changes = compare(live, edited).changes
        lot = before["sku"].hash(99) % 3
        fields = (["sku", "price"], ["sku", "price", "stock"], ["sku", "stock"])
        tables = [side.filter(lot == at).select(names) for side in (after, before) for at, names in enumerate(fields)]
        times: dict[str, list[float]] = {"plain Polars": [], "and read back": [], "neat-delta": []}
        for _ in range(args.runs):
            begun = time.perf_counter()
            write_update(changes, live, folder / "update", way="fewest-cells")
            times["neat-delta"].append(time.perf_counter() - begun)
            begun = time.perf_counter()
            plainly(tables, folder / "plain")
            times["plain Polars"].append(time.perf_counter() - begun)
            read_back(tables, folder / "plain")
            times["and read back"].append(time.perf_counter() - begun)
            shutil.rmtree(folder / "update")
            shutil.rmtree(folder / "plain")
    medians = {who: statistics.median(runs) for who, runs in times.items()}
    print({who: round(seconds, 2) for who, seconds in medians.items()})
    for who in ("and read back", "neat-delta"):
        print(f"{who} / plain Polars: {medians[who] / medians['plain Polars']:.2f}")


if __name__ == "__main__":
    main()

"""Times "compare" with a supplier's list of a fifth of the items against a plain Polars join of the same files.

    python benchmarks/list.py [--items 1000000] [--share 0.02] [--runs 3]

The list has three columns under other names, and a price is computed from one of them; a share of the prices is new,
as in next month's list, or all with --share 1. The plain script joins, computes, compares and writes.
"""

from __future__ import annotations

import argparse
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

import polars as pl
from compare import HERE, PROGRAM, measure

PLAIN = """
import sys, polars as pl
live = pl.read_csv(sys.argv[1], infer_schema=False)
listed = pl.read_csv(sys.argv[2], infer_schema=False, separator=";")
both = live.join(listed, left_on="sku", right_on="Our no.")
price = (pl.col("Net").str.replace(",", ".").cast(pl.Decimal(20, 2)) - 1).alias("now")
changed = both.with_columns(price).filter(pl.col("price") != pl.col("now").cast(pl.String))
changed.select("sku", "now").write_csv(sys.argv[3])
"""


def main() -> None:
    """Make the files, time both in turns, print the ratio."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--items", type=int, default=1_000_000)
    told.add_argument("--share", type=float, default=0.02)
    told.add_argument("--runs", type=int, default=3)
    args = told.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        subprocess.run([sys.executable, str(HERE / "make_pair.py"), str(args.items), "0.02", name], check=True)
        live, listed = folder / "live.csv", folder / "list.csv"
        items = pl.read_csv(live, infer_schema=False).gather_every(5)
        is_new = pl.col("sku").hash(7) % 10_000 < args.share * 10_000
        whole = pl.col("price").str.extract(r"^(\d+)").cast(pl.Int64) + 1 + is_new.cast(pl.Int64)
        items.select(
            pl.col("sku").alias("Our no."),
            pl.col("name").alias("Article"),
            pl.format("{},{}", whole, pl.col("price").str.tail(2)).alias("Net"),
        ).write_csv(listed, separator=";")
        kept = ["--out", str(folder / "c.jsonl"), "--quiet"]
        rules = ["--match", "Our no.=sku", "--set", "price = list.net - 1"]
        contestants = {
            "plain Polars": [sys.executable, "-c", PLAIN, str(live), str(listed), str(folder / "out.csv")],
            "neat-delta": [*PROGRAM, "compare", str(live), str(listed), *rules, *kept],
        }
        walls: dict[str, list[tuple[float, float, float]]] = {}
        for turn in range(args.runs + 1):
            for contestant, command in contestants.items():
                figures = measure(command)
                if turn:
                    walls.setdefault(contestant, []).append(figures)
        medians = {
            who: [statistics.median(column) for column in zip(*runs, strict=True)] for who, runs in walls.items()
        }
    for who, (wall, cpu, peak) in medians.items():
        print(f"{who:14}{wall:9.2f} s{cpu:9.2f} s cpu{peak:9.0f} MB")
    print(f"ratio {medians['neat-delta'][0] / medians['plain Polars'][0]:.2f}")


if __name__ == "__main__":
    main()

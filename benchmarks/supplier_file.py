"""Times "compare" with a supplier's list of a fifth of the items against a plain Polars join of the same files.

    python benchmarks/supplier_file.py [--items 1000000] [--share 0.02] [--rule] [--runs 3]

The list has three columns under other names, semicolons and decimal commas. A share of its prices is new, as in next
month's list, or all with --share 1; with --rule they are computed. The plain script joins, compares and writes. A third
one does so and takes the SHA-256 of both files meanwhile, by which a change set must know them again.
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
price = pl.col("Retail").str.replace(",", ".")
if sys.argv[4:]:
    price = (price.cast(pl.Decimal(20, 2)) - 1).cast(pl.String)
changed = both.with_columns(price.alias("now")).filter(pl.col("price") != pl.col("now"))
changed.select("sku", "now").write_csv(sys.argv[3])
"""
FINGERPRINTED = f"""
import hashlib, threading, sys
def take():
    for path in sys.argv[1:3]:
        hashlib.sha256(open(path, "rb").read()).hexdigest()
taking = threading.Thread(target=take)
taking.start()
{PLAIN}
taking.join()
"""


def listed_prices(items: pl.DataFrame, share: float, more: int) -> pl.DataFrame:
    """The list: codes, names and prices, of which a share is higher by one; all of them by ``more``."""
    is_new = pl.col("sku").hash(7) % 10_000 < share * 10_000
    whole = pl.col("price").str.extract(r"^(\d+)").cast(pl.Int64) + is_new.cast(pl.Int64) + more
    price = pl.format("{},{}", whole, pl.col("price").str.tail(2))
    return items.select(pl.col("sku").alias("Our no."), pl.col("name").alias("Article"), price.alias("Retail"))


def main() -> None:
    """Make the files, time all in turns, print the ratios."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--items", type=int, default=1_000_000)
    told.add_argument("--share", type=float, default=0.02)
    told.add_argument("--rule", action="store_true")
    told.add_argument("--runs", type=int, default=3)
    args = told.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        subprocess.run([sys.executable, str(HERE / "make_pair.py"), str(args.items), "0.02", name], check=True)
        live, listed = folder / "live.csv", folder / "file.csv"
        items = pl.read_csv(live, infer_schema=False).gather_every(5)
        listed_prices(items, args.share, int(args.rule)).write_csv(listed, separator=";")
        paths = [str(live), str(listed), str(folder / "out.csv"), *["rule"] * args.rule]
        matched = ["--set", "price = file.retail - 1"] if args.rule else ["--map", "Retail=price"]
        kept = ["--map", "Our no.=sku", *matched, "--out", str(folder / "c.jsonl"), "--quiet"]
        contestants = {
            "plain Polars": [sys.executable, "-c", PLAIN, *paths],
            "fingerprinted": [sys.executable, "-c", FINGERPRINTED, *paths],
            "neat-delta": [*PROGRAM, "compare", str(live), str(listed), *kept],
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
    for who in ("fingerprinted", "neat-delta"):
        print(f"{who} / plain Polars: {medians[who][0] / medians['plain Polars'][0]:.2f}")


if __name__ == "__main__":
    main()

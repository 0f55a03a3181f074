"""Times "inspect" on a large export against the plain reading of it with Polars.

    python benchmarks/inspect_file.py [--items 1000000] [--runs 5]

A third contestant reads and then counts each column's different values with Polars and does nothing else, which is the
least that any exact inspection must do.
"""

from __future__ import annotations

import argparse
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

from compare import HERE, PROGRAM, measure

PLAIN = "import sys, polars as pl; table = pl.read_csv(sys.argv[1], infer_schema=False)"
COUNTED = f"{PLAIN}; table.select(pl.all().n_unique())"


def main() -> None:
    """Make the file, time both in turns, print the ratio."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--items", type=int, default=1_000_000)
    told.add_argument("--runs", type=int, default=5)
    args = told.parse_args()
    with tempfile.TemporaryDirectory() as name:
        subprocess.run([sys.executable, str(HERE / "make_pair.py"), str(args.items), "0.02", name], check=True)
        live = str(Path(name) / "live.csv")
        contestants = {
            "plain Polars": [sys.executable, "-c", PLAIN, live],
            "and counted": [sys.executable, "-c", COUNTED, live],
            "neat-delta": [*PROGRAM, "inspect", live, "--quiet"],
        }
        walls: dict[str, list[float]] = {}
        for turn in range(args.runs + 1):
            for contestant, command in contestants.items():
                wall, _, _ = measure(command)
                if turn:
                    walls.setdefault(contestant, []).append(wall)
    medians = {who: statistics.median(times) for who, times in walls.items()}
    for who, wall in medians.items():
        print(f"{who:14}{wall:9.2f} s")
    for who in ("and counted", "neat-delta"):
        print(f"{who} / plain Polars: {medians[who] / medians['plain Polars']:.2f}")


if __name__ == "__main__":
    main()

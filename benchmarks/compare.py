"""Times "compare --write" (with proof and undo) against plain scripts of the same compare, in one run.

    python benchmarks/compare.py [--items 1000000] [--share 0.02] [--runs 3] [--shuffled] [--other-form]

Prints, for each, the median of the runs' wall and processor seconds and the peak memory, as ratios to the plain
Polars script; and how the time grows from a tenth of the items. Nothing is asserted: machines differ.
"""

from __future__ import annotations

import argparse
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).parent
PROGRAM = [sys.executable, "-m", "neat_delta"]
# An installed program is compiled; so is what is timed here, from the first turn on, which does not count.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)


def measure(command: list[str]) -> tuple[float, float, float]:
    """Wall seconds, processor seconds and peak MB of one run, from the operating system's own account of it."""
    start = time.perf_counter()
    child = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _, status, usage = os.wait4(child.pid, 0)
    wall = time.perf_counter() - start
    if os.waitstatus_to_exitcode(status) not in (0, 1):  # 1: done, and something was held back
        raise SystemExit(f"failed: {' '.join(command)}")
    return wall, usage.ru_utime + usage.ru_stime, usage.ru_maxrss / 1024


def contestants(folder: Path) -> dict[str, list[str]]:
    """The commands to time on one pair of files."""
    pair = [str(folder / "live.csv"), str(folder / "edited.csv")]
    return {
        "plain Polars": [sys.executable, str(HERE / "plain_polars.py"), *pair, str(folder / "polars.csv")],
        "neat-delta": [*PROGRAM, "compare", *pair, "--write", str(folder / "up"), "--quiet"],
        "plain csv": [sys.executable, str(HERE / "plain_csv.py"), *pair, str(folder / "csv.csv")],
    }


def race(folder: Path, runs: int) -> dict[str, tuple[float, float, float]]:
    """Medians per contestant; they take turns, so that a machine that slows down slows all of them."""
    measured: dict[str, list[tuple[float, float, float]]] = {}
    for turn in range(runs + 1):
        for name, command in contestants(folder).items():
            shutil.rmtree(folder / "up", ignore_errors=True)
            figures = measure(command)
            if turn:  # the first turn only warms the disk cache
                measured.setdefault(name, []).append(figures)
    return {
        name: tuple(statistics.median(column) for column in zip(*figures, strict=True))  # type: ignore[misc]
        for name, figures in measured.items()
    }


def main() -> None:
    """Make the files, race, print ratios."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--items", type=int, default=1_000_000)
    told.add_argument("--share", type=float, default=0.02)
    told.add_argument("--runs", type=int, default=3)
    told.add_argument("--shuffled", action="store_true")
    told.add_argument("--other-form", action="store_true")
    args = told.parse_args()
    flags = ["--shuffled"] * args.shuffled + ["--other-form"] * args.other_form
    walls = {}
    for items in (args.items // 10, args.items):
        with tempfile.TemporaryDirectory() as name:
            make = [sys.executable, str(HERE / "make_pair.py"), str(items), str(args.share), name, *flags]
            subprocess.run(make, check=True)
            os.environ["NEAT_DELTA_DATA"] = str(Path(name) / "data")
            figures = race(Path(name), args.runs)
        plain = figures["plain Polars"]
        print(f"\n{items:,} items × 20 columns, {args.share:.0%} of the rows changed {' '.join(flags)}")
        print(f"{'':14}{'wall s':>9}{'cpu s':>9}{'peak MB':>9}   ratio to plain Polars: wall, cpu, memory")
        for contestant, (wall, cpu, peak) in figures.items():
            ratios = "".join(f"{ours / edited:7.2f}" for ours, edited in zip((wall, cpu, peak), plain, strict=True))
            print(f"{contestant:14}{wall:9.2f}{cpu:9.2f}{peak:9.0f}   {ratios}")
        walls[items] = figures["neat-delta"][0]
        share = figures["neat-delta"][0] / figures["plain csv"][0]
        print(f"neat-delta takes {share:.3f} of the plain csv script's time")
    small, large = walls.values()
    print(f"\nten times the items take neat-delta {large / small:.1f} times as long")


if __name__ == "__main__":
    main()

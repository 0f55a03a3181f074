"""Times "compare", alone and with an update (proof and undo), against a plain Polars script of the compare, in one run.

    python benchmarks/compare.py [--items 1000000] [--share 0.02] [--runs 3] [--form plain] [--form gzip] [--csv]

Prints, for each form of the files (see make_pair.py), the median of the runs' wall and processor seconds and the peak
memory, and their ratios to the plain script, which joins and writes what changed and checks nothing; and how the time
grows from a tenth of the items. ``--csv`` adds a script with the csv module. Nothing is asserted: machines differ.
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
PLAIN = "plain Polars"
FORMS = ("plain", "easy", "shuffled", "other-form", "windows", "utf-16", "gzip")
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


def contestants(folder: Path, form: str, *, with_csv: bool) -> dict[str, list[str]]:
    """The commands to time on one pair of files."""
    end = ".csv.gz" if form == "gzip" else ".csv"
    pair = [str(folder / f"live{end}"), str(folder / f"edited{end}")]
    encoding = {"windows": "windows-1252", "utf-16": "utf-16"}.get(form, "utf8")
    separator = ";" if form == "other-form" else ","
    found = {
        PLAIN: [sys.executable, str(HERE / "plain_polars.py"), *pair, str(folder / "polars.csv"), separator, encoding],
        "compare": [*PROGRAM, "compare", *pair, "--quiet"],
        "and update": [*PROGRAM, "compare", *pair, "--write", str(folder / "up"), "--quiet"],
    }
    if with_csv:
        found["plain csv"] = [sys.executable, str(HERE / "plain_csv.py"), *pair, str(folder / "csv.csv")]
    return found


def race(folder: Path, form: str, runs: int, *, with_csv: bool) -> dict[str, tuple[float, float, float]]:
    """Medians per contestant; they take turns, so that a machine that slows down slows all of them."""
    measured: dict[str, list[tuple[float, float, float]]] = {}
    for turn in range(runs + 1):
        for name, command in contestants(folder, form, with_csv=with_csv).items():
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
    told.add_argument("--form", action="append", choices=FORMS)
    told.add_argument("--csv", action="store_true")
    args = told.parse_args()
    print(f"{'':24}{'wall s':>9}{'cpu s':>9}{'peak MB':>9}   ratios to {PLAIN}: wall, cpu, memory")
    for form in args.form or FORMS:
        walls = {}
        for items in (args.items // 10, args.items):
            with tempfile.TemporaryDirectory() as name:
                flags = [] if form == "plain" else [f"--{form}"]
                make = [sys.executable, str(HERE / "make_pair.py"), str(items), str(args.share), name, *flags]
                subprocess.run(make, check=True)
                os.environ["NEAT_DELTA_DATA"] = str(Path(name) / "data")
                figures = race(Path(name), form, args.runs, with_csv=args.csv)
            print(f"{form}, {items:,} × 20, {args.share:.0%} changed")
            for contestant, (wall, cpu, peak) in figures.items():
                pairs = zip((wall, cpu, peak), figures[PLAIN], strict=True)
                ratios = "".join(f"{ours / plain:7.2f}" for ours, plain in pairs)
                print(f"  {contestant:22}{wall:9.2f}{cpu:9.2f}{peak:9.0f}   {ratios}", flush=True)
            walls[items] = figures["and update"][0]
        small, large = walls.values()
        print(f"  ten times the items take {large / small:.1f} times as long", flush=True)


if __name__ == "__main__":
    main()

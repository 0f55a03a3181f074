"""Times what keeping exports adds to compare, and what a sheet with its live values takes to make and to compare.

    python benchmarks/keeping.py [--items 1000000] [--sheet-items 50000] [--runs 5]

Each pair of commands takes turns; printed are the medians of wall seconds and their ratio. The sheet is compared with
the export that it was made from, and with one in which the shop has changed 1 % of the items since (three-way); both
are given as ratios to making the sheet.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

import polars as pl
from compare import HERE, PROGRAM, measure


def race(commands: dict[str, list[str]], folder: Path, runs: int) -> dict[str, float]:
    """Medians of wall seconds; what is kept is thrown away before each turn, and the first turn only warms up."""
    walls: dict[str, list[float]] = {name: [] for name in commands}
    for turn in range(runs + 1):
        for name, command in commands.items():
            shutil.rmtree(folder / "data", ignore_errors=True)
            wall = measure(command)[0]
            if turn:
                walls[name].append(wall)
    return {name: statistics.median(seconds) for name, seconds in walls.items()}


def keeping(folder: Path, items: int, runs: int) -> None:
    """Compare with and without keeping the live export."""
    subprocess.run([sys.executable, str(HERE / "make_pair.py"), str(items), "0.02", str(folder)], check=True)
    (folder / "off.toml").write_text("[store]\nkeep = false\n")
    (folder / "on.toml").write_text("[store]\nkeep = true\n")
    pair = [str(folder / "live.csv"), str(folder / "edited.csv"), "--quiet"]
    found = race(
        {each: [*PROGRAM, "compare", *pair, "--catalogue", str(folder / f"{each}.toml")] for each in ("off", "on")},
        folder,
        runs,
    )
    print(f"compare, {items:,} items: {found['off']:.2f} s; keeping the export {found['on'] / found['off'] - 1:+.0%}")


def sheets(folder: Path, items: int, runs: int) -> None:
    """Make a sheet, compare it with its own export, and with a newer one."""
    subprocess.run([sys.executable, str(HERE / "make_pair.py"), str(items), "0.02", str(folder)], check=True)
    live = pl.read_csv(folder / "live.csv", infer_schema=False)
    sold = set(random.Random(1).sample(range(items), items // 100))
    stock = next(name for name in live.columns if "stock" in name)
    moved = [str(int(cell or 0) + 1) if at in sold else cell for at, cell in enumerate(live[stock])]
    live.with_columns(pl.Series(stock, moved)).write_csv(folder / "newer.csv")
    sheet = str(folder / "sheet.xlsx")
    found = race(
        {
            "make": [*PROGRAM, "sheet", str(folder / "live.csv"), "-o", sheet, "--overwrite", "--quiet"],
            "compare": [*PROGRAM, "compare", str(folder / "live.csv"), sheet, "--quiet"],
            "three-way": [*PROGRAM, "compare", str(folder / "newer.csv"), sheet, "--quiet"],
        },
        folder,
        runs,
    )
    size = (folder / "sheet.xlsx").stat().st_size / 1e6
    ratios = ", ".join(f"{name} {found[name] / found['make']:.2f}" for name in ("compare", "three-way"))
    print(f"sheet, {items:,} items: made in {found['make']:.2f} s, {size:.1f} MB; as ratios to that: {ratios}")


def main() -> None:
    """Make the files, race, print ratios."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--items", type=int, default=1_000_000)
    told.add_argument("--sheet-items", type=int, default=50_000)
    told.add_argument("--runs", type=int, default=5)
    args = told.parse_args()
    for job, items in ((keeping, args.items), (sheets, args.sheet_items)):
        with tempfile.TemporaryDirectory() as name:
            os.environ["NEAT_DELTA_DATA"] = str(Path(name) / "data")
            job(Path(name), items, args.runs)


if __name__ == "__main__":
    main()

"""The whole way for many shops, one after another, by seed.

    python tests/whole_way/campaign.py [--minutes 60] [--seed 1000]

Each shop that breaks a promise is printed with its seed, once; a seed that found a fault goes into ``FOUND`` of
``test_whole_way.py``.
"""

from __future__ import annotations

import argparse
import sys
import tempfile
import time
import traceback
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))


def main() -> int:
    """Go until the time is up."""
    from whole_way.shops import example_of
    from whole_way.way import goes_the_whole_way

    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--minutes", type=float, default=60)
    told.add_argument("--seed", type=int, default=1000)
    options = told.parse_args()
    end, seed, broken = time.monotonic() + 60 * options.minutes, options.seed, 0
    while time.monotonic() < end:
        with tempfile.TemporaryDirectory() as name:
            try:
                goes_the_whole_way(Path(name), example_of(seed))
            except Exception:  # noqa: BLE001 (each broken promise is told, and the next shop tried)
                broken += 1
                said = traceback.format_exc().strip().splitlines()
                sys.stdout.write(f"seed {seed}: {said[-1][:400]}\n")
                sys.stdout.flush()
        seed += 1
    sys.stdout.write(f"{seed - options.seed} shops, {broken} broke a promise\n")
    return int(broken > 0)


if __name__ == "__main__":
    sys.exit(main())

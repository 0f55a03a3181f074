"""The long run: every fault for every command. python tests/faults/campaign.py [--scenario NAME] [--every N]"""

from __future__ import annotations

import argparse
import logging
import os
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))
os.environ["NEAT_DELTA_DATA"] = "."


def _judged(scenario, files, known, fault, place):
    from faults.disturbances import verdict_on

    return verdict_on(scenario, fault, files, place, known)


def main() -> None:
    """Try the faults and print what is wrong."""
    from faults.disturbances import baseline_of, faults_of
    from faults.scenarios import SCENARIOS, make_files

    logging.getLogger("pyftpdlib").setLevel(logging.WARNING)
    parser = argparse.ArgumentParser()
    parser.add_argument("--scenario", action="append")
    parser.add_argument("--every", type=int, default=1, help="only every n-th fault")
    parser.add_argument("--workers", type=int, default=2)
    args = parser.parse_args()
    tried = wrong = 0
    with tempfile.TemporaryDirectory() as folder:
        files = make_files(Path(folder) / "seeds")
        for scenario in SCENARIOS:
            if args.scenario and scenario.name not in args.scenario:
                continue
            work = Path(folder) / "work"
            known = baseline_of(scenario, files, work)
            faults = faults_of(scenario, files, work)[:: args.every]
            with ThreadPoolExecutor(args.workers) as workers:
                places = [Path(folder) / f"{at}" / "work" for at in range(len(faults))]
                judged = workers.map(partial(_judged, scenario, files, known), faults, places)
                for fault, verdict in zip(faults, judged, strict=True):
                    tried += 1
                    if verdict:
                        wrong += 1
                        print(f"{scenario.name}: {fault}: {verdict}", flush=True)
            print(f"{scenario.name}: {len(faults)} faults tried", flush=True)
    print(f"{tried} faults, {wrong} wrong")
    sys.exit(bool(wrong))


if __name__ == "__main__":
    main()

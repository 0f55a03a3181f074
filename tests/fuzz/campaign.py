"""The long run: python tests/fuzz/campaign.py --inputs 1000000 --workers 8 --found found-faults

Each fault is kept once, as JSON, with the attack that shows it; --again FILE runs one of them alone.
"""

from __future__ import annotations

import argparse
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from random import Random

sys.path.insert(0, str(Path(__file__).parents[1]))
os.environ["NEAT_DELTA_DATA"] = "."
os.environ.setdefault("POLARS_MAX_THREADS", "1")

# A worker that is silent for so many seconds hangs.
HANGS = 40


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--inputs", type=int, default=10_000)
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 1)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    parser.add_argument("--found", type=Path, default=Path("found-faults"))
    parser.add_argument("--readers", action="store_true", help="single readers only, many times as fast")
    parser.add_argument("--again", type=Path)
    parser.add_argument("--worker", type=Path, help=argparse.SUPPRESS)
    args = parser.parse_args()
    args.found = args.found.resolve()
    if args.worker:
        work(args)
    elif args.again:
        from fuzz.attacks import as_attack

        with tempfile.TemporaryDirectory() as folder:
            verdict = _arena(Path(folder)).attack(as_attack(json.loads(args.again.read_text())))
        print(verdict.said, "\n", verdict.fault)
    else:
        supervise(args)


def _arena(folder: Path):
    from fuzz import seeds
    from fuzz.targets import Arena

    return Arena(seeds.make(folder / "seeds"), folder / "arena")


def work(args) -> None:
    """Attack after attack; what is tried is written down before, so that a death can be laid to it."""
    from fuzz.attacks import as_json
    from fuzz.targets import make_attack, make_reading

    arena = _arena(args.worker)
    begun = time.monotonic()
    known = {path.stem for path in args.found.glob("*.json")}
    for number in range(args.inputs):
        rng = Random(f"{args.seed}/{number}")
        attack = (make_reading if args.readers else make_attack)(arena.files, rng)
        (args.worker / "now.json").write_text(json.dumps(as_json(attack)))
        verdict = arena.attack(attack)
        if verdict.fault:
            name = _name(verdict.fault)
            if name not in known:
                known.add(name)
                path = args.found / f"{name}.json"
                if not path.exists():
                    path.write_text(json.dumps(as_json(attack, verdict.fault, verdict.said)))
                    print(f"{verdict.fault}   {' '.join(attack.words)[:150]!r}", flush=True)
        if number % 50 == 0:
            (args.worker / "count").write_text(str(number))
            if number % 10000 == 0 and number:
                print(f"{number} at {number / (time.monotonic() - begun):.0f} a second", flush=True)


def _name(fault: str) -> str:
    return "".join(sign if sign.isalnum() else "-" for sign in fault)[:120]


def supervise(args) -> None:
    """Workers, each begun again with other attacks when it dies or hangs."""
    args.found.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="fuzz-") as folder:
        jobs = dict.fromkeys(range(args.workers))
        done, deaths = 0, 0
        while jobs:
            for at in list(jobs):
                job, place = jobs[at], Path(folder) / str(at)
                count = int(_read(place / "count") or 0)
                if job is None or job.poll() is not None or _silent(place):
                    if job is not None:
                        if job.poll() is None:
                            os.killpg(job.pid, signal.SIGKILL)
                            job.wait()
                        if job.returncode == 0:
                            del jobs[at]
                            continue
                        done += count
                        deaths += 1
                        fault = "hang" if job.returncode == -signal.SIGKILL else f"death {job.returncode}"
                        dead = json.loads(_read(place / "now.json") or "{}")
                        (args.found / f"{fault.replace(' ', '-')}-{args.seed}-{deaths}.json").write_text(
                            json.dumps(dead | {"fault": fault})
                        )
                        print(f"{fault}   {' '.join(dead.get('words', ()))[:150]!r}", flush=True)
                    subprocess.run(["rm", "-rf", place], check=True)
                    place.mkdir(parents=True)
                    left = max(1, args.inputs // args.workers)
                    jobs[at] = subprocess.Popen(
                        [sys.executable, __file__, *["--readers"] * args.readers, "--worker", str(place), "--inputs", str(left), "--found", str(args.found),
                         "--seed", str(hash((args.seed, at, deaths)) & 0x7FFFFFFF)], start_new_session=True,
                        stderr=(place / "stderr").open("w"),
                    )  # fmt: skip
                    time.sleep(1)
            time.sleep(1)


def _read(path: Path) -> str:
    try:
        return path.read_text()
    except OSError:
        return ""


def _silent(place: Path) -> bool:
    try:
        return time.time() - (place / "now.json").stat().st_mtime > HANGS
    except OSError:
        return False


if __name__ == "__main__":
    main()

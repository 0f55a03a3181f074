"""How many faults the tests notice: a random sample of mutants, each put into a copy of the project and tested.

    pip install '.[dev,mutants]'
    python benchmarks/mutants.py --sample 1500 --workers 8 --seed 1

Each mutant changes one place of one module (an operator, a number, a condition …; by Cosmic Ray's operators), and is
given to the tests of its room, which stop at the first that fails. What survives is printed with its line, to be
explained or tested.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parents[1]
# Where the heart of the job is, and which tests answer for it.
ROOMS = {
    "update": "tests/update tests/delivery/test_history.py",
    "diff": "tests/diff tests/update/test_laws.py",
    "changeset": "tests/changeset tests/diff",
    "checks": "tests/checks",
    "matching": "tests/matching tests/diff",
    "reading": "tests/reading",
}
# Caches that are lost cost time only, and the others want to be told which variables they are about.
LEFT_OUT = ("core/RemoveDecorator", "core/VariableReplacer", "core/VariableInserter")
TIMEOUT = 400


def sample(number: int, seed: int) -> list[tuple[Path, str, int]]:
    """So many places at random: a module, an operator, and which of the operator's places in it."""
    from cosmic_ray.ast import ast_nodes, get_ast
    from cosmic_ray.plugins import get_operator, operator_names

    found = []
    for room in ROOMS:
        for path in sorted((ROOT / "src" / "neat_delta" / room).rglob("*.py")):
            tree = get_ast(path.read_text("utf-8"))
            for name in operator_names():
                if name.startswith(LEFT_OUT):
                    continue
                operator = get_operator(name)()
                places = sum(1 for node in ast_nodes(tree) for _ in operator.mutation_positions(node))
                found += [(path, name, at) for at in range(places)]
    return random.Random(seed).sample(found, min(number, len(found)))


def judged(mutant: tuple[Path, str, int], copies: Queue[Path]) -> tuple[str, str]:
    """Whether a mutant was noticed, is none after all, or survived; and the line that it changed."""
    from cosmic_ray.mutating import mutate_code
    from cosmic_ray.plugins import get_operator

    path, name, at = mutant
    source = path.read_text("utf-8")
    mutated = mutate_code(source, get_operator(name)(), at)
    pairs = zip(source.splitlines(), (mutated or source).splitlines(), strict=False)
    line = next(((number, new) for number, (old, new) in enumerate(pairs, 1) if old != new), None)
    if mutated is None or line is None:
        return "none", ""
    copy = copies.get()
    target = copy / path.relative_to(ROOT)
    try:
        target.write_text(mutated, "utf-8")
        tests = ROOMS[path.relative_to(ROOT / "src" / "neat_delta").parts[0]].split()
        call = [sys.executable, "-m", "pytest", "-x", "-q", "-n", "0", "-p", "no:cacheprovider", *tests]
        environment = os.environ | {"PYTHONPATH": str(copy / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
        done = subprocess.run(call, cwd=copy, env=environment, capture_output=True, check=False, timeout=TIMEOUT)
        fate = "caught" if done.returncode else "survived"
    except subprocess.TimeoutExpired:
        fate = "caught"
    finally:
        target.write_text(source, "utf-8")
        copies.put(copy)
    return fate, f"{path.relative_to(ROOT)}:{line[0]}: {line[1].strip()}"


def main() -> None:
    """Try the sample and print what survives, and the share that was noticed by room."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--sample", type=int, default=1500)
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 1)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    counts: dict[str, dict[str, int]] = {}
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(args.workers) as workers:
        copies: Queue[Path] = Queue()
        for at in range(args.workers):
            copy = Path(folder) / str(at)
            shutil.copytree(ROOT, copy, ignore=shutil.ignore_patterns(".git", ".venv*", "*cache*"))
            copies.put(copy)
        mutants = sample(args.sample, args.seed)
        for mutant, (fate, line) in zip(mutants, workers.map(lambda one: judged(one, copies), mutants), strict=True):
            of_room = counts.setdefault(mutant[0].relative_to(ROOT / "src" / "neat_delta").parts[0], {})
            of_room[fate] = of_room.get(fate, 0) + 1
            if fate == "survived":
                print(f"survived: {line}   ({mutant[1]})", flush=True)
            tried = sum(number for one in counts.values() for fate, number in one.items() if fate != "none")
            if tried % 20 == 0:
                print(f"{tried} tried: {counts}", flush=True)
    for room, of_room in counts.items():
        caught, survived = of_room.get("caught", 0), of_room.get("survived", 0)
        print(f"{room}: {caught} of {caught + survived} noticed ({caught / max(1, caught + survived):.0%})")


if __name__ == "__main__":
    main()

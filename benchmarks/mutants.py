"""How many faults the tests notice: a random sample of mutants, each put into a copy of the project and tested.

    pip install '.[dev,mutants]'
    python benchmarks/mutants.py --sample 1500 --workers 8 --seed 1

Each mutant changes one place of one module of the heart of the job (an operator, a number, a condition …; by Cosmic
Ray's operators). First all tests are run once to see which of them run which lines; then each mutant meets the tests
that run its line, quickest first, until one fails. What survives is printed with its line, to be explained or tested.
"""

from __future__ import annotations

import argparse
import ast
import contextlib
import io
import json
import os
import random
import shutil
import socket
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parents[1]
PACKAGE = Path("src") / "neat_delta"
ROOMS = ("update", "reconcile", "approval", "delivery", "database", "changeset", "diff")
# Tests that attack, or look at something else than what a change is.
LEFT_OUT_TESTS = (
    "fuzz", "faults", "remote", "practice_shop", "views", "replay/test_real_program.py", "test_house.py",
    "test_words.py",
)  # fmt: skip
# Caches that are lost cost time only, and the others want to be told which variables they are about.
LEFT_OUT = ("core/RemoveDecorator", "core/VariableReplacer", "core/VariableInserter")
# What is None is also equal to it.
ALIKE = ("core/ReplaceComparisonOperator_Is_Eq", "core/ReplaceComparisonOperator_IsNot_NotEq")
# No mutant gets more of the seconds of its own room's tests than this, nor of others', nor more of its own.
ENOUGH, OTHERS, TIMEOUT = 60.0, 15.0, 120
ANSWERS = {"caught\n": False, "survived\n": True}


@dataclass(frozen=True)
class Mutant:
    """One change of the code: a module, an operator, and which of the operator's places in it."""

    path: Path
    operator: str
    at: int

    @property
    def room(self) -> str:
        """The package that it is in."""
        return self.path.relative_to(PACKAGE).parts[0]


@dataclass
class Touched:
    """By module and line the tests (or whole test modules) that run it, and how long each test takes."""

    tests: dict[str, dict[int, set[str]]] = field(default_factory=dict)
    seconds: dict[str, float] = field(default_factory=dict)

    def those_of(self, path: Path, lines: set[int]) -> list[str]:
        """The tests that run one of the lines, as time allows.

        Those of the module's own room come first, and each test with its quickest case before it comes with others.
        """
        of_module = self.tests.get(path.as_posix(), {})
        named = set().union(*(of_module.get(line, set()) for line in lines))
        cases: dict[str, list[str]] = {}
        for test in sorted(self.seconds, key=lambda test: self.seconds[test]):
            if test in named or test.partition("::")[0] in named:
                cases.setdefault(test.partition("[")[0], []).append(test)
        own = f"tests/{path.relative_to(PACKAGE).parts[0]}/"
        ranked = sorted(
            (rank, self.seconds[test], test) for of_one in cases.values() for rank, test in enumerate(of_one)
        )
        taken = []
        for of_room, most in ((True, ENOUGH), (False, OTHERS)):
            total = 0.0
            for _, seconds, test in ranked:
                if test.startswith(own) == of_room and total < most:
                    total += seconds
                    taken.append(test)
        return taken


def run_all_tests(copy: Path, folder: Path, workers: int) -> None:
    """Run all tests once and write down which lines they run."""
    folder.mkdir(parents=True)
    more = {"TOUCHED_LINES": str(folder), "TOUCHED_SOURCE": str(copy / PACKAGE)}
    left_out = [f"--ignore=tests/{name}" for name in LEFT_OUT_TESTS]
    call = [sys.executable, "-m", "pytest", "-q", "-n", str(workers), "-p", "touched_lines", "-p", "no:cacheprovider"]
    call += ["tests", *left_out]
    done = subprocess.run(call, cwd=copy, env=_environment(copy) | more, stdout=subprocess.DEVNULL, check=False)
    if done.returncode:
        shutil.rmtree(folder)
        sys.exit("The tests fail without any mutant.")


def touched_by_tests(folder: Path) -> Touched:
    """What a run of all tests wrote down."""
    from coverage import CoverageData

    touched = Touched()
    for path in folder.glob("seconds-*.json"):
        touched.seconds |= json.loads(path.read_text())
    for path in folder.glob("lines.*"):
        data = CoverageData(str(path))
        data.read()
        for module in data.measured_files():
            of_module = touched.tests.setdefault(module[module.rindex(PACKAGE.as_posix()) :], {})
            for line, tests in data.contexts_by_lineno(module).items():
                of_module.setdefault(line, set()).update(test for test in tests if test)
    return touched


def _environment(copy: Path) -> dict[str, str]:
    paths = (copy / "src", copy / "benchmarks")
    return os.environ | {"PYTHONPATH": os.pathsep.join(map(str, paths)), "PYTHONDONTWRITEBYTECODE": "1"}


def sample(number: int, seed: int, rooms: tuple[str, ...]) -> list[Mutant]:
    """So many places at random."""
    from cosmic_ray.ast import ast_nodes, get_ast
    from cosmic_ray.plugins import get_operator, operator_names

    found = []
    for room in rooms:
        for path in sorted((ROOT / PACKAGE / room).rglob("*.py")):
            tree = get_ast(path.read_text("utf-8"))
            for name in operator_names():
                if name.startswith(LEFT_OUT) or name in ALIKE or _takes_identity(name):
                    continue
                operator = get_operator(name)()
                places = sum(1 for node in ast_nodes(tree) for _ in operator.mutation_positions(node))
                found += [Mutant(path.relative_to(ROOT), name, at) for at in range(places)]
    return random.Random(seed).sample(found, min(number, len(found)))


def _takes_identity(operator: str) -> bool:
    """Whether it puts "is" for another comparison; nobody errs so, and of short texts it gives the same."""
    return operator.endswith(("_Is", "_IsNot")) and "Operator_Is" not in operator


def lines_of(source: str, number: int) -> set[int]:
    """The lines of the smallest statement that has this one; all of its module's if no function has it.

    What a module does when it is loaded is done before any test.
    """
    tree = ast.parse(source)
    functions = [node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef) and _has(node, number)]
    inside = [node for one in functions for node in ast.walk(one) if isinstance(node, ast.stmt) and _has(node, number)]
    smallest = min(inside, key=lambda node: (node.end_lineno or 0) - node.lineno, default=None)
    if smallest is None or smallest in functions:
        return set(range(1, source.count("\n") + 2))
    return set(range(smallest.lineno, (smallest.end_lineno or smallest.lineno) + 1))


def _has(node: ast.stmt, number: int) -> bool:
    return node.lineno <= number <= (node.end_lineno or node.lineno)


def judged(mutant: Mutant, touched: Touched, benches: Queue[TestBench]) -> tuple[str, str]:
    """Whether a mutant was noticed, is none after all, or survived; and the line that it changed."""
    from cosmic_ray.mutating import mutate_code
    from cosmic_ray.plugins import get_operator

    source = (ROOT / mutant.path).read_text("utf-8")
    mutated = mutate_code(source, get_operator(mutant.operator)(), mutant.at)
    pairs = zip(source.splitlines(), (mutated or source).splitlines(), strict=False)
    line = next(((number, new) for number, (old, new) in enumerate(pairs, 1) if old != new), None)
    if (
        mutated is None
        or line is None
        or not _parses(mutated)
        or _said(mutated) == _said(source)
        or "TYPE_CHECKING" in line[1]
    ):
        return "none", ""
    place = f"{mutant.path}:{line[0]}: {line[1].strip()}"
    tests = touched.those_of(mutant.path, lines_of(source, line[0]))
    if not tests:
        return "survived", f"{place}   [no test runs it]"
    bench = benches.get()
    try:
        warm = _said(mutated, bodies=False) == _said(source, bodies=False)
        return ("caught" if bench.fails(mutant.path, mutated, tests, warm=warm) else "survived"), place
    finally:
        benches.put(bench)


def _parses(source: str) -> bool:
    try:
        ast.parse(source)
    except SyntaxError:  # (the operator took a sign for another one)
        return False
    return True


def _said(source: str, *, bodies: bool = True) -> str:
    """The code without the types that functions declare, which nobody looks at when it runs; without bodies, if so."""
    tree = ast.parse(source)
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef):
            node.returns = None
            node.body = node.body if bodies else []
        elif isinstance(node, ast.arg):
            node.annotation = None
    return ast.dump(tree)


class TestBench:
    """A copy of the project, and a process that has its tests loaded."""

    def __init__(self, copy: Path) -> None:
        self.copy = copy
        ours, theirs = socket.socketpair()
        left_out = [f"--ignore=tests/{name}" for name in LEFT_OUT_TESTS]
        call = [sys.executable, "-m", "pytest", "-q", "-s", "-n", "0", "-p", "warm_tests", "-p", "no:cacheprovider"]
        environment = _environment(copy) | {"WARM_TESTS": str(theirs.fileno())}
        self.process = subprocess.Popen(
            [*call, "tests", *left_out], cwd=copy, pass_fds=[theirs.fileno()], env=environment,
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        theirs.close()
        self.connection, self.lines = ours, ours.makefile("rw")

    def fails(self, path: Path, mutated: str, tests: list[str], *, warm: bool) -> bool:
        """Whether one of the tests fails with this text of a module, does not end, or cannot be loaded.

        ``warm``: the change is inside functions, so that it can be put into those that are loaded.
        """
        place = self.copy / path
        source = place.read_text("utf-8")
        place.write_text(mutated, "utf-8")
        try:
            if warm:
                return not ANSWERS[self._ask(place, mutated, tests)]
            fresh = TestBench(self.copy)
            answer = fresh._ask(place, mutated, tests)
            fresh.close()
            return not ANSWERS.get(answer, False)
        finally:
            place.write_text(source, "utf-8")

    def _ask(self, place: Path, text: str, tests: list[str]) -> str:
        asked = {"file": str(place), "text": text, "tests": tests, "seconds": TIMEOUT}
        try:
            self.lines.write(json.dumps(asked) + "\n")
            self.lines.flush()
            return self.lines.readline()
        except OSError:
            return ""

    def close(self) -> None:
        """End the process."""
        with contextlib.suppress(OSError):
            self.lines.close()
        self.connection.close()
        self.process.wait()


def main() -> None:
    """Try the sample and print what survives, and the share that was noticed by room."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--sample", type=int, default=1500)
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 1)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--first", type=int, default=0, help="leave out so many of the sample, that were tried before")
    parser.add_argument("--room", action="append", choices=ROOMS, help="only mutants of this room")
    parser.add_argument("--touched", type=Path, help="a folder for what the tests run, used again if it is there")
    args = parser.parse_args()
    counts: dict[str, dict[str, int]] = {}
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(args.workers) as workers:
        os.environ["POLARS_MAX_THREADS"] = "2"
        copies = [Path(folder) / str(at) for at in range(args.workers)]
        for copy in copies:
            shutil.copytree(ROOT, copy, ignore=shutil.ignore_patterns(".git", ".venv*", "*cache*", ".hypothesis"))
        lines = (args.touched or Path(folder) / "touched").resolve()
        if not lines.exists():
            run_all_tests(copies[0], lines, args.workers)
        touched = touched_by_tests(lines)
        benches: Queue[TestBench] = Queue()
        for copy in copies:
            benches.put(TestBench(copy))
        module = next(iter(touched.tests))
        some = sorted(touched.seconds, key=lambda test: touched.seconds[test])[:800:40]
        if benches.queue[0].fails(Path(module), (ROOT / module).read_text("utf-8"), some, warm=True):
            sys.exit("Tests fail without any mutant, so that none could be told.")
        begun = time.monotonic()
        mutants = sample(args.sample, args.seed, tuple(args.room or ROOMS))[args.first :]
        fates = workers.map(lambda one: judged(one, touched, benches), mutants)
        for number, (mutant, (fate, line)) in enumerate(zip(mutants, fates, strict=True), 1):
            of_room = counts.setdefault(mutant.room, {})
            of_room[fate] = of_room.get(fate, 0) + 1
            if fate == "survived":
                print(f"survived: {line}   ({mutant.operator} {mutant.at})", flush=True)
            if number % 50 == 0:
                print(f"{number} after {time.monotonic() - begun:.0f} s: {shares(counts)}", flush=True)
        for bench in benches.queue:
            bench.close()
    print(shares(counts))


def shares(counts: dict[str, dict[str, int]]) -> str:
    """The share noticed by room, and of all."""
    said = io.StringIO()
    for name, rooms in (*((room, (room,)) for room in ROOMS), ("all", ROOMS)):
        caught, survived = (sum(counts.get(room, {}).get(fate, 0) for room in rooms) for fate in ("caught", "survived"))
        if caught + survived:
            said.write(f"{name} {caught} of {caught + survived} ({caught / (caught + survived):.0%})  ")
    return said.getvalue()


if __name__ == "__main__":
    main()

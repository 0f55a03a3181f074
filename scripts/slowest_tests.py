"""Run all tests and write into CONTRIBUTING.md how long they took, and the slowest twenty.

    python scripts/slowest_tests.py

Seconds are those of the clock, with the workers beside each other; the sum is processor time of all processes.
"""

from __future__ import annotations

import re
import resource
import subprocess
import sys
import time
from datetime import date
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BEGIN, END = "<!-- slowest tests -->", "<!-- end of slowest tests -->"
TEST = re.compile(r"^ *([0-9.]+)s (?:call|setup|teardown) +tests/(\S+?)(?:\[.*\])?$", re.MULTILINE)


def main() -> None:
    """Run, and write if all tests pass."""
    begun = time.monotonic()
    call = [sys.executable, "-m", "pytest", "--durations=60"]
    done = subprocess.run(call, cwd=ROOT, stdout=subprocess.PIPE, text=True, check=False)
    print(done.stdout[-6000:])
    if done.returncode:
        sys.exit(done.returncode)
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    slowest: dict[str, float] = {}
    for seconds, test in TEST.findall(done.stdout):
        slowest[test] = max(slowest.get(test, 0.0), float(seconds))
    total = f"{used.ru_utime + used.ru_stime:.0f} s of processor time, {time.monotonic() - begun:.0f} s on the clock"
    lines = [f"All tests, {date.today()}: {total} (two cores, with servers, browser and spreadsheet program).", ""]
    lines += ["| seconds | test |", "|---|---|"]
    lines += [f"| {seconds:.0f} | `{test.replace('::', ' ')}` |" for test, seconds in list(slowest.items())[:20]]
    path = ROOT / "CONTRIBUTING.md"
    before, _, rest = path.read_text("utf-8").partition(BEGIN)
    after = rest.partition(END)[2]
    path.write_text(f"{before}{BEGIN}\n{chr(10).join(lines)}\n{END}{after}", "utf-8")


if __name__ == "__main__":
    main()

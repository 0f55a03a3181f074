"""Faults of the system while a command runs: the n-th call of a kind fails, or the program is killed just before it."""

from __future__ import annotations

import re
import subprocess
from dataclasses import dataclass
from typing import TYPE_CHECKING

from faults.scenarios import Scenario, history_of, prepare, run, state_of

if TYPE_CHECKING:
    from pathlib import Path

# Calls that put something on a disk, or take it away; each as a name that the tracer knows.
CALLS = (
    "write", "pwrite64", "writev", "fsync", "fdatasync", "rename", "renameat", "renameat2", "link", "linkat", "unlink",
    "unlinkat", "mkdir", "mkdirat", "rmdir", "ftruncate", "flock", "fchmod", "utimensat", "openat", "copy_file_range",
)  # fmt: skip
ERRORS = {"flock": "EAGAIN", "openat": "EACCES", "link": "EIO", "linkat": "EIO"}
KILL = "SIGKILL"
# A traced line: the thread, the call, the rest.
LINE = re.compile(r"^(\d+)\s+(\w+)\((.*)$")


@dataclass(frozen=True)
class Fault:
    """The ``number``-th call of a name in a thread meets an error, or a kill before it is made."""

    call: str
    number: int
    effect: str

    def __str__(self) -> str:
        return f"{self.call} {self.number} {self.effect}"


def works() -> bool:
    """Whether this machine has the tracer, and lets it be used."""
    try:
        done = subprocess.run(
            ["strace", "-f", "-e", "trace=write", "true"], capture_output=True, check=False, timeout=60
        )
    except OSError:
        return False
    return done.returncode == 0


def faults_of(scenario: Scenario, files: dict[str, Path], folder: Path) -> list[Fault]:
    """Every fault that can meet a command, by a run that is watched only."""
    prepare(scenario, files, folder)
    trace = folder.with_name("trace.txt")
    run(
        scenario.command,
        folder,
        ("strace", "-f", "--seccomp-bpf", "-y", "-o", str(trace), "-e", f"trace={','.join(CALLS)}"),
    )
    counts: dict[tuple[str, str], int] = {}
    found: dict[Fault, None] = {}
    for line in trace.read_text(errors="replace").splitlines():
        if matched := LINE.match(line):
            thread, call, rest = matched.groups()
            counts[thread, call] = number = counts.get((thread, call), 0) + 1
            if "<anon_inode:" in rest or "<pipe:" in rest or "<socket:" in rest:  # (wakes another thread, no more)
                continue
            writes = call != "openat" or "O_WRONLY" in rest or "O_RDWR" in rest or "O_CREAT" in rest
            if writes and (
                str(folder) in rest
                or ('"' in rest and not re.search(r'"(/usr|/lib|/etc|/proc|/sys|/root|/tmp/v)', rest))
            ):
                found[Fault(call, number, ERRORS.get(call, "ENOSPC"))] = None
                found[Fault(call, number, KILL)] = None
    return list(found)


@dataclass(frozen=True)
class Baseline:
    """What lies there before a command, and after it."""

    old: dict[str, str]
    new: dict[str, str]


def baseline_of(scenario: Scenario, files: dict[str, Path], folder: Path) -> Baseline:
    """The two by an undisturbed run."""
    prepare(scenario, files, folder)
    old = state_of(scenario, folder)
    done = run(scenario.command, folder)
    assert done.returncode in (0, 1), done.stderr
    return Baseline(old, state_of(scenario, folder))


def verdict_on(scenario: Scenario, fault: Fault, files: dict[str, Path], folder: Path, known: Baseline) -> str | None:
    """What is wrong after a command met a fault and was then run again; ``None`` if all is as promised."""
    prepare(scenario, files, folder)
    effect = f"signal={fault.effect}" if fault.effect == KILL else f"error={fault.effect}"
    inject = f"inject={fault.call}:{effect}:when={fault.number}"
    done = run(
        scenario.command,
        folder,
        ("strace", "-f", "--seccomp-bpf", "-o", "/dev/null", "-e", f"trace={fault.call}", "-e", inject),
    )
    fell = "Traceback" in done.stderr or "internal error" in done.stderr
    # The number may also be that of a thread's call by which it wakes another one.
    if fell and "failed to wake" not in done.stderr:
        return f"falls over: {done.stderr[-1500:]}"
    now = state_of(scenario, folder)
    # Files of an inbox come one after another; each by itself is there whole or not at all.
    one_by_one = scenario.outputs == ("inbox",)
    if now not in (known.old, known.new) and not (one_by_one and now.items() <= known.new.items()):
        return f"neither the old nor the new is there: {now}"
    if fault.effect != KILL and done.returncode in (0, 1) and now != known.new:
        return f"exit code {done.returncode}, but the new is not there"
    history_of(folder)
    return _goes_on(scenario, folder, known)


def _goes_on(scenario: Scenario, folder: Path, known: Baseline) -> str | None:
    """Whether the next command ends as an undisturbed one would have."""
    if state_of(scenario, folder) == known.new and not known.old and scenario.again is None:
        return None
    done = run(scenario.again or scenario.command, folder)
    if scenario.again and done.returncode == 4 and "already sent" in done.stderr:
        done.returncode = 0
    if done.returncode not in (0, 1):
        return f"the next command ends with {done.returncode}: {done.stderr[-800:]}"
    if state_of(scenario, folder) != known.new:
        return f"the next command leaves {state_of(scenario, folder)}"
    return None

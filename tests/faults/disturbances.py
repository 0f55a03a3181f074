"""Faults of the system while a command runs: the n-th call of a kind fails, or the program is killed just before it."""

from __future__ import annotations

import re
import subprocess
from dataclasses import dataclass
from typing import TYPE_CHECKING

from faults.scenarios import Act, Scenario, history_of, staged, state_of

if TYPE_CHECKING:
    from pathlib import Path

# Calls that put something on a disk, or take it away; each as a name that the tracer knows.
CALLS = (
    "write", "pwrite64", "writev", "fsync", "fdatasync", "rename", "renameat", "renameat2", "link", "linkat", "unlink",
    "unlinkat", "mkdir", "mkdirat", "rmdir", "ftruncate", "flock", "fchmod", "utimensat", "openat", "copy_file_range",
)  # fmt: skip
NETWORK_CALLS = ("connect", "sendto", "recvfrom", "sendmsg", "recvmsg")
ERRORS = {
    "flock": "EAGAIN", "openat": "EACCES", "link": "EIO", "linkat": "EIO", "connect": "ECONNREFUSED",
    "sendto": "EPIPE", "recvfrom": "ECONNRESET", "sendmsg": "EPIPE", "recvmsg": "ECONNRESET",
}  # fmt: skip
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
    trace = folder.with_name("trace.txt")
    calls = (*CALLS, *(NETWORK_CALLS if scenario.server else ()))
    with staged(scenario, files, folder) as act:
        act(
            scenario.command,
            ("strace", "-f", "--seccomp-bpf", "-y", "-o", str(trace), "-e", f"trace={','.join(calls)}"),
        )
    counts: dict[tuple[str, str], int] = {}
    found: dict[Fault, None] = {}
    for line in trace.read_text(errors="replace").splitlines():
        if matched := LINE.match(line):
            thread, call, rest = matched.groups()
            counts[thread, call] = number = counts.get((thread, call), 0) + 1
            if call in NETWORK_CALLS or _disturbs(call, rest, folder):
                found[Fault(call, number, ERRORS.get(call, "ENOSPC"))] = None
                found[Fault(call, number, KILL)] = None
    return list(found)


def _disturbs(call: str, rest: str, folder: Path) -> bool:
    """Whether a call does something to a file that is the command's."""
    if "<anon_inode:" in rest or "<pipe:" in rest or "<socket:" in rest:  # (wakes another thread, no more)
        return False
    if call == "openat" and not any(way in rest for way in ("O_WRONLY", "O_RDWR", "O_CREAT")):
        return False
    return str(folder) in rest or ('"' in rest and not re.search(r'"(/usr|/lib|/etc|/proc|/sys|/root|/tmp/v)', rest))


@dataclass(frozen=True)
class Baseline:
    """What lies there before a command, and after it."""

    old: dict[str, str]
    new: dict[str, str]


def baseline_of(scenario: Scenario, files: dict[str, Path], folder: Path) -> Baseline:
    """The two by an undisturbed run."""
    with staged(scenario, files, folder) as act:
        old = state_of(scenario, folder)
        done = act(scenario.command)
        assert done.returncode in (0, 1), done.stderr
        return Baseline(old, state_of(scenario, folder))


def verdict_on(scenario: Scenario, fault: Fault, files: dict[str, Path], folder: Path, known: Baseline) -> str | None:
    """What is wrong after a command met a fault and was then run again; ``None`` if all is as promised."""
    effect = f"signal={fault.effect}" if fault.effect == KILL else f"error={fault.effect}"
    inject = f"inject={fault.call}:{effect}:when={fault.number}"
    disturbing = ("strace", "-f", "--seccomp-bpf", "-o", "/dev/null", "-e", f"trace={fault.call}", "-e", inject)
    with staged(scenario, files, folder) as act:
        done = act(scenario.command, disturbing)
        fell = "Traceback" in done.stderr or "internal error" in done.stderr
        # The number may also be that of a thread's call by which it wakes another one.
        if fell and "failed to wake" not in done.stderr:
            return f"falls over: {done.stderr[-1500:]}"
        now = state_of(scenario, folder)
        if now not in (known.old, known.new) and not (scenario.one_by_one and now.items() <= known.new.items()):
            return f"neither the old nor the new is there: {now}"
        # (A run that was cut off while it sent needs attention, and says why.)
        says_so = scenario.can_do_without or "sending was interrupted" in done.stdout
        if fault.effect != KILL and done.returncode in (0, 1) and now != known.new and not says_so:
            return f"exit code {done.returncode}, but the new is not there"
        history_of(folder)
        return _goes_on(scenario, act, folder, known)


def _goes_on(scenario: Scenario, act: Act, folder: Path, known: Baseline) -> str | None:
    """Whether the next command ends as an undisturbed one would have."""
    if state_of(scenario, folder) == known.new and not known.old and scenario.again is None:
        return None
    done = act(scenario.again or scenario.command)
    if scenario.again and done.returncode == 4 and "already sent" in done.stderr:
        done.returncode = 0
    if done.returncode not in (0, 1):
        return f"the next command ends with {done.returncode}: {done.stderr[-800:]}"
    if state_of(scenario, folder) != known.new:
        return f"the next command leaves {state_of(scenario, folder)}"
    return None

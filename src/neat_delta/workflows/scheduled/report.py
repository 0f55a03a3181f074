"""What a run has done, written down as it goes, so that a summary can be given wherever it ends."""

from __future__ import annotations

from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import NeatDeltaError
from neat_delta.base.exit_codes import Exit
from neat_delta.base.json_form import to_json
from neat_delta.base.shell import ONE_LINE, command_line
from neat_delta.files.user_data import user_name

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.base.progress import ProgressReporter

FORMAT = 2
DONE, NOTHING, NEEDED, FAILED = "done", "nothing to do", "needs attention", "failed"
WAITING = "waiting for approval"
# How many findings, changes and refused rows a summary tells one by one.
SOME = 12


@dataclass
class Step:
    """One step: what was done, and what came of it; ``state`` is "done", "left out" or "failed"."""

    name: str
    state: str = "done"
    message: str = ""


@dataclass
class RunReport:
    """A run so far.

    ``attention_reasons`` are the reasons why a person must look; ``failure`` is what ended the run early, ``None`` once
    it is through. ``sent`` says whether anything has left for the shop, ``waiting`` whether it waits for an approval.
    ``made_by`` is who runs it, ``approved_by`` who approved what was sent, and when (``approved``). ``next_steps`` are
    the commands that a person would give now. The rest are figures and samples for the summary: ``changes`` (item,
    name, field, was, now), ``findings`` (check, level, item, field, value, say), ``rejected`` (code, result, reason),
    ``not_applied`` (item, field, original, ours, shop, state, how).
    """

    name: str
    folder: Path
    started: datetime = field(default_factory=lambda: datetime.now(UTC))
    ended: datetime | None = None
    steps: list[Step] = field(default_factory=list)
    attention_reasons: list[str] = field(default_factory=list)
    failure: str | None = "the run was interrupted"
    failure_exit: int = Exit.UNUSABLE
    sent: bool = False
    waiting: bool = False
    made_by: str | None = field(default_factory=user_name)
    approved_by: str | None = None
    approved: str | None = None
    counts: dict[str, int] = field(default_factory=dict)
    items: dict[str, int] = field(default_factory=dict)
    cells: int = 0
    fields: list[dict[str, Any]] = field(default_factory=list)
    changes: list[dict[str, Any]] = field(default_factory=list)
    levels: dict[str, int] = field(default_factory=dict)
    findings: list[dict[str, Any]] = field(default_factory=list)
    files: list[dict[str, Any]] = field(default_factory=list)
    entry: int | None = None
    results: dict[str, int] = field(default_factory=dict)
    rejected: list[dict[str, Any]] = field(default_factory=list)
    applied: dict[str, int] = field(default_factory=dict)
    not_applied: list[dict[str, Any]] = field(default_factory=list)
    next_steps: list[str] = field(default_factory=list)

    @contextmanager
    def step(self, name: str, progress: ProgressReporter) -> Iterator[Step]:
        """A step at work; if it fails it is given so, and the run ends."""
        progress.step(name)
        step = Step(name)
        self.steps.append(step)
        try:
            yield step
        except NeatDeltaError as error:
            step.state, step.message = "failed", str(error)
            raise

    def end(self) -> None:
        """Write down that the run is over, if it is not yet."""
        self.ended = self.ended or datetime.now(UTC)

    def note(self, name: str, message: str) -> None:
        """Write down what took no work."""
        self.steps.append(Step(name, "done", message))

    def skip(self, name: str, why: str) -> None:
        """Write down a step that was not done."""
        self.steps.append(Step(name, "skipped", why))

    def suggest(self, *words: str) -> None:
        """Note a command of the program that a person would give now, as it can be pasted."""
        self.next_steps.append(command_line(["neat-delta", *words], ONE_LINE)[0])

    @property
    def verdict(self) -> str:
        """How the run came out, in one of five words."""
        if self.failure is not None and not self.sent:
            return FAILED
        if self.waiting:
            return WAITING
        if self.attention_reasons or self.failure is not None:
            return NEEDED
        return DONE if sum(self.items.values()) else NOTHING

    @property
    def exit_code(self) -> int:
        """0 if all is well, 1 if something needs attention; 2, 3 or 4 if nothing was done."""
        return {FAILED: self.failure_exit, NEEDED: Exit.ATTENTION, WAITING: Exit.ATTENTION}.get(self.verdict, Exit.DONE)

    def as_dict(self) -> dict[str, Any]:
        """The form of summary.json."""
        described: dict[str, Any] = to_json(self)
        for name in ("started", "ended"):
            described[name] = described[name] and described[name].strftime("%Y-%m-%dT%H:%M:%SZ")
        described["folder"] = str(self.folder)
        described["run"] = described.pop("name")
        described.pop("failure_exit")
        return {"neat_delta": FORMAT, "verdict": self.verdict, "exit": self.exit_code} | described

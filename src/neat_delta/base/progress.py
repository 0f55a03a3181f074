"""How the core says what it is doing, without knowing who listens."""

from __future__ import annotations

from typing import Protocol


class ProgressReporter(Protocol):
    """Hears which step has begun; the command line shows it while a person waits."""

    def step(self, what: str) -> None:
        """Say that ``what`` has begun ("reading live.csv")."""


class NullReporter:
    """The voice of unattended and library use: says nothing."""

    def step(self, what: str) -> None:
        """Say nothing."""


NO_PROGRESS = NullReporter()

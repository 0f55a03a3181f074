"""What earlier runs of the same file have left: updates on their way, and change sets that wait for an approval."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.approval import approval_path, load_approval
from neat_delta.approval.gate import why_not
from neat_delta.changeset.serialization import load_changes

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.approval import Approval
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables.settings import Settings
    from neat_delta.workflows.scheduled.run_config import RunConfig

CHANGES_FILE = "changes.jsonl"
# In the folder of a run whose change set waits for an approval; and what became of it.
WAITING_FILE, CONTINUED_FILE = "waiting-for-approval.txt", "continued.txt"


@dataclass(frozen=True)
class Approved:
    """A change set of an earlier run that was approved meanwhile."""

    folder: Path
    changes: ChangeSet
    approval: Approval

    def mark_continued(self, by: Path) -> None:
        """Write down in which run it went on, so that no other takes it up again."""
        (self.folder / CONTINUED_FILE).write_text(f"{by.name}\n", encoding="utf-8")


def own_folders(config: RunConfig) -> Iterator[Path]:
    """The folders of this file's runs, the newest first; other files may share the place."""
    if config.folder.is_dir():
        yield from sorted((path for path in config.folder.iterdir() if is_own(config, path)), reverse=True)


def is_own(config: RunConfig, folder: Path) -> bool:
    """Whether a folder is that of a run of this very file."""
    return folder.resolve().parent == config.folder.resolve() and is_name_of_run(config, folder.name)


def is_name_of_run(config: RunConfig, name: str) -> bool:
    """Whether a folder is called as those of the runs of a file of this name."""
    name_of_run = re.compile(rf"{re.escape(config.name)}-[0-9]{{4}}-[0-9]{{2}}-[0-9]{{2}}T[0-9]{{6}}Z(-[0-9]+)?")
    return bool(name_of_run.fullmatch(name))


def approved_meanwhile(config: RunConfig, settings: Settings) -> Approved | None:
    """The newest change set of an earlier run that waits, and whose approval holds.

    Raises:
        NotApproved: there is nothing to check an approval with.
        InvalidInput: an approval or a change set is damaged.
    """
    for folder in own_folders(config):
        path = folder / CHANGES_FILE
        approval = approval_path(path)
        waits = (folder / WAITING_FILE).is_file() and not (folder / CONTINUED_FILE).exists()
        if waits and approval.is_file() and path.is_file():
            changes, approved = load_changes(path), load_approval(approval)
            if why_not(changes, settings.send, approved) is None:
                return Approved(folder, changes, approved)
    return None


def why_none_holds(config: RunConfig, settings: Settings) -> list[str]:
    """Why the approvals of earlier runs that wait do not hold."""
    reasons = []
    for folder in own_folders(config):
        path = folder / CHANGES_FILE
        if (folder / WAITING_FILE).is_file() and not (folder / CONTINUED_FILE).exists():
            approval = approval_path(path)
            if approval.is_file() and (why := why_not(load_changes(path), settings.send, load_approval(approval))):
                reasons.append(why)
    return reasons

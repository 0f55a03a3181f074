"""The approval of a change set: where it lies, and whether it holds."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.approval import approval_path, load_approval
from neat_delta.approval.gate import rule_for, why_not
from neat_delta.base.errors import NotApproved

if TYPE_CHECKING:
    from neat_delta.approval import Approval
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location
    from neat_delta.tables.settings import Settings


def approval_for(
    changes: ChangeSet, saved: ChangeSet | Location, given: Location | None, settings: Settings
) -> Approval | None:
    """The approval of a change set: as given, else the one beside its file; where none is wanted, only one that holds.

    Raises:
        InvalidInput: it is no approval.
        NotApproved: the one that was given does not hold, or there is nothing to check it with.
    """
    path = given
    if path is None:
        path = approval_path(saved) if isinstance(saved, Path) else None
        if path is None or not path.is_file():
            return None
    approval = load_approval(path)
    if rule_for(changes, settings.send) is not None:
        return approval  # (whoever writes insists on one that holds)
    if given is not None:
        if why := why_not(changes, settings.send, approval):
            raise NotApproved(why, file=given, hint="Leave it out, or have the change set approved again.")
        return approval
    try:
        return None if why_not(changes, settings.send, approval) else approval
    except NotApproved:
        return None


def approval_beside(path: Location, changes: ChangeSet, settings: Settings) -> tuple[Approval, str | None] | None:
    """The approval next to a saved change set, and why it does not hold, or cannot be checked here.

    Raises:
        InvalidInput: what lies there is no approval.
    """
    beside = approval_path(path) if isinstance(path, Path) else None
    if beside is None or not beside.is_file():
        return None
    approval = load_approval(beside)
    try:
        return approval, why_not(changes, settings.send, approval)
    except NotApproved as error:
        return approval, str(error)

"""The gate: what has no approval that holds is neither written nor sent."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from neat_delta.approval.approval import content_digest
from neat_delta.approval.signing import holds
from neat_delta.base.errors import NotApproved
from neat_delta.changeset.head import OTHER
from neat_delta.files.user_data import folded_name

if TYPE_CHECKING:
    from neat_delta.approval.approval import Approval
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.changeset.head import Rule
    from neat_delta.tables.settings import Settings
    from neat_delta.tables.settings_sections import SendSettings

AGAIN = "Have it approved again."


def require_approval(changes: ChangeSet, settings: Settings, approval: Approval | None) -> None:
    """Insist that a change set is approved, where the settings want that, by somebody who may, and unchanged since.

    Raises:
        NotApproved: it is not; why.
    """
    rule = rule_for(changes, settings.send)
    if rule is None:
        return
    if approval is None:
        raise NotApproved(
            "not approved yet", file=settings.path, hint="Have it approved first.", code="not-approved",
            maker=changes.head.makers if rule == OTHER else None,
        )  # fmt: skip
    if why := why_not(changes, settings.send, approval):
        raise NotApproved(why, hint=AGAIN)
    made_for = changes.head.imports.as_dict() if changes.head.imports else {}
    if made_for != settings.imports.as_dict():
        raise NotApproved(
            "the change set was made and approved for other settings of [import] in catalogue.toml", file=settings.path,
            hint="Compare again with these settings, and have that approved.", code="approved-for-other-import",
        )  # fmt: skip


def rule_for(changes: ChangeSet, settings: SendSettings) -> Rule | None:
    """Who has to approve a change set: as these settings say, or those under which it was made, if stricter."""
    return changes.head.with_rule(settings.rule).approval


def why_not(changes: ChangeSet, settings: SendSettings, approval: Approval, *, used: str | None = None) -> str | None:
    """Why an approval does not hold for a change set; ``None`` if it does.

    ``used`` is when it was used, if that is what matters, by ISO 8601; otherwise it is used now.

    Raises:
        NotApproved: there is nothing to check the signature with.
    """
    said = f"the approval by {approval.approved_by} of {approval.approved}"
    if not holds(approval.signature, approval.message, approval.approved_by, settings.signers_file):
        how = "an SSH key of the signers" if settings.signers_file else "the secret of the team"
        return f"{said} is not signed with {how}, or was changed afterwards"
    moment = datetime.now(UTC) if used is None else datetime.fromisoformat(used)
    if datetime.fromisoformat(approval.expires) < moment:
        return f"{said} expired on {approval.expires}"
    # (Who made it when it was approved is signed; whoever has worked on it since made it as well.)
    makers = {folded_name(name) for name in (*approval.made_by, *changes.head.made_by)}
    rule = rule_for(changes, settings)
    if rule == OTHER and not makers:
        return f"{said} does not count: the change set does not say who made it, so nobody knows who is another person"
    if rule == OTHER and folded_name(approval.approved_by) in makers:
        return f"{said} does not count: {approval.approved_by} made the change set; another person must approve it"
    if content_digest(changes) != approval.content:
        now = (
            f"{changes.items.filter(changes.items['action'] != 'none').height:,} items, {changes.cells.height:,} cells"
        )
        return (
            f"the change set was changed after {said}: approved were {approval.items:,} items, {approval.cells:,} "
            f"cells, now it has {now}"
        )
    return None

"""Who made, approved and sent something, as people read it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.views.formatting import local_time, printable
from neat_delta.views.lines import sentence

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

    from neat_delta.approval import Approval


def approved_text(by: str, approved: str, note: str = "", expires: str = "") -> str:
    """By whom and when something was approved, until when that holds, and with what words."""
    until = f", valid until {local_time(expires)}" if expires else ""
    said = f": “{printable(note)}”" if note else ""
    return f"by {printable(by)}, {local_time(approved)}{until}{said}"


def approval_state(approval: Approval, why_not: str | None) -> str:
    """An approval, and why it does not hold."""
    text = approved_text(approval.approved_by, approval.approved, approval.note, approval.expires)
    return f"approved {text}" if why_not is None else f"approval does not hold here: {why_not}"


def approval_view(approval: Approval, width: int) -> Iterator[Text]:
    """An approval in one sentence."""
    text = approved_text(approval.approved_by, approval.approved, approval.note, approval.expires)
    yield from sentence("approved", text, width, "good")

"""Approvals: a person signs what a change set does, and only that may be written and sent."""

from neat_delta.approval.approval import Approval, approval_path, approve, load_approval, save_approval
from neat_delta.approval.gate import require_approval

__all__ = ["Approval", "approval_path", "approve", "load_approval", "require_approval", "save_approval"]

"""What the command approve does."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.approval import approval_path, approve, save_approval
from neat_delta.approval.gate import why_not
from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.base.json_form import to_json
from neat_delta.base.shell import free_name
from neat_delta.changeset.serialization import load_changes
from neat_delta.cli.actions.screen import console, show
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.cli.envelope import show_json
from neat_delta.files.output_paths import check_outputs
from neat_delta.update.receipt import CHANGESET_FILE
from neat_delta.views.approval_views import approval_view
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import labelled
from neat_delta.views.preview import head_view
from neat_delta.views.verdict import NOT_SENT, next_command, verdict_view

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.approval import Approval
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.cli.approve import ApprovalOptions
    from neat_delta.tables.settings import Settings


def approve_command(
    changes: Path,
    approved: ApprovalOptions,
    days: int | None,
    out: Path | None,
    overwrite: bool,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Approve a change set: sign what it changes, so that just this may be written and sent."""
    settings = load_config(config)
    path = changes / CHANGESET_FILE if changes.is_dir() else changes
    loaded = load_changes(path)
    saved = out or approval_path(path)
    approval = approve_and_save(loaded, path, saved, approved, settings, days=days, overwrite=overwrite)
    words = _next(changes, path, saved)
    if output.as_json:
        show_json(_as_dict(approval, saved), loaded, [words])
    elif not output.quiet:
        show(_view(loaded, approval, saved, words, console(output).width), output)
    return Exit.DONE


def approve_and_save(
    changes: ChangeSet,
    path: Path,
    out: Path,
    approved: ApprovalOptions,
    settings: Settings,
    *,
    days: int | None = None,
    overwrite: bool = False,
) -> Approval:
    """Approve a change set, and save that.

    Raises:
        InvalidOption: there is nothing to approve, or this person may not.
        NotApproved: there is no secret, or the key cannot be used.
        WriteError: the file exists.
    """
    by = " ".join((approved.by or "").split())
    if not by or not by.isprintable():
        raise InvalidOption("a name is needed", option="by", value=approved.by, hint="Give your name.")
    if changes.is_empty:
        raise InvalidOption("there is nothing to approve: the change set changes nothing", file=path)
    check_outputs(out, replace=overwrite)
    approval = approve(changes, path.name, by, approved.note, days or settings.send.approval_days, approved.ssh_key)
    if why := why_not(changes, settings.send, approval):
        raise InvalidOption(why, hint="Nothing was saved.")
    save_approval(approval, out, overwrite=overwrite)
    return approval


def _next(given: Path, path: Path, saved: Path) -> list[str]:

    if given.is_dir():
        return ["neat-delta", "send", str(given), "--to", "DESTINATION"]
    words = ["neat-delta", "write", str(path), "-o", free_name("updates")]
    return words if saved == approval_path(path) else [*words, "--approval", str(saved)]


def _as_dict(approval: Approval, saved: Path) -> dict[str, object]:

    described: dict[str, object] = to_json(approval)
    return {name: value for name, value in described.items() if name != "signature"} | {"out": str(saved)}


def _view(changes: ChangeSet, approval: Approval, saved: Path, words: list[str], width: int) -> Iterator[Text]:

    yield from head_view(changes, approval.file, width)
    yield from approval_view(approval, width)
    yield labelled("saved", f"the approval, in {saved}")
    yield from verdict_view([f"{pluralize(approval.items, 'item')} approved", NOT_SENT], width)
    yield from next_command(words, width)

"""What the command pick does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from rich.text import Text

from neat_delta.approval import approval_path
from neat_delta.base.errors import InvalidOption
from neat_delta.base.shell import free_name
from neat_delta.changeset.serialization import head_as_dict
from neat_delta.cli.actions.approve import approve_and_save
from neat_delta.cli.actions.changeset_output import render_changes
from neat_delta.cli.actions.screen import show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.views.approval_views import approval_view
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.preview import head_view
from neat_delta.views.verdict import changes_verdict, next_command, verdict_view
from neat_delta.workflows.accept import accept
from neat_delta.workflows.requests import AcceptRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.approval import Approval
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.cli.approve import ApprovalOptions
    from neat_delta.locations import Location
    from neat_delta.tables.settings import Settings


def pick_command(
    changes: Location,
    approved: ApprovalOptions,
    live: Location | None,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Accept a part of a change set: as decided in a page or a review workbook, or by field, condition or SKU."""
    settings = load_config(config)
    is_approval = approved.by is not None
    request = AcceptRequest(changes=changes, live=live, settings=settings, is_approval=is_approval, **options)
    assert request.out is not None
    out = request.out
    with show_progress(output) as progress:
        accepted = accept(request, progress)
        whole, less = accepted.whole, accepted.changes
        approval = _approve(less, out, approved, settings, overwrite=request.overwrite)
    return render_changes(
        less,
        output,
        lambda: _as_dict(less, out),
        lambda width: _view(whole, less, changes, out, approval, width),
        [_write_command(out)],
    )


def _as_dict(changes: ChangeSet, out: Path) -> dict[str, object]:

    return head_as_dict(changes) | {"cells": len(changes.cells), "out": str(out)}


def _approve(
    changes: ChangeSet, out: Path, approved: ApprovalOptions, settings: Settings, *, overwrite: bool
) -> Approval | None:
    """Approve what was accepted, if a person gives a name for it."""
    if approved.by is None:
        if approved.note or approved.ssh_key:
            raise InvalidOption("--note and --ssh-key need --by", hint="Give your name with --by NAME.")
        return None
    return approve_and_save(changes, out, approval_path(out), approved, settings, overwrite=overwrite)


def _view(
    whole: ChangeSet, less: ChangeSet, path: Location, out: Path, approval: Approval | None, width: int
) -> Iterator[Text]:

    yield from head_view(less, path.name, width)
    yield Text()
    left = less.head.exclusions[-1]
    yield labelled("accepted", pluralize(len(less.cells), "cell"), "strong")
    yield labelled("rejected", f"{pluralize(left.cells, 'cell')} and {pluralize(left.items, 'whole item')} ({left.by})")
    for comment in left.comments:
        yield from sentence("", f"“{comment}”", width)
    if approval is not None:
        yield from approval_view(approval, width)
    yield labelled("saved", f"the accepted changes, in {out}")
    yield from verdict_view(changes_verdict(less), width)
    yield from next_command(_write_command(out), width)


def _write_command(out: Path) -> list[str]:

    return ["neat-delta", "write", str(out), "-o", free_name("updates")]

"""What the command refresh does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from rich.text import Text

from neat_delta.base.shell import free_name
from neat_delta.changeset.serialization import head_as_dict
from neat_delta.cli.actions.changeset_output import render_changes
from neat_delta.cli.actions.decide_view import decide_view
from neat_delta.cli.actions.screen import show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.views.lines import labelled
from neat_delta.views.preview import head_view
from neat_delta.views.verdict import changes_verdict, next_command, verdict_view
from neat_delta.views.verify_views import refresh_view
from neat_delta.workflows.refresh import refresh
from neat_delta.workflows.requests import RefreshRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.locations import Location
    from neat_delta.reconcile.refresh import RefreshResult


def refresh_command(
    changes: Location, fresh: Location, config: Path | None, output: OutputOptions, **options: Any
) -> int:
    """Bring a change set up to date with a newer export of the shop (FRESH)."""
    request = RefreshRequest(changes=changes, fresh=fresh, settings=load_config(config), **options)
    assert request.out is not None
    out = request.out
    with show_progress(output) as progress:
        refreshed = refresh(request, progress)
    return render_changes(
        refreshed.changes,
        output,
        lambda: _as_dict(refreshed, out),
        lambda width: _view(refreshed, out, fresh, request.conflicts, width),
        [_write_command(out, fresh)],
    )


def _as_dict(refreshed: RefreshResult, out: Path) -> dict[str, object]:

    return head_as_dict(refreshed.changes) | {
        "cells": len(refreshed.changes.cells),
        "untouched": refreshed.unchanged,
        "applied": refreshed.applied,
        "as_difference": refreshed.delta_cells,
        "conflicts": [row | {"key": row["key"].split(KEY_SEPARATOR)} for row in refreshed.conflicts.to_dicts()],
        "out": str(out),
    }


def _view(
    refreshed: RefreshResult, out: Path, fresh: Location, conflicts_file: Path | None, width: int
) -> Iterator[Text]:

    yield from head_view(refreshed.changes, out.name, width)
    yield Text()
    yield from refresh_view(refreshed, width)
    yield Text()
    if conflicts_file is not None:
        yield labelled("saved", f"the conflicts to decide, in {conflicts_file}")
    yield labelled("saved", f"the changes still to send, in {out}")
    yield from verdict_view(changes_verdict(refreshed.changes), width)
    label = "next"
    if bool((refreshed.conflicts["fate"] == "hold").any()):
        yield from decide_view(conflicts_file, width)
        label = "or"
    yield from next_command(_write_command(out, fresh), width, label)


def _write_command(out: Path, fresh: Location) -> list[str]:

    return ["neat-delta", "write", str(out), "-o", free_name("updates"), "--live", str(fresh)]

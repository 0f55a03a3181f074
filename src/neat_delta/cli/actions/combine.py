"""What the command combine does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from rich.text import Text

from neat_delta.base.shell import free_name
from neat_delta.changeset.problems import CLASH
from neat_delta.changeset.serialization import head_as_dict
from neat_delta.cli.actions.changeset_output import render_changes
from neat_delta.cli.actions.decide_view import decide_view
from neat_delta.cli.actions.screen import show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.views.changes import DisplayOptions, fields_view, findings_view
from neat_delta.views.combine_views import combine_view
from neat_delta.views.lines import labelled
from neat_delta.views.preview import head_view
from neat_delta.views.verdict import changes_verdict, next_command, verdict_view
from neat_delta.workflows.combine import combine
from neat_delta.workflows.conflicts import open_conflicts
from neat_delta.workflows.requests import CombineRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.locations import Location
    from neat_delta.reconcile.combine import CombineResult


def combine_command(
    changes: tuple[Location, ...], live: Location | None, config: Path | None, output: OutputOptions, **options: Any
) -> int:
    """Combine change sets of one live export (CHANGES…) into one: two people have edited at once."""
    request = CombineRequest(changes=changes, live=live, settings=load_config(config), **options)
    assert request.out is not None
    out = request.out
    with show_progress(output) as progress:
        combined = combine(request, progress)
    return render_changes(
        combined.changes,
        output,
        lambda: combined_as_dict(combined, out),
        lambda width: _view(combined, out, request.conflicts, live, width),
        [_write_command(out, live)],
    )


def combined_as_dict(combined: CombineResult, out: Path | None) -> dict[str, object]:
    """The result for JSON."""
    conflicts = [
        {
            "key": row["key"].split(KEY_SEPARATOR),
            "field": row["field"],
            "was": row["was"],
            "values": {name: row[name] for name in combined.names},
            "chosen": row["chosen"],
        }
        for row in combined.conflicts.to_dicts()
    ]
    return head_as_dict(combined.changes) | {
        "cells": len(combined.changes.cells),
        "shared": combined.shared,
        "conflicts": conflicts,
        "out": str(out) if out else None,
    }


def _view(
    combined: CombineResult,
    out: Path,
    conflicts_file: Path | None,
    live: Location | None,
    width: int,
) -> Iterator[Text]:

    yield from head_view(combined.changes, out.name, width)
    yield Text()
    yield from combine_view(combined, width)
    if len(combined.changes.cells):
        yield Text()
        yield from fields_view(combined.changes, width)
    yield from findings_view(combined.changes, DisplayOptions(width, besides=(CLASH,)))
    yield Text()
    if conflicts_file is not None:
        yield labelled("saved", f"the conflicts to decide, in {conflicts_file}")
    yield labelled("saved", f"the combined change set, in {out}")
    yield from verdict_view(changes_verdict(combined.changes), width)
    label = "next"
    if len(open_conflicts(combined)):
        yield from decide_view(conflicts_file, width)
        label = "or"
    yield from next_command(_write_command(out, live), width, label)


def _write_command(out: Path, live: Location | None) -> list[str]:

    given = ["--live", str(live)] if live else []
    return ["neat-delta", "write", str(out), "-o", free_name("updates"), *given]

"""What the command check does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.base.shell import free_name
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.changeset.serialization import findings_as_dicts, head_as_dict
from neat_delta.checks import all_checks
from neat_delta.cli.actions.changeset_output import render_changes
from neat_delta.cli.actions.screen import show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.views.changes import DisplayOptions, findings_view
from neat_delta.views.file_format import catalogue_view
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import labelled
from neat_delta.views.verdict import changes_verdict, next_command, other_export, verdict_view
from neat_delta.workflows.check import check
from neat_delta.workflows.requests import CheckRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location
    from neat_delta.tables import Table


def check_command(
    changes: Location,
    live: Location | None,
    everything: bool,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Run all checks on a saved change set again, with the settings as they are now."""
    request = CheckRequest(changes=changes, live=live, settings=load_config(config), **options)
    with show_progress(output) as progress:
        checked = check(request, progress)
    tried, problems = checked.changes, request.problems
    return render_changes(
        tried,
        output,
        lambda: _as_dict(tried),
        lambda width: _view((changes, tried), checked.live, problems, everything, width),
        _next(changes, tried, problems),
    )


def _as_dict(changes: ChangeSet) -> dict[str, object]:

    findings = findings_as_dicts(changes.findings)
    return head_as_dict(changes) | {
        "cells": len(changes.cells),
        "findings": [one | {"key": one["key"].split(KEY_SEPARATOR) if one["key"] else None} for one in findings],
    }


def _view(
    checked: tuple[Location, ChangeSet], live: Table, problems: Path | None, everything: bool, width: int
) -> Iterator[Text]:

    path, changes = checked
    yield from catalogue_view("live", live, "item", width)
    items = len(changes.keys_with_action(CHANGE, RECODE, ADD, REMOVE))
    yield labelled("changes", f"{pluralize(len(changes.cells), 'cell')} of {pluralize(items, 'item')} will change")
    yield labelled("checked", f"by {len(all_checks())} checks")
    yield from findings_view(changes, DisplayOptions(width, everything))
    levels = changes.findings["level"]
    if not levels.is_in(["error", "warning"]).any():
        yield labelled("problems", "none", "good")
    notes = int((levels == "note").sum())
    if notes:
        yield labelled("also", f"{pluralize(notes, 'note')}, in the change set and the workbook")
    if problems is not None:
        yield labelled("saved", f"every problem with its row, in {problems}")
    yield from verdict_view([*changes_verdict(changes), *other_export(live)], width)
    for words in _next(path, changes, problems):
        yield from next_command(words, width)


def _next(path: Location, changes: ChangeSet, problems: Path | None) -> list[list[str]]:
    """With errors, the workbook in which they can be corrected; without any, the update."""
    if changes.blocking_count():
        words = ["neat-delta", "check", str(path), "--problems", free_name("problems.xlsx")]
        return [words] if problems is None else []
    if changes.is_empty:
        return []
    return [["neat-delta", "write", str(path), "-o", free_name("updates")]]

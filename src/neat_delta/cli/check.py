"""neat-delta check."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_output import OverrideOptions, override_options
from neat_delta.cli.common import (
    FILE,
    REPLACE,
    SOURCE,
    OutputOptions,
    catalogue_file,
    console,
    load_config,
    output_options,
    show,
    show_json,
    show_progress,
)
from neat_delta.cli.exits import Exit

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.remote import Location
    from neat_delta.tables import Table


@click.command("check")
@click.argument("changes", type=SOURCE)
@click.option(
    "--live", type=SOURCE, metavar="FILE", help="The live export, if it lies neither beside CHANGES nor in this folder."
)
@click.option("--book", type=FILE, metavar="FILE", help="Put the findings into this workbook.")
@REPLACE
@click.option("--all", "everything", is_flag=True, help="Show every finding.")
@override_options
@catalogue_file
@output_options
def check_command(
    changes: Location,
    live: Location | None,
    book: Path | None,
    replace: bool,
    everything: bool,
    override: OverrideOptions,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Try out a kept change set: every check against the live export and catalogue.toml as they are now.

    Nothing is written but the workbook, if one is asked for. "compare" and "write" run the same checks.
    """
    from neat_delta.atomic_write import write_atomic
    from neat_delta.checks import recheck
    from neat_delta.output_paths import check_outputs
    from neat_delta.update.problems_workbook import problems_workbook
    from neat_delta.workflows.plan import names_of_images
    from neat_delta.workflows.saved_changes import load_with_live, require_matching_live

    settings = load_config(config)
    check_outputs(book, replace=replace)
    with show_progress(output) as progress:
        loaded, own = load_with_live(changes, live, settings, progress)
        require_matching_live(loaded, own)
        progress.step("checking what would change")
        tried = recheck(loaded, own, settings, override.overrides(), names_of_images(override.images))
        if book is not None:
            check_outputs(book, replace=replace)
            write_atomic(book, problems_workbook(tried, own, as_edited=False), replace=replace)
    if output.as_json:
        show_json(_as_dict(tried))
    elif not output.quiet:
        show(_view(tried, own, book, everything, console(output).width), output)
    return Exit.ATTENTION if tried.blocking_count() else Exit.DONE


def _as_dict(changes: ChangeSet) -> dict[str, object]:
    from neat_delta.changeset.serialization import findings_as_dicts, head_as_dict
    from neat_delta.matching import KEY_SEPARATOR

    found = findings_as_dicts(changes.findings)
    return head_as_dict(changes) | {
        "cells": len(changes.cells),
        "findings": [one | {"key": one["key"].split(KEY_SEPARATOR) if one["key"] else None} for one in found],
    }


def _view(changes: ChangeSet, live: Table, book: Path | None, everything: bool, width: int) -> Iterator[Text]:
    from neat_delta.changeset.changeset import ADD, CHANGE, RECODE, REMOVE
    from neat_delta.checks import CHECKS
    from neat_delta.views.comparison import DisplayOptions, findings_view
    from neat_delta.views.file_format import catalogue_view
    from neat_delta.views.formatting import pluralize
    from neat_delta.views.lines import labelled

    yield from catalogue_view("live", live, "item", width)
    items = len(changes.keys_with_action(CHANGE, RECODE, ADD, REMOVE))
    yield labelled("changes", f"{pluralize(len(changes.cells), 'cell')} of {pluralize(items, 'item')} would be sent")
    yield labelled("checked", f"by {len(CHECKS)} checks")
    yield from findings_view(changes, DisplayOptions(width, everything))
    levels = changes.findings["level"]
    if not levels.is_in(["stop", "warn"]).any():
        yield labelled("good", "there is nothing to stop or to look at", "good")
    notes = int((levels == "note").sum())
    if notes:
        yield labelled("besides", f"{pluralize(notes, 'note')}, in the change set and the workbook")
    if book is not None:
        yield labelled("book", f"{book} has every finding with its row")

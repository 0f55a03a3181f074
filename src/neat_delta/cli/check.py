"""neat-delta check."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_args import kept, kept_live
from neat_delta.cli.changeset_output import Openings, openings, pictures_in
from neat_delta.cli.common import (
    FILE,
    REPLACE,
    SOURCE,
    Manners,
    catalogue_file,
    console,
    manners,
    progress,
    settled_in,
    show,
    show_json,
)
from neat_delta.cli.exits import Exit

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.remote import Where
    from neat_delta.tables import Catalogue


@click.command("check")
@click.argument("changes", type=SOURCE)
@click.option(
    "--live", type=SOURCE, metavar="FILE", help="The live export, if it lies neither beside CHANGES nor in this folder."
)
@click.option("--book", type=FILE, metavar="FILE", help="Put the findings into this workbook.")
@REPLACE
@click.option("--all", "everything", is_flag=True, help="Show every finding.")
@openings
@catalogue_file
@manners
def check_command(
    changes: Where,
    live: Where | None,
    book: Path | None,
    replace: bool,
    everything: bool,
    opened: Openings,
    settings: Path | None,
    spoken: Manners,
) -> int:
    """Try out a kept change set: every check against the live export and catalogue.toml as they are now.

    Nothing is written but the workbook, if one is asked for. "compare" and "write" run the same checks.
    """
    from neat_delta.atomic_write import write_atomic
    from neat_delta.checks import tried_again
    from neat_delta.output_paths import check_outputs
    from neat_delta.update.problems_workbook import findings_book

    settled = settled_in(settings)
    check_outputs(book, replace=replace)
    with progress(spoken) as voice:
        loaded, ours = kept(changes, live, settled, voice)
        kept_live(loaded, ours)
        voice.step("checking what would change")
        tried = tried_again(loaded, ours, settled, opened.allowed(), pictures_in(opened.pictures))
        if book is not None:
            check_outputs(book, replace=replace)
            write_atomic(book, findings_book(tried, ours, as_edited=False), replace=replace)
    if spoken.as_json:
        show_json(_as_dict(tried))
    elif not spoken.quiet:
        show(_view(tried, ours, book, everything, console(spoken).width), spoken)
    return Exit.ATTENTION if tried.stopped() else Exit.DONE


def _as_dict(changes: ChangeSet) -> dict[str, object]:
    from neat_delta.changeset.serialization import head_as_dict
    from neat_delta.matching import JOINT

    found = changes.findings.to_dicts()
    return head_as_dict(changes.head) | {
        "cells": len(changes.cells),
        "findings": [one | {"key": one["key"].split(JOINT) if one["key"] else None} for one in found],
    }


def _view(changes: ChangeSet, live: Catalogue, book: Path | None, everything: bool, width: int) -> Iterator[Text]:
    from neat_delta.changeset.changeset import ADD, CHANGE, RECODE, REMOVE
    from neat_delta.checks import CHECKS
    from neat_delta.views.comparison import Shown, findings_view
    from neat_delta.views.file_format import catalogue_view
    from neat_delta.views.formatting import several
    from neat_delta.views.lines import labelled

    yield from catalogue_view("live", live, "item", width)
    items = len(changes.keys_to(CHANGE, RECODE, ADD, REMOVE))
    yield labelled("changes", f"{several(len(changes.cells), 'cell')} of {several(items, 'item')} would be sent")
    yield labelled("checked", f"by {len(CHECKS)} checks")
    yield from findings_view(changes, Shown(width, everything))
    levels = changes.findings["level"]
    if not levels.is_in(["stop", "warn"]).any():
        yield labelled("good", "there is nothing to stop or to look at", "good")
    notes = int((levels == "note").sum())
    if notes:
        yield labelled("besides", f"{several(notes, 'note')}, in the change set and the workbook")
    if book is not None:
        yield labelled("book", f"{book} has every finding with its row")

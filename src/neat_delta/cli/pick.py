"""neat-delta pick."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_args import SelectionOptions, selection_from, selection_options
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
from neat_delta.errors import InvalidOption

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.remote import Location


@click.command("pick")
@click.argument("changes", type=SOURCE)
@click.option("--out", type=FILE, required=True, metavar="FILE", help="Keep the smaller change set in this file.")
@click.option("--book", type=SOURCE, metavar="FILE", help="A review workbook in which rows are marked take or leave.")
@click.option(
    "--unmarked",
    type=click.Choice(["leave", "take"]),
    default="leave",
    show_default=True,
    help="What becomes of rows of the workbook without a mark.",
)
@click.option(
    "--failed", type=SOURCE, metavar="FILE", help="Take what this result list of the shop says was not taken."
)
@click.option("--leave", multiple=True, metavar="FIELD", help="Leave out changes of this field; repeatable.")
@selection_options
@click.option(
    "--live", type=SOURCE, metavar="FILE", help="The live export, if it lies neither beside CHANGES nor in this folder."
)
@REPLACE
@catalogue_file
@output_options
def pick_command(
    changes: Location,
    out: Path,
    replace: bool,
    book: Location | None,
    unmarked: str,
    failed: Location | None,
    leave: tuple[str, ...],
    part: SelectionOptions,
    live: Location | None,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Take a part of a change set: what was marked in a review workbook, or the part that is named.

    What is left out stays in the new change set as notes, with the comments of whoever left it out. Several ways of
    naming a part together take what all of them hold.
    """
    from neat_delta.analysis.cell_selection import cells_in
    from neat_delta.changeset.serialization import load_changes, save_changes
    from neat_delta.output_paths import check_outputs
    from neat_delta.reading import read_strict
    from neat_delta.reconcile.import_report import failed as failed_part
    from neat_delta.reconcile.import_report import rejected, with_reasons
    from neat_delta.reconcile.review import read_review, subset_with_review
    from neat_delta.workflows.saved_changes import load_with_live, require_matching_live

    if not (book or failed or leave or part.only or part.where is not None or part.items):
        raise InvalidOption(
            "pick: nothing says which part is meant",
            hint="Say --book FILE, --failed FILE, --only FIELD, --leave FIELD, --where SQL or --items FILE.",
        )
    settings = load_config(config)
    check_outputs(out, replace=replace)
    with show_progress(output) as progress:
        progress.step(f"reading {changes.name}")
        if part.where is not None:
            whole, own = load_with_live(changes, live, settings, progress)
            require_matching_live(whole, own)
        else:
            whole, own = load_changes(changes), None
        keep = cells_in(whole, selection_from(whole, part, leave), own, settings)
        review = read_review(book, whole, unmarked=unmarked == "take") if book else None
        bad = rejected(read_strict(failed, progress), whole) if failed else None
        if bad is not None:
            keep = keep.join(failed_part(whole, bad, settings), on=["key", "field"], how="semi", nulls_equal=True)
        less = subset_with_review(whole, keep, review, " ".join(_ways(book, failed, leave, part)))
        less = less if bad is None else with_reasons(less, bad)
        check_outputs(out, replace=replace)
        save_changes(less, out, replace=replace)
    if output.as_json:
        show_json(_as_dict(less, out))
    elif not output.quiet:
        show(_view(whole, less, changes, out, console(output).width), output)
    return Exit.ATTENTION if less.blocking_count() else Exit.DONE


def _ways(
    book: Location | None, failed: Location | None, leave: tuple[str, ...], selection: SelectionOptions
) -> Iterator[str]:
    """How the part was named, as it was typed."""
    if book:
        yield f"--book {book.name}"
    if failed:
        yield f"--failed {failed.name}"
    yield from (f"--only {name}" for name in selection.only)
    yield from (f"--leave {name}" for name in leave)
    if selection.where is not None:
        yield f'--where "{selection.where}"'
    if selection.items:
        yield f"--items {selection.items.name}"


def _as_dict(changes: ChangeSet, out: Path) -> dict[str, object]:
    from neat_delta.changeset.serialization import head_as_dict

    return head_as_dict(changes) | {"cells": len(changes.cells), "out": str(out)}


def _view(whole: ChangeSet, less: ChangeSet, path: Location, out: Path, width: int) -> Iterator[Text]:
    from rich.text import Text

    from neat_delta.views.formatting import pluralize
    from neat_delta.views.lines import labelled, sentence
    from neat_delta.views.preview import head_view

    yield from head_view(less, path.name, width)
    yield Text()
    left = less.head.exclusions[-1]
    yield labelled("taken", pluralize(len(less.cells), "cell"), "strong")
    yield labelled("left out", f"{pluralize(left.cells, 'cell')} and {pluralize(left.items, 'whole item')} ({left.by})")
    for comment in left.comments:
        yield from sentence("", f"“{comment}”", width)
    yield labelled("kept", f"the smaller change set, in {out}")
    yield labelled("next", f"neat-delta write {out} -o updates")

"""neat-delta pick."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.cli.approve import ApprovalOptions, approval_options, approve_and_save
from neat_delta.cli.changeset_args import LIVE, SelectionOptions, selection_from, selection_options
from neat_delta.cli.common import (
    OVERWRITE,
    OutputOptions,
    catalogue_file,
    console,
    load_config,
    output_options,
    show,
    show_progress,
)
from neat_delta.cli.envelope import show_json
from neat_delta.cli.help import OUTPUT, SCOPE, command, option
from neat_delta.cli.param_types import CHANGES, FILE, SOURCE

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.approval import Approval
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location
    from neat_delta.reconcile.review import Review
    from neat_delta.tables.settings import Settings


@command(
    "pick",
    "neat-delta pick tuesday.changes.jsonl --decisions tuesday.decisions.json -o accepted.changes.jsonl",
    "neat-delta pick tuesday.changes.jsonl --review review.xlsx -o accepted.changes.jsonl",
    "neat-delta pick tuesday.changes.jsonl --only price -o prices.changes.jsonl",
)
@click.argument("changes", type=CHANGES)
@option(
    OUTPUT, "-o", "--out", common=True, type=FILE, required=True, metavar="FILE", help="Save the accepted part here."
)
@option(
    SCOPE,
    "--review",
    common=True,
    type=SOURCE,
    metavar="FILE",
    help="A review workbook with rows marked accept or reject.",
)
@option(
    SCOPE,
    "--decisions",
    "decided",
    common=True,
    type=SOURCE,
    metavar="FILE",
    help='Decisions that were made and saved in the page of "preview --page".',
)
@option(
    SCOPE,
    "--unmarked",
    type=click.Choice(["reject", "accept"]),
    default="reject",
    show_default=True,
    help="Reject or accept the changes that have no mark.",
)
@option(SCOPE, "--failed", type=SOURCE, metavar="FILE", help="Select the rows that failed in this import report.")
@option(SCOPE, "--skip", multiple=True, metavar="FIELD", help="Reject changes of this field. Repeatable.")
@selection_options
@approval_options(required=False)
@LIVE
@OVERWRITE
@catalogue_file
@output_options
def pick_command(
    changes: Location,
    out: Path,
    overwrite: bool,
    review: Location | None,
    decided: Location | None,
    unmarked: str,
    failed: Location | None,
    skip: tuple[str, ...],
    part: SelectionOptions,
    approved: ApprovalOptions,
    live: Location | None,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Accept a part of a change set: as decided in a page or a review workbook, or by field, condition or SKU.

    What is not accepted stays in the new change set as notes, with the comments. If you give several conditions, a
    change must meet all of them.
    """
    from neat_delta.analysis.cell_selection import cells_in
    from neat_delta.changeset.serialization import load_changes, save_changes
    from neat_delta.files.output_paths import check_outputs
    from neat_delta.reading import read_strict
    from neat_delta.reconcile.import_report import failed as failed_part
    from neat_delta.reconcile.import_report import rejected, with_reasons
    from neat_delta.reconcile.review import subset_with_review
    from neat_delta.workflows.saved_changes import load_with_live

    if not (review or decided or failed or skip or part.only or part.where is not None or part.items):
        raise InvalidOption(
            "nothing selected",
            hint="Use --decisions, --review, --failed, --only, --skip, --where or --items.",
        )
    if review and decided:
        raise InvalidOption(
            "--review and --decisions do not go together", hint="Give one of them; pick again from the result."
        )
    settings = load_config(config)
    check_outputs(out, replace=overwrite)
    with show_progress(output) as progress:
        progress.step(f"reading {changes.name}")
        if live is not None or part.where is not None:
            whole, own = load_with_live(changes, live, settings, progress)
        else:
            whole, own = load_changes(changes), None
        keep = cells_in(whole, selection_from(whole, part, skip), own, settings)
        decisions = _marks(review, decided, whole, unmarked=unmarked == "accept")
        bad = rejected(read_strict(failed, progress), whole) if failed else None
        if bad is not None:
            keep = keep.join(failed_part(whole, bad, settings), on=["key", "field"], how="semi", nulls_equal=True)
        less = subset_with_review(whole, keep, decisions, " ".join(_ways(review, decided, failed, skip, part)))
        less = less if bad is None else with_reasons(less, bad)
        check_outputs(out, replace=overwrite)
        save_changes(less, out, replace=overwrite)
        approval = _approve(less, out, approved, settings, overwrite=overwrite)
    if output.as_json:
        show_json(_as_dict(less, out), less, [_write_command(out)])
    elif not output.quiet:
        show(_view(whole, less, changes, out, approval, console(output).width), output)
    return Exit.ATTENTION if less.needs_attention else Exit.DONE


def _marks(review: Location | None, decided: Location | None, changes: ChangeSet, *, unmarked: bool) -> Review | None:
    """What people have marked, in a workbook or a page."""
    from neat_delta.reconcile.page_decisions import read_page_decisions
    from neat_delta.reconcile.review import read_review

    if decided is not None:
        return read_page_decisions(decided, changes, unmarked=unmarked)
    return read_review(review, changes, unmarked=unmarked) if review else None


def _ways(
    review: Location | None,
    decided: Location | None,
    failed: Location | None,
    skip: tuple[str, ...],
    selection: SelectionOptions,
) -> Iterator[str]:
    """How the part was named, as it was typed."""
    if review:
        yield f"--review {review.name}"
    if decided:
        yield f"--decisions {decided.name}"
    if failed:
        yield f"--failed {failed.name}"
    yield from (f"--only {name}" for name in selection.only)
    yield from (f"--skip {name}" for name in skip)
    if selection.where is not None:
        yield f'--where "{selection.where}"'
    if selection.items:
        yield f"--items {selection.items.name}"


def _as_dict(changes: ChangeSet, out: Path) -> dict[str, object]:
    from neat_delta.changeset.serialization import head_as_dict

    return head_as_dict(changes) | {"cells": len(changes.cells), "out": str(out)}


def _approve(
    changes: ChangeSet, out: Path, approved: ApprovalOptions, settings: Settings, *, overwrite: bool
) -> Approval | None:
    """Approve what was accepted, if a person gives a name for it."""
    from neat_delta.approval import approval_path

    if approved.by is None:
        if approved.note or approved.ssh_key:
            raise InvalidOption("--note and --ssh-key need --by", hint="Give your name with --by NAME.")
        return None
    return approve_and_save(changes, out, approval_path(out), approved, settings, overwrite=overwrite)


def _view(
    whole: ChangeSet, less: ChangeSet, path: Location, out: Path, approval: Approval | None, width: int
) -> Iterator[Text]:
    from rich.text import Text

    from neat_delta.views.approval_views import approval_view
    from neat_delta.views.formatting import pluralize
    from neat_delta.views.lines import labelled, sentence
    from neat_delta.views.preview import head_view
    from neat_delta.views.verdict import changes_verdict, next_command, verdict_view

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
    from neat_delta.base.shell import free_name

    return ["neat-delta", "write", str(out), "-o", free_name("updates")]

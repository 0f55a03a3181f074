"""Several edited files of one live export: each is compared, and their changes are combined."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from rich.text import Text

from neat_delta.base.exit_codes import Exit
from neat_delta.base.shell import free_name
from neat_delta.changeset.problems import CLASH
from neat_delta.cli.actions.changeset_output import refused, say_what_needs_attention
from neat_delta.cli.actions.combine import combined_as_dict
from neat_delta.cli.actions.screen import console, show
from neat_delta.cli.actions.typed import answers_about_base, answers_view, typed_without
from neat_delta.cli.envelope import show_json
from neat_delta.views.changes import DisplayOptions, fields_view, findings_view, items_view
from neat_delta.views.combine_views import combine_view
from neat_delta.views.comparison import base_view, files_view, rows_view
from neat_delta.views.lines import labelled
from neat_delta.views.update import next_view, update_view
from neat_delta.views.verdict import changes_verdict, next_command, verdict_view
from neat_delta.workflows.conflicts import open_conflicts

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from neat_delta.cli.changeset_output import DisplayChoice
    from neat_delta.cli.common import OutputOptions
    from neat_delta.diff.compare import CompareResult
    from neat_delta.reconcile.combine import CombineResult
    from neat_delta.update import Receipt
    from neat_delta.workflows.compare import Compared
    from neat_delta.workflows.requests import CompareRequest


def render_several(compared: Compared, request: CompareRequest, display: DisplayChoice, output: OutputOptions) -> Exit:
    """Show the combined files; the exit code is that of their changes."""
    combined, receipt = compared.combined, compared.receipt
    assert combined is not None
    blocked = combined.changes.blocking_count()
    if output.as_json:
        described = combined_as_dict(combined, request.out)
        described["update"] = None if receipt is None else {"folder": str(receipt.folder)} | receipt.as_dict()
        show_json(
            described,
            combined.changes,
            [] if receipt else answers_about_base(combined.changes) or [_write_command(request)],
        )
    elif output.quiet:
        say_what_needs_attention(combined.changes)
    else:
        show(_view(compared.results, combined, receipt, request, display, console(output).width), output)
    if blocked and request.strict and request.write:
        return refused(blocked)
    return Exit.ATTENTION if combined.changes.needs_attention else Exit.DONE


def _view(
    results: Sequence[CompareResult],
    combined: CombineResult,
    receipt: Receipt | None,
    request: CompareRequest,
    display: DisplayChoice,
    width: int,
) -> Iterator[Text]:

    shown = DisplayOptions(width, display.everything, display.states)
    for comparison in results:
        yield from files_view(comparison, width, columns=False)
        yield from base_view(comparison, width)
        yield from rows_view(comparison, shown)
        yield Text()
    yield from combine_view(combined, width)
    if len(combined.changes.cells):
        yield Text()
        yield from fields_view(combined.changes, width)
        yield Text()
        yield from items_view(combined.changes, shown)
    yield from findings_view(combined.changes, replace(shown, besides=(CLASH,)))
    yield Text()
    if receipt:
        yield from update_view(receipt, results[0].live.source.name, width)
    if request.conflicts:
        yield labelled("saved", f"the conflicts to decide, in {request.conflicts}")
    if request.out:
        yield labelled("saved", f"the combined change set, in {request.out}")
    yield from verdict_view(changes_verdict(combined.changes), width)
    label = "next"
    if answers := answers_about_base(combined.changes):
        yield from answers_view(answers, width)
        return
    if len(open_conflicts(combined)):
        words = typed_without("--write", "--strict", "--conflicts", "--decisions")
        more = ["--decisions", str(request.conflicts)] if request.conflicts else []
        yield from next_command([*words, *(more or ["--conflicts", free_name("conflicts.xlsx")])], width)
        label = "or"
    if receipt:
        yield from next_view(receipt, width, label)
    elif not combined.changes.is_empty:
        yield from next_command(_write_command(request), width, label)


def _write_command(request: CompareRequest) -> list[str]:

    if request.out is None:
        return [*typed_without("--write", "--strict"), "--write", free_name("updates")]
    return ["neat-delta", "write", str(request.out), "-o", free_name("updates")]

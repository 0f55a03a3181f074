"""Several edited files of one live export: each is compared, and their changes are combined."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.cli.changeset_output import refused, say_what_needs_attention
from neat_delta.cli.combine import combined_as_dict, preferred_name
from neat_delta.cli.common import OutputOptions, console, show
from neat_delta.cli.conflict_options import save_disagreements
from neat_delta.cli.envelope import show_json
from neat_delta.cli.typed import answers_about_base, answers_view, typed_without

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from rich.text import Text

    from neat_delta.base.progress import ProgressReporter
    from neat_delta.cli.changeset_output import DisplayChoice
    from neat_delta.cli.conflict_options import ConflictOptions
    from neat_delta.diff.compare import CompareResult
    from neat_delta.locations import Location
    from neat_delta.reconcile.combine import CombineResult
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt
    from neat_delta.workflows.targets import Targets


def insist_on_one_file(given: dict[str, bool]) -> None:
    """Refuse options that are about the rows of one file.

    Raises:
        InvalidOption: one of these options is given.
    """
    for option, is_given in given.items():
        if is_given:
            raise InvalidOption(
                "this option is about one edited file", option=option, hint="Compare that file alone first."
            )


def publish_several(
    results: Sequence[CompareResult],
    paths: Sequence[Location],
    prefer: str | None,
    conflict: ConflictOptions,
    settings: Settings,
    targets: Targets,
    progress: ProgressReporter,
) -> tuple[CombineResult, Receipt | None]:
    """Combine the compared files, and save and write what is wanted."""
    from neat_delta.changeset.serialization import save_changes
    from neat_delta.update.write import WriteOptions, write_update
    from neat_delta.workflows.combining import Preference, combined_and_checked, distinct_names

    names = distinct_names(paths)
    preference = Preference(preferred_name(prefer, names), conflict.decisions)
    sets, live = [result.changes for result in results], results[0].live
    progress.step("combining")
    combined = combined_and_checked(sets, names, preference, live, settings, sets[0].head.overrides)
    targets.check()
    saved = None
    if targets.changes_file is not None:
        saved = save_changes(combined.changes, targets.changes_file, replace=targets.overwrite)
    save_disagreements(combined, targets.conflicts_file, overwrite=targets.overwrite)
    if targets.update_folder is None or (targets.strict and combined.changes.blocking_count()):
        return combined, None
    options = WriteOptions(
        overwrite=targets.overwrite, strategy=targets.strategy, output_format=targets.output_format, saved=saved
    )
    return combined, write_update(combined.changes, live, targets.update_folder, settings, options, progress)


def render_several(
    results: Sequence[CompareResult],
    combined: CombineResult,
    receipt: Receipt | None,
    targets: Targets,
    display: DisplayChoice,
    output: OutputOptions,
) -> Exit:
    """Show the combined files; the exit code is that of their changes."""
    blocked = combined.changes.blocking_count()
    if output.as_json:
        described = combined_as_dict(combined, targets.changes_file)
        described["update"] = None if receipt is None else {"folder": str(receipt.folder)} | receipt.as_dict()
        show_json(
            described,
            combined.changes,
            [] if receipt else answers_about_base(combined.changes) or [_write_command(targets)],
        )
    elif output.quiet:
        say_what_needs_attention(combined.changes)
    else:
        show(_view(results, combined, receipt, targets, display, console(output).width), output)
    if blocked and targets.strict and targets.update_folder:
        return refused(blocked)
    return Exit.ATTENTION if combined.changes.needs_attention else Exit.DONE


def _view(
    results: Sequence[CompareResult],
    combined: CombineResult,
    receipt: Receipt | None,
    targets: Targets,
    display: DisplayChoice,
    width: int,
) -> Iterator[Text]:
    from rich.text import Text

    from neat_delta.base.shell import free_name
    from neat_delta.views.changes import CLASH, DisplayOptions, fields_view, findings_view, items_view
    from neat_delta.views.combine_views import combine_view, open_conflicts
    from neat_delta.views.comparison import base_view, files_view, rows_view
    from neat_delta.views.lines import labelled
    from neat_delta.views.update import next_view, update_view
    from neat_delta.views.verdict import changes_verdict, next_command, verdict_view

    shown = DisplayOptions(width, display.everything, display.states)
    for result in results:
        yield from files_view(result, width, columns=False)
        yield from base_view(result, width)
        yield from rows_view(result, shown)
        yield Text()
    yield from combine_view([result.changes for result in results], combined, width)
    if len(combined.changes.cells):
        yield Text()
        yield from fields_view(combined.changes, width)
        yield Text()
        yield from items_view(combined.changes, shown)
    yield from findings_view(combined.changes, replace(shown, besides=(CLASH,)))
    yield Text()
    if receipt:
        yield from update_view(receipt, results[0].live.source.name, width)
    if targets.conflicts_file:
        yield labelled("saved", f"the conflicts to decide, in {targets.conflicts_file}")
    if targets.changes_file:
        yield labelled("saved", f"the combined change set, in {targets.changes_file}")
    yield from verdict_view(changes_verdict(combined.changes), width)
    label = "next"
    if answers := answers_about_base(combined.changes):
        yield from answers_view(answers, width)
        return
    if len(open_conflicts(combined)):
        words = typed_without("--write", "--strict", "--conflicts", "--decisions")
        more = ["--decisions", str(targets.conflicts_file)] if targets.conflicts_file else []
        yield from next_command([*words, *(more or ["--conflicts", free_name("conflicts.xlsx")])], width)
        label = "or"
    if receipt:
        yield from next_view(receipt, width, label)
    elif not combined.changes.is_empty:
        yield from next_command(_write_command(targets), width, label)


def _write_command(targets: Targets) -> list[str]:
    from neat_delta.base.shell import free_name

    if targets.changes_file is None:
        return [*typed_without("--write", "--strict"), "--write", free_name("updates")]
    return ["neat-delta", "write", str(targets.changes_file), "-o", free_name("updates")]

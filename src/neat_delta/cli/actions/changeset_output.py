"""What commands that make a change set show of it: text or JSON, and what to run next."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import polars as pl
from rich.text import Text

from neat_delta.base.exit_codes import Exit
from neat_delta.base.shell import free_name
from neat_delta.changeset.findings import TO_ANSWER
from neat_delta.changeset.serialization import head_as_dict
from neat_delta.cli.actions.screen import console, show
from neat_delta.cli.actions.typed import answers_about_base, answers_view, command_view, may_hold_secret, typed_without
from neat_delta.cli.common import OutputOptions, print_error
from neat_delta.cli.envelope import show_json
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.tables.line_names import with_own_line
from neat_delta.update.field_sets import field_sets
from neat_delta.update.file_plan import plan_files
from neat_delta.views.changes import DisplayOptions
from neat_delta.views.comparison import base_view, comparison_view, files_view, mappings_view, roles_view, unsaved_view
from neat_delta.views.lines import labelled
from neat_delta.views.update import next_view, nothing_view, one_file_view, update_view
from neat_delta.views.verdict import changes_verdict, verdict_view
from neat_delta.workflows.requests import CompareRequest

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator, Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.cli.changeset_output import DisplayChoice
    from neat_delta.diff.compare import BaseSummary, CompareResult
    from neat_delta.matching.supplier_mapping import ColumnMatch
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt
    from neat_delta.workflows.option_groups import SavingOptions

ACTING = ("change", "recode", "add", "remove")


# What is about the edited file itself.
READING_OPTIONS = ("--delimiter", "--encoding", "--decimal", "--header-line")


class Outcome(NamedTuple):
    """What a command has made, and how it is to be shown."""

    result: CompareResult
    receipt: Receipt | None
    settings: Settings
    request: SavingOptions
    display: DisplayChoice


def render_result(
    outcome: Outcome,
    output: OutputOptions,
    head: Callable[[int], Iterable[Text]] | None = None,
    matches: Sequence[ColumnMatch] = (),
) -> Exit:
    """Show an outcome; ``head`` is the view of its inputs, ``matches`` say which fields a file's columns are."""
    blocked = outcome.result.changes.blocking_count()
    if output.as_json:
        columns = [asdict(match) for match in matches]
        changes = outcome.result.changes
        commands = answers_about_base(changes) or [_write_command(outcome.result, outcome.request.out)]
        commands = [] if outcome.receipt else commands
        sendable = not changes.is_empty
        show_json(_as_dict(outcome) | ({"columns": columns} if columns else {}), changes, commands if sendable else [])
    elif output.quiet:
        say_what_needs_attention(outcome.result.changes)
    else:
        show(_view(outcome, console(output).width, head), output)
    if blocked and outcome.request.strict and outcome.request.write:
        return refused(blocked)
    return Exit.ATTENTION if outcome.result.changes.needs_attention else Exit.DONE


def render_changes(
    changes: ChangeSet,
    output: OutputOptions,
    described: Callable[[], object],
    view: Callable[[int], Iterable[Text]],
    commands: Sequence[list[str]],
) -> Exit:
    """Show a change set that a command has made or looked at: as JSON, in short, or in full at the terminal's width."""
    if output.as_json:
        show_json(described(), changes, commands)
    elif output.quiet:
        say_what_needs_attention(changes)
    else:
        show(view(console(output).width), output)
    return Exit.ATTENTION if changes.needs_attention else Exit.DONE


def refused(stopped: int) -> Exit:
    """Say that nothing was written, as --strict wants it where something is held back."""
    print_error(f"{stopped} {'error' if stopped == 1 else 'errors'}: no update was written (--strict)")
    return Exit.UNUSABLE


def _view(outcome: Outcome, width: int, head: Callable[[int], Iterable[Text]] | None) -> Iterator[Text]:

    compared, request = outcome.result, outcome.request
    if outcome.settings.path:
        yield labelled("settings", f"in {outcome.settings.path}")
    yield from head(width) if head else files_view(compared, width)
    yield from base_view(compared, width)
    yield from mappings_view(compared, width)
    yield from roles_view(compared.live, outcome.settings, width)
    yield from unsaved_view(compared, width)
    yield from comparison_view(compared, DisplayOptions(width, outcome.display.everything, outcome.display.states))
    yield Text()
    yield from _update_view(outcome, width)
    if request.problems:
        yield labelled("saved", f"the problems with their rows, in {request.problems}")
    if request.out:
        yield labelled("saved", f"the change set, in {request.out}")
    yield from verdict_view(changes_verdict(compared.changes), width)
    yield from _next_view(outcome, width)


def _next_view(outcome: Outcome, width: int) -> Iterator[Text]:
    """What to run next: answer what is in question, correct the errors and compare again, then write what is right."""
    compared, request = outcome.result, outcome.request
    label = "next"
    if answers := answers_about_base(compared.changes):
        yield from answers_view(answers, width)
        return
    conflicts = compared.base is not None and bool((compared.base.conflicts["fate"] == "hold").any())
    conflicts_file = request.conflicts if isinstance(request, CompareRequest) else None
    if conflicts and conflicts_file is not None:
        words = typed_without("--conflicts", "--write", "--strict", "--decisions")
        yield from command_view([*words, "--decisions", str(conflicts_file)], width)
        yield labelled("", f"(after you have chosen ours or shop in {conflicts_file})")
        label = "or"
    elif conflicts:
        words = typed_without("--write", "--strict")
        yield from command_view([*words, "--conflicts", free_name("conflicts.xlsx")], width)
        yield labelled("", "(a workbook in which you choose whose value goes on)")
        label = "or"
    elif compared.changes.blocking_count() and not compared.from_formulas:
        if request.problems is None:
            words = [*typed_without("--write", "--strict", "--out", "-o"), "--problems", free_name("problems.xlsx")]
            yield from command_view(words, width)
            yield labelled("", "(correct the rows in this workbook, then compare it)")
        else:
            yield from command_view(_compare_problems(compared, request.problems), width)
            yield labelled("", "(after you have corrected the rows in it)")
        label = "or"
    if outcome.receipt:
        yield from next_view(outcome.receipt, width, label, outcome.result.live.source.path)
    elif not compared.changes.is_empty:
        yield from command_view(_write_command(compared, request.out), width, label)


def _update_view(outcome: Outcome, width: int) -> Iterator[Text]:
    """What became of the update, or what it would be."""
    changes, folder = outcome.result.changes, outcome.request.write
    if outcome.receipt:
        yield from update_view(outcome.receipt, outcome.result.live.source.name, width)
    elif folder and not changes.is_empty:
        yield labelled("update", "not written: there are errors (--strict)")
    elif folder:
        yield nothing_view(folder)
    else:
        yield from one_file_view(len(plan_files(field_sets(changes).sizes)), outcome.settings.imports, width)


def _write_command(compared: CompareResult, out: Path | None) -> list[str]:
    """The command that writes what was just shown: the one that was typed, with every option it had."""
    live = compared.live.source.path
    if out is None:
        return [*typed_without("--write", "--strict"), "--write", free_name("updates")]
    found_anyway = isinstance(live, Path) and live.parent in (out.parent, Path())
    # (An export from elsewhere is kept, and found again without its address.)
    where = [] if found_anyway or may_hold_secret(str(live)) else ["--live", str(live)]
    return ["neat-delta", "write", str(out), "-o", free_name("updates"), *where]


def _compare_problems(compared: CompareResult, problems: Path) -> list[str]:
    """The command that was typed, about the corrected workbook instead of the edited file."""
    edited = str((compared.original or compared.edited).source.path)
    words = typed_without("--write", "--strict", "--problems", "--out", "-o", "--worksheet", *READING_OPTIONS)
    return [*(str(problems) if word == edited else word for word in words), "--worksheet", "error"]


def _as_dict(outcome: Outcome) -> dict[str, Any]:

    compared, receipt, request = outcome.result, outcome.receipt, outcome.request
    findings = compared.changes.findings
    described: dict[str, Any] = head_as_dict(compared.changes)
    described["cells"] = len(compared.changes.cells)
    described["items"] = {action: len(compared.changes.keys_with_action(action)) for action in ACTING}
    described["ignored"] = {
        "format": compared.reformatted,
        "blanks": compared.blanks_ignored,
        "spreadsheet_program": dict(compared.restored["what"].value_counts(sort=True).iter_rows()),
    }
    described["problems"] = {level: len(findings.filter(level=level)) for level in ("error", "warning", "note")}
    if compared.base is not None:
        described["base"] = _base_as_dict(compared.base)
    described["out"] = str(request.out) if request.out else None
    described["files"] = [] if receipt is None else receipt.as_dict()["files"]
    described["update"] = None if receipt is None else {"folder": str(receipt.folder)} | receipt.as_dict()
    for name, table in (("live", compared.live), ("edited", compared.edited)):
        if table.parts:
            described[name] |= {"missing_parts": list(table.missing_parts), "remarks": list(table.remarks)}
    if outcome.display.states:
        parts = compared.edited.parts
        described["rows"] = {
            state: [
                with_own_line({"key": code.split(KEY_SEPARATOR) if code else None, "line": line, "name": name}, parts)
                for code, line, name in compared.rows_in(state).iter_rows()
            ]
            for state in outcome.display.states
        }
    return described


def _base_as_dict(base: BaseSummary) -> dict[str, Any]:

    return {
        "name": base.name,
        "time": base.time.isoformat() if base.time else None,
        "found": base.how,
        "moved": base.moved,
        "as_difference": base.added_up,
        "conflicts": [row | {"key": row["key"].split(KEY_SEPARATOR)} for row in base.conflicts.to_dicts()],
    }


def say_what_needs_attention(changes: ChangeSet) -> None:
    """Say on standard error, where nothing else is printed, why the exit code is 1."""
    held_back = changes.blocking_count()
    if held_back:
        errors = "1 error was" if held_back == 1 else f"{held_back} errors were"
        print_error(f"{errors} not sent; run again without --quiet")
    for message in changes.findings.filter(pl.col("code").is_in(list(TO_ANSWER)))["message"]:
        print_error(message)

"""What commands that make a change set have in common: checks, the kept change set, the update, and what is said."""

from __future__ import annotations

import shlex
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.cli.common import FILE, Manners, console, gathered, show, show_json
from neat_delta.cli.exits import Exit

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator, Sequence

    from rich.text import Text

    from neat_delta.catalogue.settings import Settings
    from neat_delta.changes import Comparison
    from neat_delta.voice import Voice
    from neat_delta.writing import Receipt

F = TypeVar("F", bound="Callable[..., Any]")
# What a change set from rules alone is said to be made from.
RULES = Path("rules")
STATE_CHOICES = ("changed", "same", "new", "gone", "repeated", "unreadable", "refused")


class Wanted(NamedTuple):
    """What is to become of a change set, what this run allows, and how much of it is shown."""

    out: Path | None
    folder: Path | None
    replace: bool
    unlock: tuple[str, ...]
    allow_new_values: tuple[str, ...]
    as_typed: tuple[str, ...]
    everything: bool
    states: tuple[str, ...]


def outcome(command: F) -> F:
    """Add the options of ``Wanted`` to a command, as ``wanted``."""
    options = (
        click.option(
            "--out", type=FILE, metavar="FILE", help="Keep the change set in this file (.changes.jsonl, or .gz)."
        ),
        click.option("--write", "folder", type=FILE, metavar="DIR", help="Write the proved update into this folder."),
        click.option("--replace", is_flag=True, help="Let the update take the place of an earlier one in DIR."),
        click.option(
            "--unlock", multiple=True, metavar="FIELD", help="Let a field change that is locked in catalogue.toml."
        ),
        click.option(
            "--allow-new-values",
            multiple=True,
            metavar="FIELD",
            help="Let a limited field take values it does not know yet.",
        ),
        click.option(
            "--as-typed",
            multiple=True,
            metavar="FIELD",
            help="Take values of this field that look like a spreadsheet program's damage.",
        ),
        click.option("--all", "everything", is_flag=True, help="Show every changed item and every finding."),
        click.option(
            "--show",
            "states",
            multiple=True,
            type=click.Choice(STATE_CHOICES),
            help="List the rows in this state; repeatable.",
        ),
    )
    return gathered(Wanted, "wanted", options, command)


def finished(
    seen: Comparison, settled: Settings, wanted: Wanted, voice: Voice, inputs: Sequence[Path]
) -> tuple[Comparison, Receipt | None]:
    """The comparison after all checks, kept and written as it is wanted; ``inputs`` are never written over."""
    from neat_delta.changes import held_back, save_changes
    from neat_delta.checks import try_out
    from neat_delta.writing import write_update

    voice.step("checking what would change")
    allowed = (wanted.unlock, wanted.allow_new_values, wanted.as_typed)
    seen = held_back(seen, try_out(seen.changes, seen.live, settled, *allowed))
    if wanted.out is not None:
        save_changes(seen.changes, wanted.out, inputs=inputs)
    if wanted.folder is None:
        return seen, None
    return seen, write_update(seen.changes, seen.live, wanted.folder, settled, replace=wanted.replace, voice=voice)


def told(
    seen: Comparison,
    receipt: Receipt | None,
    settled: Settings,
    wanted: Wanted,
    spoken: Manners,
    head: Callable[[int], Iterable[Text]] | None = None,
) -> Exit:
    """Show the outcome as it is wanted; ``head`` is what is told of its inputs."""
    stopped = seen.changes.stopped()
    if spoken.as_json:
        show_json(_as_dict(seen, receipt, wanted))
    elif spoken.quiet:
        _say_held_back(stopped)
    else:
        width = console(spoken).width
        show(_view(seen, receipt, settled, wanted, width, head), spoken)
    return Exit.ATTENTION if stopped else Exit.DONE


def _view(
    seen: Comparison,
    receipt: Receipt | None,
    settled: Settings,
    wanted: Wanted,
    width: int,
    head: Callable[[int], Iterable[Text]] | None,
) -> Iterator[Text]:
    from rich.text import Text

    from neat_delta.views.comparison import Shown, comparison_view, files_view, labelled
    from neat_delta.views.update import next_view, nothing_view, update_view

    if settled.path:
        yield labelled("settled", f"in {settled.path}")
    yield from head(width) if head else files_view(seen, width)
    by_rules = seen.edited.source.path == RULES
    yield from comparison_view(seen, Shown(width, wanted.everything, wanted.states, by_rules))
    yield Text()
    if receipt:
        yield from update_view(receipt, seen.live.source.name, width)
    elif wanted.folder:
        yield nothing_view(wanted.folder)
    if wanted.out:
        yield labelled("kept", f"the change set, in {wanted.out}")
    if receipt:
        yield next_view(receipt)
    elif len(seen.changes.keys_to("change", "add", "remove")):
        yield labelled("next", _next_step(seen, wanted.out))


def _next_step(seen: Comparison, out: Path | None) -> str:
    """The command that writes what was just shown: the one that was typed, with every option it had."""
    live = seen.live.source.path
    if out is None:
        return f"{shlex.join(['neat-delta', *sys.argv[1:]])} --write updates"
    found_anyway = live.parent in (out.parent, Path())
    return f"neat-delta write {out} -o updates" + ("" if found_anyway else f" --live {live}")


def _as_dict(seen: Comparison, receipt: Receipt | None, wanted: Wanted) -> dict[str, Any]:
    from neat_delta.changes import head_as_dict
    from neat_delta.matching import JOINT

    findings = seen.changes.findings
    told: dict[str, Any] = head_as_dict(seen.changes.head)
    told["cells"] = len(seen.changes.cells)
    told["items"] = {does: len(seen.changes.keys_to(does)) for does in ("change", "add", "remove")}
    told["left_alone"] = {"form": seen.form, "blanks": seen.blanks}
    told["findings"] = {level: len(findings.filter(level=level)) for level in ("stop", "warn", "note")}
    told["out"] = str(wanted.out) if wanted.out else None
    told["files"] = [] if receipt is None else receipt.as_dict()["files"]
    told["update"] = None if receipt is None else {"folder": str(receipt.folder)} | receipt.as_dict()
    if wanted.states:
        told["rows"] = {
            state: [
                {"key": code.split(JOINT) if code else None, "line": line, "name": name}
                for code, line, name in seen.rows_in(state).iter_rows()
            ]
            for state in wanted.states
        }
    return told


def _say_held_back(held_back: int) -> None:
    if held_back:
        said = "1 finding holds" if held_back == 1 else f"{held_back} findings hold"
        click.echo(f"neat-delta: {said} something back; run without --quiet to see them", err=True)

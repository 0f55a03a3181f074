"""What commands that make a change set have in common: checks, the kept change set, the update, and what is said."""

from __future__ import annotations

import shlex
import sys
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.cli.common import FILE, OutputOptions, bundle_options, console, print_error, show, show_json
from neat_delta.cli.exits import Exit
from neat_delta.errors import InvalidInput

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator, Sequence

    from rich.text import Text

    from neat_delta.changeset.changeset import Overrides
    from neat_delta.diff.compare import CompareResult
    from neat_delta.matching.supplier_mapping import ColumnMatch
    from neat_delta.progress import ProgressReporter
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt

F = TypeVar("F", bound="Callable[..., Any]")
# What a change set from rules alone is said to be made from.
RULES = Path("rules")
STATE_CHOICES = ("changed", "same", "new", "gone", "repeated", "unreadable", "refused")


STRICT = click.option("--strict", is_flag=True, help="Write no update at all if anything is held back.")


PACK = click.option(
    "--pack",
    type=click.Choice(["fewest-cells", "balanced", "fewest-files"]),
    default="fewest-cells",
    show_default=True,
    help="How to pack the update: only cells that change; or fewer files, with today's values in the holes.",
)


FORM = click.option(
    "--form",
    "shape",
    type=click.Choice(["delimited", "tsv", "xlsx", "jsonl", "merge-patch", "sql"]),
    default="delimited",
    show_default=True,
    help="The form of the update files; delimited is as the shop writes its exports.",
)


class OverrideOptions(NamedTuple):
    """What a run lets through that checks would stop, and where the pictures lie."""

    unlock: tuple[str, ...]
    allow_new_values: tuple[str, ...]
    as_typed: tuple[str, ...]
    let: tuple[str, ...]
    images: Path | None

    def allowed(self) -> Overrides:
        """The same for the core."""
        from neat_delta.changeset.changeset import Overrides

        return Overrides(self.unlock, self.allow_new_values, self.as_typed, self.let)


def override_options(command: F) -> F:
    """Add the options of ``Openings`` to a command, as ``opened``."""
    options = (
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
        click.option(
            "--let", multiple=True, metavar="CHECK", help='Let pass what this check finds, such as "below cost".'
        ),
        click.option(
            "--pictures", "images", type=FILE, metavar="DIR", help="The folder of pictures; those missing are found."
        ),
    )
    return bundle_options(OverrideOptions, "opened", options, command)


def pictures_in(folder: Path | None) -> frozenset[str] | None:
    """The names of the files in a folder of pictures.

    Raises:
        Unreadable: there is no such folder.
    """
    if folder is None:
        return None
    if not folder.is_dir():
        raise InvalidInput("there is no such folder", file=folder, remedy="Name the folder the pictures lie in.")
    return frozenset(path.name for path in folder.rglob("*") if path.is_file())


class OutputTargets(NamedTuple):
    """What is to become of a change set, what this run allows, and how much of it is shown."""

    out: Path | None
    folder: Path | None
    replace: bool
    strict: bool
    pack: str
    shape: str
    book: Path | None
    everything: bool
    states: tuple[str, ...]

    def check_places(self) -> None:
        """See that all that is to be written has a place, before anything is."""
        from neat_delta.output_paths import check_outputs

        check_outputs(self.out, self.book, folder=self.folder, replace=self.replace)


def output_targets(command: F) -> F:
    """Add the options of ``Wanted`` to a command, as ``wanted``."""
    options = (
        click.option(
            "--out", type=FILE, metavar="FILE", help="Keep the change set in this file (.changes.jsonl, or .gz)."
        ),
        click.option("--write", "folder", type=FILE, metavar="DIR", help="Write the proved update into this folder."),
        click.option("--replace", is_flag=True, help="Let what is written take the place of earlier files."),
        STRICT,
        PACK,
        FORM,
        click.option("--book", type=FILE, metavar="FILE", help="Put the findings into this workbook, with their rows."),
        click.option("--all", "everything", is_flag=True, help="Show every changed item and every finding."),
        click.option(
            "--show",
            "states",
            multiple=True,
            type=click.Choice(STATE_CHOICES),
            help="List the rows in this state; repeatable.",
        ),
    )
    return bundle_options(OutputTargets, "wanted", options, command)


def preload(wanted: OutputTargets) -> None:
    """Load what ``finished`` needs, for there is time while files are read."""
    import neat_delta.checks

    if wanted.folder is not None:
        import neat_delta.update  # noqa: F401


def finished(
    seen: CompareResult, settled: Settings, wanted: OutputTargets, opened: OverrideOptions, voice: ProgressReporter
) -> tuple[CompareResult, Receipt | None]:
    """The comparison after all checks, kept and written as it is wanted."""
    from dataclasses import replace

    from neat_delta.changeset.serialization import save_changes
    from neat_delta.checks import run_checks
    from neat_delta.diff.compare import with_findings

    wanted.check_places()
    if wanted.folder is not None:
        from neat_delta.update.replaceable import check_no_input_in, check_replaceable

        if check_replaceable(wanted.folder, wanted.folder, replace=wanted.replace) is not None:
            check_no_input_in(wanted.folder)
    voice.step("checking what would change")
    allowed = opened.allowed()
    seen = with_findings(seen, run_checks(seen.changes, seen.live, settled, allowed, pictures_in(opened.images)))
    seen = replace(seen, changes=replace(seen.changes, head=replace(seen.changes.head, overrides=allowed)))
    if wanted.book is not None:
        from neat_delta.atomic_write import write_atomic
        from neat_delta.update.problems_workbook import problems_workbook

        book = problems_workbook(seen.changes, seen.original or seen.edited, as_edited=True)
        write_atomic(wanted.book, book, replace=wanted.replace)
    kept = None if wanted.out is None else save_changes(seen.changes, wanted.out, replace=wanted.replace)
    if wanted.folder is None or (wanted.strict and seen.changes.blocking_count()):
        return seen, None
    from neat_delta.update import write_update

    receipt = write_update(
        seen.changes,
        seen.live,
        wanted.folder,
        settled,
        replace=wanted.replace,
        way=wanted.pack,
        shape=wanted.shape,
        kept=kept,
        voice=voice,
    )
    return seen, receipt


def render_result(
    seen: CompareResult,
    receipt: Receipt | None,
    settled: Settings,
    wanted: OutputTargets,
    spoken: OutputOptions,
    head: Callable[[int], Iterable[Text]] | None = None,
    matches: Sequence[ColumnMatch] = (),
) -> Exit:
    """Show the outcome as it is wanted; ``head`` tells of its inputs, ``matches`` which fields a file's columns are."""
    stopped = seen.changes.blocking_count()
    if spoken.as_json:
        columns = [asdict(match) for match in matches]
        show_json(_as_dict(seen, receipt, wanted) | ({"columns": columns} if columns else {}))
    elif spoken.quiet:
        _say_held_back(stopped)
    else:
        width = console(spoken).width
        show(_view(seen, receipt, settled, wanted, width, head), spoken)
    if stopped and wanted.strict and wanted.folder:
        return refused(stopped)
    return Exit.ATTENTION if stopped else Exit.DONE


def refused(stopped: int) -> Exit:
    """Say that nothing was written, as --strict wants it where something is held back."""
    held = "1 finding holds" if stopped == 1 else f"{stopped} findings hold"
    print_error(f"{held} something back and --strict is said, so no update was written")
    return Exit.FAILED


def _view(
    seen: CompareResult,
    receipt: Receipt | None,
    settled: Settings,
    wanted: OutputTargets,
    width: int,
    head: Callable[[int], Iterable[Text]] | None,
) -> Iterator[Text]:
    from rich.text import Text

    from neat_delta.views.comparison import DisplayOptions, comparison_view, files_view
    from neat_delta.views.lines import labelled
    from neat_delta.views.update import next_view, nothing_view, one_file_view, update_view

    if settled.path:
        yield labelled("settled", f"in {settled.path}")
    yield from head(width) if head else files_view(seen, width)
    by_rules = seen.edited.source.path == RULES
    yield from comparison_view(seen, DisplayOptions(width, wanted.everything, wanted.states, by_rules))
    yield Text()
    if receipt:
        yield from update_view(receipt, seen.live.source.name, width)
    elif wanted.folder and not seen.changes.keys_with_action("change", "recode", "add", "remove").is_empty():
        yield labelled("update", "not written, for something is held back and --strict is said")
    elif wanted.folder:
        yield nothing_view(wanted.folder)
    else:
        from neat_delta.update.field_sets import field_sets

        yield from one_file_view(len(field_sets(seen.changes).names), settled.imports, width)
    if wanted.book:
        yield labelled("book", f"the findings with their rows, in {wanted.book}")
    if wanted.out:
        yield labelled("kept", f"the change set, in {wanted.out}")
    if receipt:
        yield from next_view(receipt, width)
    elif len(seen.changes.keys_with_action("change", "recode", "add", "remove")):
        room = width - len(labelled("next", ""))
        for at, line in enumerate(_folded(_next_step(seen, wanted.out), room)):
            yield labelled("" if at else "next", line)


def _next_step(seen: CompareResult, out: Path | None) -> list[str]:
    """The command that writes what was just shown: the one that was typed, with every option it had."""
    live = seen.live.source.path
    if out is None:
        # What stands behind a question mark in an address may be a secret, and is not said again.
        if any("://" in word and "?" in word for word in sys.argv[1:]):
            return ["the same command once more, with --write updates behind it"]
        return ["neat-delta", *map(_quoted, sys.argv[1:]), "--write", "updates"]
    found_anyway = isinstance(live, Path) and live.parent in (out.parent, Path())
    where = [] if found_anyway else ["--live", _quoted(str(live))]
    return ["neat-delta", "write", _quoted(str(out)), "-o", "updates", *where]


def _quoted(word: str) -> str:
    """A word of a command line as a person would quote it."""
    if shlex.quote(word) == word:
        return word
    return shlex.quote(word) if set(word) & set('"$`\\!') else f'"{word}"'


def _folded(words: list[str], room: int) -> list[str]:
    """A command on as many lines as it takes, broken in front of options in the way that a shell understands."""
    if len(" ".join(words)) <= room:
        return [" ".join(words)]
    lines: list[str] = []
    for word in words:
        if word.startswith("-") and lines:
            lines.append(f"  {word}")
        elif lines:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return [*(f"{line} \\" for line in lines[:-1]), lines[-1]]


def _as_dict(seen: CompareResult, receipt: Receipt | None, wanted: OutputTargets) -> dict[str, Any]:
    from neat_delta.changeset.serialization import head_as_dict
    from neat_delta.matching import KEY_SEPARATOR

    findings = seen.changes.findings
    told: dict[str, Any] = head_as_dict(seen.changes.head)
    told["cells"] = len(seen.changes.cells)
    told["items"] = {does: len(seen.changes.keys_with_action(does)) for does in ("change", "recode", "add", "remove")}
    told["left_alone"] = {"form": seen.reformatted, "blanks": seen.blanks_ignored}
    told["findings"] = {level: len(findings.filter(level=level)) for level in ("stop", "warn", "note")}
    told["out"] = str(wanted.out) if wanted.out else None
    told["files"] = [] if receipt is None else receipt.as_dict()["files"]
    told["update"] = None if receipt is None else {"folder": str(receipt.folder)} | receipt.as_dict()
    if wanted.states:
        told["rows"] = {
            state: [
                {"key": code.split(KEY_SEPARATOR) if code else None, "line": line, "name": name}
                for code, line, name in seen.rows_in(state).iter_rows()
            ]
            for state in wanted.states
        }
    return told


def _say_held_back(held_back: int) -> None:
    if held_back:
        said = "1 finding holds" if held_back == 1 else f"{held_back} findings hold"
        print_error(f"{said} something back; run without --quiet to see them")

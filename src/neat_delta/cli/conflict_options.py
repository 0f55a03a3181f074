"""Options about conflicts, shared by the commands that may find some: whose value goes on, and the workbook of them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.cli.common import bundle_options
from neat_delta.cli.help import OUTPUT, VALUES, option
from neat_delta.cli.param_types import FILE, SOURCE

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

    import polars as pl
    from rich.text import Text

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location
    from neat_delta.reconcile.combine import CombineResult
    from neat_delta.reconcile.conflicts import ConflictPolicy

F = TypeVar("F", bound="Callable[..., Any]")
POLICIES = ("hold", "ours", "theirs")


class ConflictOptions(NamedTuple):
    """What the command line says about conflicts."""

    on_conflict: tuple[str, ...]
    decisions: Location | None
    conflicts_file: Path | None

    def policy(self) -> ConflictPolicy:
        """What becomes of conflicts in general, in single fields, and one by one.

        Raises:
            click.BadParameter: a policy is none.
        """
        from neat_delta.reconcile.conflicts import ConflictPolicy
        from neat_delta.tables import field_name

        otherwise, by_field = "hold", {}
        for one in self.on_conflict:
            field, _, whose = one.rpartition("=")
            if whose not in POLICIES:
                raise click.BadParameter(f"--on-conflict {one}: use hold, ours or theirs, or FIELD=ours")
            if field:
                by_field[field_name(field)] = whose
            else:
                otherwise = whose
        return ConflictPolicy(otherwise, by_field, self.decisions)

    def save(self, conflicts: pl.DataFrame, changes: ChangeSet, *, overwrite: bool) -> None:
        """Save the conflicts (key, field, then, ours, now, fate) that are not decided, if that is wanted."""
        from neat_delta.files.atomic_write import write_atomic
        from neat_delta.reconcile.conflicts import HOLD, OURS, SIDES, THEIRS
        from neat_delta.workbooks.conflicts import conflicts_workbook

        if self.conflicts_file is None:
            return
        names, key = changes.items.select("key", "name"), changes.head.key
        book = conflicts_workbook(conflicts.filter(fate=HOLD), names, key, SIDES, (OURS, THEIRS))
        write_atomic(self.conflicts_file, book, replace=overwrite)


def save_disagreements(result: CombineResult, path: Path | None, *, overwrite: bool) -> None:
    """Save the conflicts of combined change sets that are not decided, if that is wanted."""
    from neat_delta.files.atomic_write import write_atomic
    from neat_delta.views.combine_views import open_conflicts
    from neat_delta.workbooks.conflicts import conflicts_workbook
    from neat_delta.workflows.combining import WAS

    if path is None:
        return
    changes = result.changes
    names, sides = changes.items.select("key", "name"), [WAS, *result.names]
    book = conflicts_workbook(open_conflicts(result), names, changes.head.key, sides, result.names)
    write_atomic(path, book, replace=overwrite)


def decide_view(conflicts_file: Path | None, width: int) -> Iterator[Text]:
    """What to run next where conflicts are open: the same command with a workbook to decide in, or with its decisions.

    The output of this run is overwritten then.
    """
    from neat_delta.base.shell import free_name
    from neat_delta.cli.typed import typed_without
    from neat_delta.views.lines import labelled
    from neat_delta.views.verdict import next_command

    if conflicts_file is None:
        words = [*typed_without("--overwrite"), "--conflicts", free_name("conflicts.xlsx"), "--overwrite"]
        yield from next_command(words, width)
        yield labelled("", "(choose in its last column whose value goes on)")
        return
    words = typed_without("--conflicts", "--decisions", "--overwrite")
    yield from next_command([*words, "--decisions", str(conflicts_file), "--overwrite"], width)
    yield labelled("", f"(after you have chosen in {conflicts_file} whose value goes on)")


CONFLICTS = option(
    OUTPUT,
    "--conflicts",
    "conflicts_file",
    type=FILE,
    metavar="FILE",
    help="Save the conflicts as a workbook, to be decided row by row.",
)
DECISIONS = option(
    VALUES, "--decisions", type=SOURCE, metavar="FILE", help="Decide conflicts as marked in this workbook."
)
OPTIONS = (
    option(
        VALUES,
        "--on-conflict",
        multiple=True,
        metavar="WHOSE",
        help="Cells changed on both sides: hold (default: error), ours or theirs; FIELD=ours for one field. "
        "Repeatable.",
    ),
    DECISIONS,
    CONFLICTS,
)


def conflict_options(command: F) -> F:
    """Add the options about conflicts to a command, as ``conflict``."""
    return bundle_options(ConflictOptions, "conflict", OPTIONS, command)

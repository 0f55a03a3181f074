"""What to run next where conflicts are open."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.base.shell import free_name
from neat_delta.cli.actions.typed import typed_without
from neat_delta.views.lines import labelled
from neat_delta.views.verdict import next_command

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text


def decide_view(conflicts_file: Path | None, width: int) -> Iterator[Text]:
    """What to run next where conflicts are open: the same command with a workbook to decide in, or with its decisions.

    The output of this run is overwritten then.
    """
    if conflicts_file is None:
        words = [*typed_without("--overwrite"), "--conflicts", free_name("conflicts.xlsx"), "--overwrite"]
        yield from next_command(words, width)
        yield labelled("", "(choose in its last column whose value goes on)")
        return
    words = typed_without("--conflicts", "--decisions", "--overwrite")
    yield from next_command([*words, "--decisions", str(conflicts_file), "--overwrite"], width)
    yield labelled("", f"(after you have chosen in {conflicts_file} whose value goes on)")

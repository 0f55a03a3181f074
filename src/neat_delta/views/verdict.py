"""The last lines of a command: one verdict that stays in view, then what to do next."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.base.shell import command_line
from neat_delta.changeset.findings import questions_in
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.views.formatting import local_time, pluralize
from neat_delta.views.lines import LABEL, labelled, sentence
from neat_delta.views.table import INDENT

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from rich.text import Text

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table

NOT_SENT = "nothing sent yet"


def changes_verdict(changes: ChangeSet, *more: str, verb: str = "change") -> list[str]:
    """What a change set will do, what of it is not sent, and whether anything has left this machine."""
    actions = (((CHANGE, RECODE), verb), ((ADD,), "be added"), ((REMOVE,), "be deleted"))
    counts = [(len(changes.keys_with_action(*names)), what) for names, what in actions]
    parts = [f"{pluralize(number, 'item')} will {what}" for number, what in counts if number]
    levels = changes.findings["level"]
    errors = int((levels == "error").sum())
    return [
        *(parts or ["nothing will change"]),
        *([f"{pluralize(errors, 'error')}, not sent"] if errors else []),
        *questions_in(changes.findings),
        *(more or (NOT_SENT,)),
    ]


def other_export(live: Table | None) -> list[str]:
    """That a change set was used with a kept export, though a file of its name is there: it is another one."""
    if live is None or live.source.instead_of is None:
        return []
    made = live.source.made
    when = f" of {local_time(made.isoformat())}" if made else ""
    return [f"with the kept export{when}; {live.source.instead_of} is another file"]


def verdict_view(parts: Sequence[str], width: int, style: str = "strong") -> Iterator[Text]:
    """The verdict in one line, if it fits."""
    yield from sentence("result", " · ".join(parts), width, style)


def next_command(words: Sequence[str], width: int, label: str = "next") -> Iterator[Text]:
    """The command to run next, as it can be pasted; its words are not quoted yet."""
    yield from next_lines(command_line(words, width - len(INDENT) - LABEL), label)


def next_lines(lines: Sequence[str], label: str = "next") -> Iterator[Text]:
    """What to do next, whole, however wide the screen is."""
    for at, line in enumerate(lines):
        shown = labelled("" if at else label, line)
        shown.no_wrap = True
        yield shown

"""The command as it was typed, from which the next one is made."""

from __future__ import annotations

import re
import sys
from typing import TYPE_CHECKING

from neat_delta.changeset.problems import OLDER_VALUES
from neat_delta.database.address import is_database
from neat_delta.views.lines import labelled
from neat_delta.views.verdict import next_command, next_lines

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

    from neat_delta.changeset.changeset import ChangeSet

# Options that have no value.
FLAGS = ("--strict", "--overwrite")


def typed_without(*names: str) -> list[str]:
    """The command as it was typed, without these options and their values."""
    words: list[str] = []
    skipping = False
    for word in sys.argv[1:]:
        name = word.split("=")[0]
        if not skipping and name not in names:
            words.append(word)
        skipping = not skipping and name in names and name not in FLAGS and "=" not in word
    return ["neat-delta", *words]


def answers_about_base(changes: ChangeSet) -> list[list[str]]:
    """Where a file has older values of the shop: the two commands that say whether they are meant; else none.

    Nothing is to be written before one of them was run, so no other command is proposed then.
    """
    if not (changes.findings["code"] == OLDER_VALUES).any():
        return []
    words = typed_without("--base", "--write", "--strict", "--out", "-o")
    return [[*words, "--base", "kept"], [*words, "--base", "none"]]


def answers_view(answers: list[list[str]], width: int) -> Iterator[Text]:
    """The two commands, with what each means."""
    for words, label, means in zip(
        answers, ("next", "or"), ("the older values stay out", "they are meant"), strict=True
    ):
        yield from command_view(words, width, label)
        yield labelled("", f"({means})")


def command_view(words: list[str], width: int, label: str = "next") -> Iterator[Text]:
    """A command to run, which is the one that was typed if it has an address that may hold a secret."""
    if any(map(may_hold_secret, words)):
        added = " ".join(words[-2:])
        yield from next_lines([f"the same command again, with {added}"], label)
    else:
        yield from next_command(words, width, label)


def may_hold_secret(word: str) -> bool:
    """Whether this is an address with a question mark, behind which keys may stand; the name of a table is none."""
    just_a_table = is_database(word) and re.search(r"\?table=[^&?]*\Z", word)
    return "://" in word and "?" in word and not just_a_table

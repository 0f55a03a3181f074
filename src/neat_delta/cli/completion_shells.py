"""How shells take what is offered, where Click's own ways fall short: words with blanks, and paths of Windows."""

from __future__ import annotations

import os
import shlex
from typing import TYPE_CHECKING

from click.shell_completion import BashComplete, PowerShellComplete, add_completion_class

from neat_delta.base.shell import POWERSHELL, quoted

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem


class _Bash(BashComplete):
    def format_completion(self, item: CompletionItem[str]) -> str:
        """The line for a word; in quotes where it needs them, for bash takes it as it is."""
        if item.type == "plain":
            item.value = shlex.quote(item.value)
        return super().format_completion(item)


class _PowerShell(PowerShellComplete):
    def get_completion_args(self) -> tuple[list[str], str]:
        """The words so far and the one at the cursor; a backslash is a part of a path there."""
        lexer = shlex.shlex(os.environ["COMP_WORDS"], posix=True)
        lexer.whitespace_split, lexer.commenters, lexer.escape = True, "", ""
        words: list[str] = []
        try:
            words.extend(lexer)
        except ValueError:  # a quote that is still open
            words.append(lexer.token)
        at = int(os.environ["COMP_CWORD"])
        return words[1:at], words[at] if at < len(words) else ""

    def format_completion(self, item: CompletionItem[str]) -> str:
        """The three lines for a word, in quotes where it needs them."""
        if item.type == "plain":
            item.value = quoted(item.value, POWERSHELL)
        return super().format_completion(item)


def teach_shells() -> None:
    """Let Click use these ways."""
    add_completion_class(_Bash)
    add_completion_class(_PowerShell)

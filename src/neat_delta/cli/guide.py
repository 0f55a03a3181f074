"""neat-delta without a command, on a terminal: it asks for the two files and goes from question to question.

For people who start it by a double click, or drag their files onto it. Each step shows the command that it runs, so
that the next time it can be typed.
"""

from __future__ import annotations

import shlex
import webbrowser
from pathlib import Path
from typing import TYPE_CHECKING

import click

from neat_delta.cli.common import print_lines

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

PAGE, WRITE, PROBLEMS, STOP = "1", "2", "3", "4"
QUESTION = """
  What now?
    1  look at the changes in the browser, and decide there
    2  write the update files for the shop
    3  save the rows with errors as a workbook, to correct them
    4  stop; the change set is saved"""


def guide(files: Sequence[str], run: Callable[[list[str]], int]) -> int:
    """Lead through comparing and writing.

    Args:
        files: the files that were dragged onto the program: the live export, and the edited file.
        run: runs a command, and returns its exit code.
    """
    print_lines("Neat Delta compares the shop's export with your edited file. Nothing is sent to any shop.")
    print_lines("You can drag a file into this window instead of typing its name. Ctrl+C ends it.\n")
    given = [*files[:2], None, None]
    live = _asked_file("The shop's export, as it was downloaded", given[0])
    edited = _asked_file("Your edited file", given[1])
    changes = _free(edited.with_name(f"{edited.stem}.changes.jsonl"))
    code = _step(run, ["compare", str(live), str(edited), "-o", str(changes)])
    if not changes.is_file():
        _wait()
        return code
    while True:
        print_lines(QUESTION)
        answer = click.prompt(
            "  1, 2, 3 or 4", type=click.Choice([PAGE, WRITE, PROBLEMS, STOP]), show_choices=False, err=True
        )
        if answer == STOP:
            return code
        code = _act(answer, live, edited, changes, run)


def _act(answer: str, live: Path, edited: Path, changes: Path, run: Callable[[list[str]], int]) -> int:
    """Do what a person has chosen."""
    if answer == PAGE:
        page = _free(changes.with_name(f"{edited.stem}.html"))
        code = _step(run, ["preview", str(changes), "--live", str(live), "--page", str(page)])
        if page.is_file() and click.confirm("  Open it in the browser now?", default=True, err=True):
            webbrowser.open(page.resolve().as_uri())
        decisions = _asked_decisions(changes)
        if decisions is not None:
            accepted = _free(changes.with_name(f"{edited.stem}-accepted.changes.jsonl"))
            code = _step(run, ["pick", str(changes), "--decisions", str(decisions), "-o", str(accepted)])
            if accepted.is_file() and click.confirm("  Write the update of what you accepted?", default=True, err=True):
                return _written(accepted, live, run)
        return code
    if answer == WRITE:
        return _written(changes, live, run)
    book = _free(edited.with_name(f"{edited.stem}-problems.xlsx"))
    return _step(run, ["check", str(changes), "--live", str(live), "--problems", str(book)])


def _written(changes: Path, live: Path, run: Callable[[list[str]], int]) -> int:
    folder = _free(changes.with_name("updates"))
    code = _step(run, ["write", str(changes), "--live", str(live), "-o", str(folder)])
    if folder.is_dir():
        print_lines(
            f"\n  Give the files of {folder} to your shop's import, in this order. To take it back: {folder / 'undo'}"
        )
    return code


def _asked_decisions(changes: Path) -> Path | None:
    """The file of decisions that the page has saved, if a person has made some."""
    print_lines('\n  Decide in the page, and press "save decisions" there. Then drag the saved file into this window.')
    answer = click.prompt("  Decisions (Enter: none)", default="", show_default=False, err=True)
    path = _plain(answer)
    if not answer.strip():
        return None
    if not path.is_file():
        print_lines(f"  There is no file {path}; nothing was accepted or rejected.")
        return None
    return path


def _asked_file(what: str, given: str | None) -> Path:
    """A file that is there."""
    while True:
        answer = given if given is not None else click.prompt(f"  {what}", err=True)
        given, path = None, _plain(str(answer))
        if path.is_file():
            return path
        print_lines(f"  There is no file {path}. Check the name, or drag the file into this window.")


def _plain(text: str) -> Path:
    """A path as people drag it into a terminal: with quotes around it, or signs in front of its spaces."""
    text = text.strip()
    if Path(text).exists():
        return Path(text)
    if len(text) > 1 and text[0] == text[-1] and text[0] in "\"'":
        return Path(text[1:-1])
    try:
        words = shlex.split(text)
    except ValueError:
        words = []
    return Path(words[0]) if len(words) == 1 else Path(text)


def _free(path: Path) -> Path:
    from neat_delta.base.shell import free_name

    return Path(free_name(str(path)))


def _step(run: Callable[[list[str]], int], words: list[str]) -> int:
    """Show a command, and run it."""
    from neat_delta.base.shell import quoted, user_shell

    shell = user_shell()
    print_lines("\n$ " + " ".join(quoted(word, shell) for word in ["neat-delta", *words]) + "\n")
    return run(words)


def _wait() -> None:
    """Let a person read before the window closes."""
    click.prompt("  Press Enter to end", default="", show_default=False, err=True)


def wants_guide(words: Sequence[str], commands: Sequence[str], *, on_terminal: bool) -> bool:
    """Whether a person has started the program without a command: alone, or with files dragged onto it."""
    dragged = bool(words) and all(word not in commands and Path(word).is_file() for word in words)
    return on_terminal and (not words or dragged)

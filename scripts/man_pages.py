"""The manual pages (man 7): one of the program, and one of each command, made from its help."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import click

from neat_delta import __version__
from neat_delta.base.exit_codes import Exit
from neat_delta.base.options import GROUPS
from neat_delta.cli import app

if TYPE_CHECKING:
    from collections.abc import Iterator

ENDS = {
    Exit.DONE: "Done; nothing needs attention.",
    Exit.ATTENTION: "Done, but something was not sent or not applied.",
    Exit.USAGE: "Nothing was done: wrong command or option.",
    Exit.UNUSABLE: "Nothing was done: a file or an answer cannot be read or used.",
    Exit.NETWORK: "Nothing was done: the shop, a server or the network.",
    Exit.INTERRUPTED: "Stopped from outside.",
}


def man_pages() -> dict[str, str]:
    """Every page by its file name."""
    context = click.Context(app.cli, info_name="neat-delta")
    pages = {"neat-delta.1": _page("neat-delta", "compare catalogues, write the smallest update", _program())}
    for name, summary in app.COMMANDS.items():
        command = app.cli.get_command(context, name)
        assert command is not None
        title = f"neat-delta-{name}"
        pages[f"{title}.1"] = _page(title, summary.rstrip("."), _command(f"neat-delta {name}", command))
    return pages


def _page(title: str, summary: str, body: Iterator[str]) -> str:
    head = [f'.TH "{title.upper()}" "1" "" "Neat Delta {__version__}" "User Commands"', ".SH NAME"]
    return "\n".join([*head, f"{_escaped(title)} \\- {_escaped(summary[0].lower() + summary[1:])}", *body, ""])


def _program() -> Iterator[str]:
    yield from (".SH SYNOPSIS", ".B neat\\-delta", ".I COMMAND", "[options]")
    yield from (".SH DESCRIPTION", *_paragraphs(str(app.cli.help)))
    yield ".SH COMMANDS"
    for group, names in app.GROUPS.items():
        yield f".SS {group}"
        for name, summary in names.items():
            yield from (".TP", f".BR neat\\-delta\\-{name} (1)", _escaped(summary))
    yield from _ends()
    yield from (".SH ENVIRONMENT", ".TP", ".B NEAT_DELTA_COMMAND_OPTION")
    yield "The value of an option, such as NEAT_DELTA_COMPARE_STRICT=1."
    yield from (".TP", ".B NEAT_DELTA_DATA", "The folder of the history and the kept exports.")


def _command(name: str, command: click.Command) -> Iterator[str]:
    inner = command.commands if isinstance(command, click.Group) else {"": command}
    usages = {key: _usage(f"{name} {key}".strip(), one) for key, one in inner.items()}
    yield ".SH SYNOPSIS"
    for usage in usages.values():
        yield from (f".B {_escaped(usage)}", ".br")
    yield from (".SH DESCRIPTION", *_paragraphs(str(command.help)))
    for key, one in inner.items():
        if key:
            yield from (f'.SH "{key.upper()}"', *_paragraphs(str(one.help)))
        yield from _options(one, ".SS" if key else ".SH")
    examples = [line for one in inner.values() for line in getattr(one, "examples", ())]
    if examples:
        yield ".SH EXAMPLES"
        for line in examples:
            yield from (".PP", ".EX", _escaped(line), ".EE")
    yield from _ends()
    yield from (".SH SEE ALSO", ".BR neat\\-delta (1)")


def _usage(name: str, command: click.Command) -> str:
    return " ".join([name, *command.collect_usage_pieces(click.Context(command, info_name=name))])


def _options(command: click.Command, section: str) -> Iterator[str]:
    own = click.Context(command, info_name=str(command.name))
    options = [param for param in command.params if isinstance(param, click.Option) and not param.hidden]
    for group in GROUPS:
        records = [one.get_help_record(own) for one in options if getattr(one, "group", "") == group]
        if records:
            yield f'{section} "{group.upper()}"'
            for names, text in filter(None, records):
                yield from (".TP", f".B {_escaped(names)}", _escaped(" ".join(text.split())))


def _ends() -> Iterator[str]:
    yield ".SH EXIT STATUS"
    for code, text in ENDS.items():
        yield from (".TP", f".B {int(code)}", text)


def _paragraphs(text: str) -> Iterator[str]:
    for paragraph in text.split("\n\n"):
        yield from (".PP", _escaped(" ".join(paragraph.split())))


def _escaped(text: str) -> str:
    """A text that roff shows as it is."""
    plain = text.replace("\\", "\\e").replace("-", "\\-").replace("'", "\\(aq").replace("^", "\\(ha")
    return re.sub(r"^\.", r"\\&.", plain).replace("~", "\\(ti").replace("`", "\\(ga")

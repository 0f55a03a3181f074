"""What the command schema does."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.base.nearest import nearest_hint
from neat_delta.cli.actions.screen import console, show
from neat_delta.cli.common import OutputOptions, print_lines
from neat_delta.cli.envelope import show_json
from neat_delta.schemas import schema_names, schema_text
from neat_delta.views.lines import sentence

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text


def schema_command(name: str | None, output: OutputOptions) -> int:
    """Print the JSON Schema (2020-12) of an output or a file, for programs that read it."""
    names = schema_names()
    if name is None:
        described = {each: json.loads(schema_text(each))["description"] for each in names}
        if output.as_json:
            show_json(described)
        elif not output.quiet:
            show(_list(described, console(output).width), output)
        return Exit.DONE
    if name not in names:
        raise InvalidOption(
            "there is no schema of this name", value=name, hint=nearest_hint(name, names, "Choose from")
        )
    if output.as_json:
        show_json(json.loads(schema_text(name)))
    else:
        print_lines(schema_text(name).rstrip("\n"))
    return Exit.DONE


def _list(described: dict[str, str], width: int) -> Iterator[Text]:

    for name, text in described.items():
        yield from sentence(name, text, width)

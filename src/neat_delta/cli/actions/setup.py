"""What the command setup does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.base.exit_codes import Exit
from neat_delta.base.shell import free_name
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.envelope import show_json
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.verdict import next_command, verdict_view
from neat_delta.workflows.setup import Drafted, setup
from neat_delta.workflows.view_requests import SetupRequest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.cli.common import OutputOptions
    from neat_delta.locations import Location


def setup_command(export: Location, output: OutputOptions, **options: Any) -> int:
    """Draft catalogue.toml from the live EXPORT: key, fields, types, allowed values, locked fields."""
    request = SetupRequest(export=export, **options)
    with show_progress(output) as progress:
        drafted = setup(request, progress)
    is_complete = drafted.wrote or not drafted.added
    next_words = _next(export, request.out, is_complete=is_complete)
    if output.as_json:
        described = {
            "file": str(request.out),
            "key": list(drafted.key),
            "added": drafted.added,
            "written": drafted.wrote,
        }
        show_json(described, next_commands=[next_words])
    elif not output.quiet:
        show(_view(request, drafted, next_words, console(output).width), output)
    return Exit.DONE if is_complete else Exit.ATTENTION


def _view(request: SetupRequest, drafted: Drafted, next_words: list[str], width: int) -> Iterator[Text]:
    out, added, wrote = request.out, drafted.added, drafted.wrote
    fields, joined = pluralize(len(added), "field"), " + ".join(drafted.key)
    if not added:
        yield labelled("setup", f"{out} already has all fields of {request.export.name}")
    else:
        what = "written" if wrote else "can be added; nothing was written (--yes adds them)"
        yield from sentence("setup", f"{out}: {fields} {what}: {', '.join(added)}", width)
    if wrote:
        yield labelled("key", joined)
        message = 'if your shop ignores blank cells, set blank = "leaves" in [import]'
        yield from sentence("one file", f"{message}: then an update is one file", width)
        yield from sentence("", f"check and correct {out}; commands in this folder use it", width)
    verdict = f"{fields} {'written' if wrote else 'missing'}" if added else "no field missing"
    yield from verdict_view([f"{out}: {verdict}", f"key {joined}"], width)
    yield from next_command(next_words, width)


def _next(export: Location, out: Path, *, is_complete: bool) -> list[str]:
    if is_complete:
        return ["neat-delta", "sheet", str(export), "-o", free_name("edit.xlsx")]
    return ["neat-delta", "setup", str(export), "--out", str(out), "--yes"]

"""What the command setup does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

from neat_delta.base.exit_codes import Exit
from neat_delta.base.shell import free_name
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.envelope import show_json
from neat_delta.files.atomic_write import write_atomic
from neat_delta.matching import choose_key
from neat_delta.matching.key_detection import key_candidates, long_key
from neat_delta.matching.long_wide import differing_by_place
from neat_delta.reading import read_table
from neat_delta.tables.config_draft import draft_config
from neat_delta.tables.config_loader import load_settings
from neat_delta.tables.profile import profile
from neat_delta.tables.settings import RoleSettings
from neat_delta.views.formatting import pluralize
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.verdict import next_command, verdict_view
from neat_delta.workflows.option_groups import ReadingOptions

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from rich.text import Text

    from neat_delta.cli.common import OutputOptions
    from neat_delta.locations import Location


def setup_command(
    export: Location,
    out: Path,
    key: tuple[str, ...],
    yes: bool,
    output: OutputOptions,
    **options: Any,
) -> int:
    """Draft catalogue.toml from the live EXPORT: key, fields, types, allowed values, locked fields."""
    with show_progress(output) as progress:
        existing = ""
        if out.exists() and out.stat().st_size:
            load_settings(out)  # which tells what is wrong with it
            existing = out.read_text("utf-8-sig")
        live = read_table(export, progress, ReadingOptions(**options).read_options())
        columns = profile(live)
        fields = choose_key(live, live.names, key).fields
        if not key:
            fields = long_key(fields, key_candidates(live, columns), columns)
        spread = differing_by_place(live, fields[:1], live.names) if len(fields) > 1 else []
        text, added = draft_config(columns, fields, live.format, existing, RoleSettings().found(live), spread)
        wrote = bool(added) and (yes or not existing)
        if wrote:
            write_atomic(out, text.encode(), replace=True)
    next_words = _next(export, out, wrote=wrote or not added)
    if output.as_json:
        result = {"file": str(out), "key": list(fields), "added": added, "written": wrote}
        show_json(result, next_commands=[next_words])
    elif not output.quiet:
        drafted = _Drafted(export, out, fields, added, wrote)
        show(_view(drafted, next_words, console(output).width), output)
    return Exit.DONE if wrote or not added else Exit.ATTENTION


class _Drafted(NamedTuple):
    """What was drafted: from which export, into which file, its key, the fields that were added, and whether it was."""

    export: Location
    out: Path
    key: Sequence[str]
    added: Sequence[str]
    wrote: bool


def _view(drafted: _Drafted, next_words: list[str], width: int) -> Iterator[Text]:

    export, out, key, added, wrote = drafted
    fields, joined = pluralize(len(added), "field"), " + ".join(key)
    if not added:
        yield labelled("setup", f"{out} already has all fields of {export.name}")
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


def _next(export: Location, out: Path, *, wrote: bool) -> list[str]:

    if wrote:
        return ["neat-delta", "sheet", str(export), "-o", free_name("edit.xlsx")]
    return ["neat-delta", "setup", str(export), "--out", str(out), "--yes"]

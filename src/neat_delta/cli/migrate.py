"""neat-delta migrate."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.common import OutputOptions, console, output_options, show
from neat_delta.cli.envelope import show_json
from neat_delta.cli.help import OUTPUT, command, option
from neat_delta.cli.param_types import FILE
from neat_delta.errors import InvalidOption
from neat_delta.exit_codes import Exit

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from rich.text import Text

    from neat_delta.migration import Migrated


@command(
    "migrate",
    "neat-delta migrate catalogue.toml nightly.toml",
    "neat-delta migrate tuesday.changes.jsonl -o tuesday-new.changes.jsonl",
    "neat-delta migrate tuesday.changes.jsonl catalogue.toml --overwrite",
)
@click.argument("files", type=FILE, nargs=-1, required=True, metavar="FILE...")
@option(OUTPUT, "-o", "--out", common=True, type=FILE, metavar="FILE", help="Save the file in today's format here.")
@option(
    OUTPUT,
    "--overwrite",
    common=True,
    is_flag=True,
    help="Put each file in today's format in its place; the old one is kept as NAME.format-1.",
)
@output_options
def migrate_command(files: tuple[Path, ...], out: Path | None, overwrite: bool, output: OutputOptions) -> int:
    """Bring files of earlier versions to today's format: change sets, settings, run files, the history.

    Without --out and --overwrite, it only shows which files need it. Nothing is written unless all files can be read.
    """
    from neat_delta.migration import migrated, replace_old, save_new

    if out is not None and len(files) > 1:
        raise InvalidOption("is for one file", option="out", hint="Use --overwrite for several files.")
    found = [migrated(path) for path in files]
    old = [one for one in found if one.data is not None]
    if out is not None and old:
        save_new(old[0], out, replace=overwrite)
    elif overwrite:
        replace_old(old)
    written = out is not None or overwrite
    if output.as_json:
        show_json({"files": [{"file": str(one.path), "kind": one.kind, "format": one.was} for one in found]})
    elif not output.quiet:
        show(_view(found, out, console(output).width, written=written), output)
    return Exit.ATTENTION if old and not written else Exit.DONE


def _view(found: Sequence[Migrated], out: Path | None, width: int, *, written: bool) -> Iterator[Text]:
    from neat_delta.migration import KEPT_SUFFIX
    from neat_delta.views.formatting import pluralize
    from neat_delta.views.lines import labelled, sentence
    from neat_delta.views.verdict import next_command

    for one in found:
        state = f"format {one.was} → {one.now}" if one.data is not None else f"format {one.now}, as it should be"
        yield from sentence(one.kind, f"{one.path}: {state}", width)
    old = [one for one in found if one.data is not None]
    if not old:
        yield labelled("result", "nothing to do", "strong")
    elif not written:
        yield labelled(
            "result", f"{pluralize(len(old), 'file')} to bring to today's format · nothing written", "strong"
        )
        yield from next_command(["neat-delta", "migrate", *(str(one.path) for one in old), "--overwrite"], width)
    elif out is not None:
        yield labelled("result", f"saved as {out}", "strong")
    else:
        kept = "the old one is" if len(old) == 1 else "the old ones are"
        said = f"{pluralize(len(old), 'file')} brought to today's format; {kept} kept as NAME{KEPT_SUFFIX}"
        yield from sentence("result", said, width, "strong")

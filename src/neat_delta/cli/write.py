"""neat-delta write."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_args import AS_OF, load_with_live
from neat_delta.cli.changeset_output import FORM, PACK, STRICT, OverrideOptions, override_options, pictures_in, refused
from neat_delta.cli.common import (
    FILE,
    SOURCE,
    OutputOptions,
    catalogue_file,
    console,
    load_config,
    output_options,
    show,
    show_json,
    show_progress,
)
from neat_delta.cli.exits import Exit

if TYPE_CHECKING:
    from collections.abc import Iterator
    from datetime import datetime
    from pathlib import Path

    from rich.text import Text

    from neat_delta.remote import Location
    from neat_delta.update import Receipt


@click.command("write")
@click.argument("changes", type=SOURCE)
@click.option(
    "-o", "--folder", type=FILE, required=True, metavar="DIR", help="The folder for the update; new or empty."
)
@click.option(
    "--live",
    type=SOURCE,
    metavar="FILE",
    help="The live export, if it lies neither beside CHANGES nor in this folder.",
)
@AS_OF
@click.option("--replace", is_flag=True, help="Let the update take the place of an earlier one in DIR.")
@STRICT
@PACK
@FORM
@override_options
@catalogue_file
@output_options
def write_command(
    changes: Location,
    folder: Path,
    live: Location | None,
    as_of: datetime | None,
    replace: bool,
    strict: bool,
    pack: str,
    shape: str,
    opened: OverrideOptions,
    settings: Path | None,
    spoken: OutputOptions,
) -> int:
    """Write the update files of a change set, proved, with the files that undo them and a receipt.

    The change set knows the live export it was made from and refuses any other. All checks are run again; what they
    stop is held back, and the rest is written.
    """
    from neat_delta.checks import recheck
    from neat_delta.reading import fetch
    from neat_delta.reconcile.refresh import require_fresh
    from neat_delta.update import write_update

    settled = load_config(settings)
    with show_progress(spoken) as voice:
        data = fetch(changes).data
        loaded, ours = load_with_live(changes, live, settled, voice, data)
        require_fresh(as_of or ours.source.made, ours.source.path, settled)
        voice.step("checking what would change")
        tried = recheck(loaded, ours, settled, opened.allowed(), pictures_in(opened.images))
        stopped = tried.blocking_count()
        if strict and stopped:
            return refused(stopped)
        receipt = write_update(
            tried,
            ours,
            folder,
            settled,
            replace=replace,
            way=pack,
            shape=shape,
            as_of=as_of,
            kept=data if tried.equivalent_to(loaded) else None,
            voice=voice,
        )
    if spoken.as_json:
        show_json({"files": []} if receipt is None else receipt.as_dict())
    elif not spoken.quiet:
        show(_view(receipt, ours.source.name, folder, stopped, changes, console(spoken).width), spoken)
    return Exit.ATTENTION if stopped else Exit.DONE


def _view(
    receipt: Receipt | None, live_name: str, folder: Path, held_back: int, changes: Location, width: int
) -> Iterator[Text]:
    from neat_delta.views.formatting import pluralize
    from neat_delta.views.lines import labelled
    from neat_delta.views.update import next_view, nothing_view, update_view

    if receipt is None:
        yield nothing_view(folder)
        return
    yield from update_view(receipt, live_name, width)
    if held_back:
        yield labelled("held back", f"{pluralize(held_back, 'finding')}; see them with: neat-delta check {changes}")
    yield from next_view(receipt, width)

"""neat-delta write."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_args import AS_OF, kept
from neat_delta.cli.changeset_output import FORM, PACK, STRICT, Openings, openings, pictures_in, refused
from neat_delta.cli.common import (
    FILE,
    SOURCE,
    Manners,
    catalogue_file,
    console,
    manners,
    progress,
    settled_in,
    show,
    show_json,
)
from neat_delta.cli.exits import Exit

if TYPE_CHECKING:
    from collections.abc import Iterator
    from datetime import datetime
    from pathlib import Path

    from rich.text import Text

    from neat_delta.remote import Where
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
@openings
@catalogue_file
@manners
def write_command(
    changes: Where,
    folder: Path,
    live: Where | None,
    as_of: datetime | None,
    replace: bool,
    strict: bool,
    pack: str,
    shape: str,
    opened: Openings,
    settings: Path | None,
    spoken: Manners,
) -> int:
    """Write the update files of a change set, proved, with the files that undo them and a receipt.

    The change set knows the live export it was made from and refuses any other. All checks are run again; what they
    stop is held back, and the rest is written.
    """
    from neat_delta.checks import tried_again
    from neat_delta.reading import fetch
    from neat_delta.reconcile.refresh import insist_on_young
    from neat_delta.update import write_update

    settled = settled_in(settings)
    with progress(spoken) as voice:
        data = fetch(changes).inner
        loaded, ours = kept(changes, live, settled, voice, data)
        insist_on_young(as_of or ours.source.made, ours.source.path, settled)
        voice.step("checking what would change")
        tried = tried_again(loaded, ours, settled, opened.allowed(), pictures_in(opened.pictures))
        stopped = tried.stopped()
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
            kept=data if tried.says_what(loaded) else None,
            voice=voice,
        )
    if spoken.as_json:
        show_json({"files": []} if receipt is None else receipt.as_dict())
    elif not spoken.quiet:
        show(_view(receipt, ours.source.name, folder, stopped, changes, console(spoken).width), spoken)
    return Exit.ATTENTION if stopped else Exit.DONE


def _view(
    receipt: Receipt | None, live_name: str, folder: Path, held_back: int, changes: Where, width: int
) -> Iterator[Text]:
    from neat_delta.views.formatting import several
    from neat_delta.views.lines import labelled
    from neat_delta.views.update import next_view, nothing_view, update_view

    if receipt is None:
        yield nothing_view(folder)
        return
    yield from update_view(receipt, live_name, width)
    if held_back:
        yield labelled("held back", f"{several(held_back, 'finding')}; see them with: neat-delta check {changes}")
    yield from next_view(receipt, width)

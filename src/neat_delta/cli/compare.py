"""neat-delta compare."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from neat_delta.cli.common import (
    FILE,
    FileForm,
    Manners,
    catalogue_file,
    console,
    exported_as,
    file_form,
    manners,
    progress,
    settled_in,
    show,
    show_json,
)
from neat_delta.cli.exits import Exit

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

    from neat_delta.catalogue.settings import Settings
    from neat_delta.changes import Comparison
    from neat_delta.writing import Receipt

STATE_CHOICES = ("changed", "same", "new", "gone", "repeated", "unreadable", "refused")


def _kinds(_context: click.Context, _option: click.Parameter, told: tuple[str, ...]) -> dict[str, str]:
    pairs = {}
    for text in told:
        field, equals, kind = text.partition("=")
        if not (field and equals and kind):
            raise click.BadParameter(f"{text!r} is not FIELD=KIND, such as size=text")
        pairs[field.strip()] = kind.strip()
    return pairs


@click.command("compare")
@click.argument("live", type=FILE)
@click.argument("edited", type=FILE)
@click.option("--key", multiple=True, metavar="FIELD", help="Match rows on this field; repeat for a key of several.")
@click.option("--out", type=FILE, metavar="FILE", help="Keep the change set in this file (.changes.jsonl, or .gz).")
@click.option("--write", "folder", type=FILE, metavar="DIR", help="Write the proved update into this folder.")
@click.option("--replace", is_flag=True, help="Let the update take the place of an earlier one in DIR.")
@click.option(
    "--blanks",
    type=click.Choice(["leave", "clear"]),
    help="What a blank cell means: leave the live value (so it is if nothing is settled), or clear it.",
)
@click.option(
    "--kind",
    "kinds",
    multiple=True,
    metavar="FIELD=KIND",
    callback=_kinds,
    help="Read a field as this kind instead of the one its live values show (text, code, gtin, money, number, "
    "count, share, flag, date, choice, path, picture, itemref).",
)
@click.option("--all", "everything", is_flag=True, help="Show every changed item and every finding.")
@click.option(
    "--show",
    "states",
    multiple=True,
    type=click.Choice(STATE_CHOICES),
    help="List the rows in this state; repeatable.",
)
@click.option("--unlock", multiple=True, metavar="FIELD", help="Let a field change that is locked in catalogue.toml.")
@click.option(
    "--allow-new-values", multiple=True, metavar="FIELD", help="Let a limited field take values it does not know yet."
)
@click.option(
    "--as-typed",
    multiple=True,
    metavar="FIELD",
    help="Take values of this field that look like a spreadsheet program's damage.",
)
@catalogue_file
@file_form
@manners
def compare_command(
    live: Path,
    edited: Path,
    key: tuple[str, ...],
    out: Path | None,
    folder: Path | None,
    replace: bool,
    blanks: str | None,
    kinds: dict[str, str],
    everything: bool,
    states: tuple[str, ...],
    unlock: tuple[str, ...],
    allow_new_values: tuple[str, ...],
    as_typed: tuple[str, ...],
    settings: Path | None,
    form: FileForm,
    spoken: Manners,
) -> int:
    """Compare the LIVE export with the EDITED sheet: what changed, item by item.

    Nothing is sent and no input is touched. Only items that exist change; new and missing rows are counted and
    left out, and a blank cell leaves the live value as it is.

    Both may be delimited text, XLSX, ODS, JSON Lines or XML, also packed with gzip or zip; one may be "-" for standard
    input. --delimiter, --encoding, --decimal, --header-line and --sheet are about EDITED.
    """
    from neat_delta.begun import Begun

    begun = Begun(live, edited)
    # Now that the files are on their way, there is time to load what is needed to understand them.
    from neat_delta.changes import Options, compare, held_back, save_changes
    from neat_delta.checks import try_out
    from neat_delta.reading import read_both
    from neat_delta.writing import write_update

    settled = settled_in(settings)
    with progress(spoken) as voice:
        ours, theirs = read_both(live, edited, voice, form.told(), begun, exported_as(settled))
        ours, theirs = ours.renamed(settled.names()), theirs.renamed(settled.names())
        options = Options(key, None if blanks is None else blanks == "clear", kinds, settled)
        seen = compare(ours, theirs, options, voice)
        voice.step("checking what would change")
        seen = held_back(seen, try_out(seen.changes, ours, settled, unlock, allow_new_values, as_typed))
        if out is not None:
            save_changes(seen.changes, out, inputs=(live, edited))
        receipt = write_update(seen.changes, ours, folder, settled, replace=replace, voice=voice) if folder else None
    stopped = seen.changes.stopped()
    if spoken.as_json:
        show_json(_as_dict(seen, receipt, out, states))
    elif spoken.quiet:
        _say_held_back(stopped)
    else:
        width = console(spoken).width
        show(_view(seen, receipt, settled, width, everything, states, out, folder), spoken)
    return Exit.ATTENTION if stopped else Exit.DONE


def _view(
    seen: Comparison,
    receipt: Receipt | None,
    settled: Settings,
    width: int,
    everything: bool,
    states: tuple[str, ...],
    out: Path | None,
    folder: Path | None,
) -> Iterator[Text]:
    from rich.text import Text

    from neat_delta.views.comparison import Shown, comparison_view, labelled
    from neat_delta.views.update import next_view, nothing_view, update_view

    if settled.path:
        yield labelled("settled", f"in {settled.path}")
    yield from comparison_view(seen, Shown(width, everything, states))
    yield Text()
    if receipt:
        yield from update_view(receipt, seen.live.source.name, width)
    elif folder:
        yield nothing_view(folder)
    if out:
        yield labelled("kept", f"the change set, in {out}")
    if receipt:
        yield next_view(receipt)
    elif len(seen.changes.cells):
        yield labelled("next", _next_step(seen, out))


def _next_step(seen: Comparison, out: Path | None) -> str:
    """The command that writes what was just shown."""
    live = seen.live.source.path
    if out is None:
        return f"neat-delta compare {live} {seen.edited.source.path} --write updates"
    found_anyway = live.parent in (out.parent, Path())
    return f"neat-delta write {out} -o updates" + ("" if found_anyway else f" --live {live}")


def _as_dict(seen: Comparison, receipt: Receipt | None, out: Path | None, states: tuple[str, ...]) -> dict[str, Any]:
    from neat_delta.changes import head_as_dict
    from neat_delta.matching import JOINT

    findings = seen.changes.findings
    told: dict[str, Any] = head_as_dict(seen.changes.head)
    told["cells"] = len(seen.changes.cells)
    told["left_alone"] = {"form": seen.form, "blanks": seen.blanks}
    told["findings"] = {level: len(findings.filter(level=level)) for level in ("stop", "warn", "note")}
    told["out"] = str(out) if out else None
    told["files"] = [] if receipt is None else receipt.as_dict()["files"]
    told["update"] = None if receipt is None else {"folder": str(receipt.folder)} | receipt.as_dict()
    if states:
        told["rows"] = {
            state: [
                {"key": code.split(JOINT) if code else None, "line": line, "name": name}
                for code, line, name in seen.rows_in(state).iter_rows()
            ]
            for state in states
        }
    return told


def _say_held_back(held_back: int) -> None:
    if held_back:
        said = "1 finding holds" if held_back == 1 else f"{held_back} findings hold"
        click.echo(f"neat-delta: {said} something back; run without --quiet to see them", err=True)

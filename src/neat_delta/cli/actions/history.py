"""What the command history does."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.exit_codes import Exit
from neat_delta.base.json_form import json_bytes, to_json
from neat_delta.changeset.serialization import load_changes, parse_changes
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config
from neat_delta.cli.envelope import show_json
from neat_delta.delivery.history import History, default_history
from neat_delta.export_store import store_of
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.output_paths import check_outputs, note_input
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.tables import field_name
from neat_delta.update.delimited import report_csv
from neat_delta.views.delivery import entry_view, history_view, verify_command
from neat_delta.views.history_views import exports_view, item_history_view, sent_cells_view
from neat_delta.views.lines import labelled
from neat_delta.workflows.item_history import item_history
from neat_delta.workflows.sent_cells import Wanted, sent_cells, wanted_entries

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.cli.history import HistorySelection
    from neat_delta.delivery.history import Entry
    from neat_delta.locations import Location
    from neat_delta.tables.settings import Settings

# What may be the number of an entry; longer ones are no numbers of anything.
NUMBER = re.compile("[0-9]{1,15}")


def history_in(given: Path | None) -> History:
    """The history that is given, or the one of this user."""
    path = given or default_history()
    note_input(path)
    return History(path)


def sent_as(given: Location, history: Path | None) -> Entry | None:
    """The history's entry that a person means by a number in place of a change set; ``None`` if it means a file."""
    if not isinstance(given, Path) or not NUMBER.fullmatch(str(given)) or given.exists():
        return None
    return _entry(history_in(history), int(str(given)))


def changes_of(given: Location, history: Path | None) -> ChangeSet:
    """A kept change set, or the one that was sent with the entry of this number.

    Raises:
        InvalidInput: file not found, or it is no change set.
        InvalidOption: there is no such entry, or its change set was not kept.
    """
    entry = sent_as(given, history)
    if entry is None:
        return load_changes(given)
    kept = history_in(history).change_set(entry)
    if kept is None:
        raise InvalidOption(
            f"the change set of history #{entry.entry} was not saved",
            hint=f"Give the change set instead; the update was written to {entry.folder}.",
        )
    return parse_changes(kept, Path(f"history entry {entry.entry}"))


def _entry(saved: History, number: int) -> Entry:
    entry = saved.entry(number)
    if entry is None:
        raise InvalidOption(f"no entry #{number} in {saved.path}", hint="List them with: neat-delta history")
    return entry


def entry_as_dict(entry: Entry) -> dict[str, Any]:
    """An entry for JSON."""
    described: dict[str, Any] = to_json(entry)
    return described | {"state": entry.state}


def history_command(
    what: str | None,
    selection: HistorySelection,
    out: Path | None,
    overwrite: bool,
    history: Path | None,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """List what was sent: when, where, with what result. With a NUMBER: every row that the shop did not accept."""
    sku, since, until, person, field, cells, exports, prune = selection
    check_outputs(out, replace=overwrite)
    if exports or prune:
        return _exports(load_config(config), output, out, prune=prune, overwrite=overwrite)
    kept = history_in(history)
    condition = Wanted(since, until, person, field=field_name(field) if field else None)
    is_entry = what is not None and NUMBER.fullmatch(what) and not what.startswith("0") and kept.entry(int(what))
    if what is not None and sku is None and is_entry:
        if not (cells or out or condition.field):
            return _one(kept.entry(int(what)), history, output)
        condition, cells, what = replace(condition, entry=int(what)), True, None
    item = sku or what
    if cells or (condition.field and item is None) or (item is not None and (out or since or until or person)):
        key = item.replace(" · ", KEY_SEPARATOR) if item else None
        return _cells(kept, replace(condition, key=key), out, output, overwrite=overwrite)
    if item is not None:
        return _item(item, kept, load_config(config), output, condition.field)
    return _list(kept, condition, out, output, overwrite=overwrite)


def _list(kept: History, condition: Wanted, out: Path | None, output: OutputOptions, *, overwrite: bool) -> Exit:
    """The updates that were sent."""
    entries = wanted_entries(kept, condition)
    described = [entry_as_dict(entry) for entry in entries]
    if out is not None:
        flat = [
            {name: value for name, value in one.items() if name != "files"}
            | {"files": len(one["files"]), "rows": sum(file["rows"] for file in one["files"])}
            for one in described
        ]
        _save(pl.DataFrame(flat, infer_schema_length=None), described, out, overwrite=overwrite)
    if output.as_json:
        show_json(described)
    elif not output.quiet:
        of_all = not (condition.since or condition.until or condition.person)
        show([*history_view(entries, kept.path, console(output).width, of_all=of_all), *_saved(out)], output)
    return Exit.DONE


def _cells(kept: History, condition: Wanted, out: Path | None, output: OutputOptions, *, overwrite: bool) -> Exit:
    """Every cell that was sent, by whom."""
    with show_progress(output) as progress:
        progress.step("reading the history")
        cells = sent_cells(kept, wanted_entries(kept, condition), condition)
    described = [row | {"key": row["key"].split(KEY_SEPARATOR)} for row in cells.to_dicts()]
    if out is not None:
        _save(cells.rename({"key": "sku"}), described, out, overwrite=overwrite)
    if output.as_json:
        show_json(described)
    elif not output.quiet:
        show([*sent_cells_view(cells, console(output).width), *_saved(out)], output)
    return Exit.DONE


def _save(frame: pl.DataFrame, described: list[dict[str, Any]], out: Path, *, overwrite: bool) -> None:
    """Save a list: as JSON if its name says so, else as CSV."""
    data = json_bytes(described, indented=True) + b"\n" if out.suffix == ".json" else report_csv(frame)
    write_atomic(out, data, replace=overwrite)


def _saved(out: Path | None) -> Iterator[Text]:

    if out is not None:
        yield labelled("saved", f"the list, in {out}")


def _one(entry: Entry | None, history: Path | None, output: OutputOptions) -> Exit:

    assert entry is not None
    if output.as_json:
        show_json(entry_as_dict(entry), next_commands=[verify_command(entry, history)])
    elif not output.quiet:
        show(entry_view(entry, history, console(output).width), output)
    return Exit.DONE


def _item(given: str, kept: History, settings: Settings, output: OutputOptions, field: str | None = None) -> Exit:
    """The past of one item, or of one of its fields.

    Raises:
        InvalidOption: no kept export has it.
    """
    key, store = given.replace(" · ", KEY_SEPARATOR), store_of(settings.store)
    with show_progress(output) as progress:
        past = item_history(key, store, kept, settings, progress)
    if not past.exports:
        entry = f"no entry #{given} in {kept.path}, and " if NUMBER.fullmatch(given) else ""
        raise InvalidOption(
            f"{entry}no kept export has the SKU {given} ({store.folder})",
            hint="List what was sent with: neat-delta history; the exports with: neat-delta history --exports",
        )
    if field is not None:
        past = replace(past, changes=[change for change in past.changes if change.field == field])
    people = {entry.entry: entry for entry in kept.entries()}
    if output.as_json:
        show_json({"sku": given.split(" · ")} | to_json(past))
    elif not output.quiet:
        show(item_history_view(given, past, people, console(output).width), output)
    return Exit.DONE


def _exports(settings: Settings, output: OutputOptions, out: Path | None, *, prune: bool, overwrite: bool) -> Exit:
    """The live exports that are kept."""
    store = store_of(settings.store)
    gone = store.prune() if prune else []
    kept = store.exports()
    if out is not None:
        described = to_json(kept)
        frame = pl.DataFrame([{name: str(value) for name, value in one.items()} for one in described])
        _save(frame, described, out, overwrite=overwrite)
    if output.as_json:
        show_json({"folder": str(store.folder), "exports": to_json(kept), "deleted": to_json(gone)})
    elif not output.quiet:
        width = console(output).width
        show([*exports_view(store.folder, kept, gone if prune else None, width), *_saved(out)], output)
    return Exit.DONE

"""The change set as a file: UTF-8 JSON Lines, a head and then a line for each item."""

from __future__ import annotations

import gzip
import io
from dataclasses import replace as replace_member
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.base.errors import InvalidInput, WriteError
from neat_delta.base.frame_schema import BrokenFrame
from neat_delta.base.json_form import json_bytes, to_json
from neat_delta.changeset.changeset import CELLS, CHANGED, ITEMS, ChangeSet, normalize
from neat_delta.changeset.file_form import FORMAT, MAKE_AGAIN, parse_head, parse_lines
from neat_delta.changeset.findings import BLOCK, FINDINGS, NO_EFFECT
from neat_delta.changeset.item_lines import implied_state, write_lines
from neat_delta.changeset.problems import STOP
from neat_delta.changeset.schemas import NONE, RECODE, Cells, Findings, Items
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.output_paths import note_input
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.reading import fetch

if TYPE_CHECKING:
    from neat_delta.changeset.head import Head
    from neat_delta.locations import Location


def dump_changes(changes: ChangeSet) -> bytes:
    """The change set's file form."""
    stream = io.BytesIO()
    stream.write(json_bytes(head_as_dict(changes)) + b"\n")
    write_lines(changes, stream)
    return stream.getvalue()


def head_as_dict(changes: ChangeSet) -> dict[str, Any]:
    """The head as the first line of the file has it."""
    head = changes.head
    return {
        "neat_delta": FORMAT,
        "made": head.made,
        **({"made_by": list(head.made_by)} if head.made_by else {}),
        **({"approval": head.approval} if head.approval else {}),
        "key": list(head.key),
        "live": head.live.as_dict(),
        "edited": head.edited.as_dict(),
        "fields": {
            name: {key: value for key, value in to_json(note).items() if value is not None}
            for name, note in head.fields.items()
        },
        "counts": changes.counts,
        **({"overrides": head.overrides.as_dict()} if head.overrides.as_dict() else {}),
        **({"exclusions": [to_json(left) for left in head.exclusions]} if head.exclusions else {}),
        **({"identity": to_json(head.identity)} if head.identity else {}),
        **({"imports": head.imports.as_dict()} if head.imports else {}),
        **({"destination": head.destination} if head.destination else {}),
    }


def save_changes(changes: ChangeSet, path: Path, *, replace: bool = False) -> bytes:
    """Keep a change set as a file, compressed if its name ends in ``.gz``; an old one to ``replace`` goes in one move.

    Returns its file form, not compressed.

    Raises:
        WriteError: a file is there and is not to be replaced, or something else than a change set does.
    """
    check_changes_path(path)
    data = dump_changes(changes)
    write_atomic(path, gzip.compress(data, mtime=0) if path.suffix == ".gz" else data, replace=replace)
    return data


def check_changes_path(path: Path) -> None:
    """See that a change set may have this name.

    Raises:
        WriteError: a file that is no change set has it.
    """
    if path.exists() and not _is_change_set(path):
        raise WriteError(
            "this name belongs to another file, not to a change set",
            file=path,
            hint="Choose another name.",
        )


def _is_change_set(path: Path) -> bool:
    try:
        with path.open("rb") as file:
            packed = file.read(2) == b"\x1f\x8b"
            file.seek(0)
            start = gzip.GzipFile(fileobj=file).read(64) if packed else file.read(64)
    except (OSError, EOFError):
        return False
    return start.startswith(b'{"neat_delta":') or not start


def load_changes(path: Location) -> ChangeSet:
    """Read a change set file, also one that is compressed with gzip.

    Raises:
        InvalidInput: it is no change set, of a later format, or damaged; with the line.
    """
    loaded = parse_changes(fetch(path).data, path)
    for name in (loaded.head.live.name, loaded.head.edited.name):
        # (The files that it was made from are never written over, whether they are read or not.)
        for folder in (path.parent, Path()) if isinstance(path, Path) else ():
            note_input(folder / Path(name).name)
    return loaded


def parse_changes(data: bytes, path: Location) -> ChangeSet:
    """The change set that a file holds; ``path`` is for messages.

    Raises:
        InvalidInput: it is no change set, of a later format, or damaged; with the line.
    """
    first, _, rest = data.partition(b"\n")
    head, counts = parse_head(first, path)
    rows = parse_lines(rest, head, path).with_columns(pl.col("key", "new_key").list.join(KEY_SEPARATOR))
    _check_keys(rows, path)
    items = _items(rows)
    head = _with_other_rows(head, counts, items, path)
    try:
        return normalize(
            ChangeSet(head, Items.checked(items), Cells.checked(_cells(rows, head)), Findings.checked(_findings(rows)))
        )
    except BrokenFrame as error:
        raise InvalidInput(f"the change set contradicts itself: {error}", file=path, hint=MAKE_AGAIN) from error


def _check_keys(rows: pl.DataFrame, path: Location) -> None:
    """See that each item is there once, and that no two get one new key, nor one the key that it has."""
    recoded = rows.filter(pl.col("action") == RECODE)
    for lines, column, what in (
        (rows.filter(pl.col("key").is_duplicated()).drop_nulls("key"), "key", "this item is in the change set twice"),
        (recoded.filter(pl.col("new_key").is_duplicated()), "new_key", "two items get this new key"),
        (recoded.filter(pl.col("new_key") == pl.col("key")), "new_key", "the item has this key already"),
    ):
        if len(lines):
            value, line = lines[column][-1].replace(KEY_SEPARATOR, " · "), lines["at"][-1] + 2
            raise InvalidInput(what, file=path, line=line, value=value, hint=MAKE_AGAIN)


def _with_other_rows(head: Head, counts: dict[str, int], items: pl.DataFrame, path: Location) -> Head:
    """The head with the rows that no item stands for: those counted in the file but for those of its items."""
    states = dict(items["row_state"].drop_nulls().value_counts().iter_rows())
    other = {state: counts.get(state, 0) - states.get(state, 0) for state in dict.fromkeys([*counts, *states])}
    # Every changed row has its item, so a missing one shows.
    broken = [state for state, rows in other.items() if rows < 0 or (state == CHANGED and rows)]
    if broken:
        state = broken[0]
        raise InvalidInput(
            f"line 1 counts {counts.get(state)} {state} rows, the file has {states.get(state, 0)}",
            file=path,
            hint="The file is cut off, or was edited by hand. " + MAKE_AGAIN,
        )
    return replace_member(head, other_rows=other)


def _items(rows: pl.DataFrame) -> pl.DataFrame:
    return rows.drop_nulls("key").with_columns(pl.coalesce("row_state", implied_state())).select(*ITEMS)


def _cells(rows: pl.DataFrame, head: Head) -> pl.DataFrame:
    if not (rows["action"] != NONE).all():
        rows = rows.filter(pl.col("action") != NONE)
    if not head.fields:
        return pl.DataFrame(schema=CELLS)
    # (Taken apart once: to ask a struct for one of its members takes as long as it has members.)
    per_field = [
        rows.select("at", "key", place=pl.lit(place), field=pl.lit(name), cell=cells)
        for place, (name, cells) in enumerate(rows["cells"].struct.unnest().to_dict().items())
    ]
    return pl.concat(per_field).drop_nulls("cell").sort("at", "place").unnest("cell").select(*CELLS)


def _findings(rows: pl.DataFrame) -> pl.DataFrame:
    findings = rows.select("key", "findings").drop_nulls("findings").explode("findings").unnest("findings")
    # (Files of earlier releases leave the effect to the level.)
    implied = pl.when(pl.col("level") == STOP).then(pl.lit(BLOCK)).otherwise(pl.lit(NO_EFFECT))
    return findings.with_columns(effect=pl.coalesce("effect", implied)).select(*FINDINGS)


def findings_as_dicts(findings: pl.DataFrame) -> list[dict[str, Any]]:
    """Findings as the file has them, each with its key."""
    return findings.to_dicts()

"""The change set as a file: UTF-8 JSON Lines, a head and then a line for each item."""

from __future__ import annotations

import gzip
import io
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace as replace_member
from typing import TYPE_CHECKING, Any

import orjson
import polars as pl

from neat_delta.atomic_write import write_atomic
from neat_delta.changeset.changeset import (
    ACTIONS,
    CELLS,
    CHANGED,
    ITEMS,
    NONE,
    RECODE,
    ChangeSet,
    Exclusion,
    FieldInfo,
    FileRef,
    Head,
    Identity,
    Overrides,
    normalize,
)
from neat_delta.changeset.findings import BLOCK, FINDINGS, NO_EFFECT, STOP
from neat_delta.changeset.item_lines import implied_state, write_lines
from neat_delta.errors import InvalidInput, WriteError
from neat_delta.json_form import to_json
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.reading import fetch

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.remote import Location

FORMAT = 2
# So many lines are decoded at a time.
SLICE = 1 << 16


def dump_changes(changes: ChangeSet) -> bytes:
    """The change set's file form."""
    stream = io.BytesIO()
    stream.write(orjson.dumps(head_as_dict(changes)) + b"\n")
    write_lines(changes, stream)
    return stream.getvalue()


def head_as_dict(changes: ChangeSet) -> dict[str, Any]:
    """The head as the first line of the file has it."""
    head = changes.head
    return {
        "neat_delta": FORMAT,
        "made": head.made,
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
    return parse_changes(fetch(path).data, path)


def parse_changes(data: bytes, path: Location) -> ChangeSet:
    """The change set that a file holds; ``path`` is for messages.

    Raises:
        InvalidInput: it is no change set, of a later format, or damaged; with the line.
    """
    first, _, rest = data.partition(b"\n")
    head, json_head = _head(first, path)
    shape = _item_shape(head)
    lines = pl.read_lines(rest, name="item").to_series() if rest else pl.Series(dtype=pl.String)
    try:
        rows = _decoded(lines, shape).with_row_index("at")
    except pl.exceptions.PolarsError as error:
        raise _first_broken(lines, path) from error
    rows = rows.with_columns(pl.col("key", "new_key").list.join(KEY_SEPARATOR))
    _check_items(rows, path)
    items = _items(rows)
    head = _with_other_rows(head, json_head["counts"], items, path)
    return normalize(ChangeSet(head, items, _cells(rows, head), _findings(rows)))


def _decoded(lines: pl.Series, shape: pl.Struct) -> pl.DataFrame:
    """The items of some lines, slice by slice: all at once they would be one core's work, and far more of it."""
    starts = range(0, max(1, len(lines)), SLICE)
    with ThreadPoolExecutor() as workers:
        parts = list(workers.map(lambda start: lines.slice(start, SLICE).str.json_decode(shape), starts))
    return pl.concat(parts).struct.unnest()


def _head(line: bytes, path: Location) -> tuple[Head, dict[str, Any]]:
    """The head, without the rows beside items; and the same as it is in the file."""
    try:
        result = orjson.loads(line)
        version = result["neat_delta"]
        if version != FORMAT:
            raise InvalidInput(
                f"this change set has format {version}; this program reads format {FORMAT}",
                file=path,
                line=1,
                hint="Use the version of neat-delta that made it, or compare again.",
            )
        head = Head(
            key=tuple(result["key"]),
            live=FileRef(**result["live"]),
            edited=FileRef(**result["edited"]),
            fields={name: FieldInfo(**note) for name, note in result["fields"].items()},
            other_rows={},
            made=result["made"],
            overrides=Overrides(**{option: tuple(names) for option, names in result.get("overrides", {}).items()}),
            exclusions=tuple(
                Exclusion(**left | {"comments": tuple(left["comments"])}) for left in result.get("exclusions", ())
            ),
            identity=Identity(**result["identity"]) if "identity" in result else None,
        )
        if not all(isinstance(number, int) for number in result["counts"].values()):
            raise TypeError("a count is not a number")
        return head, result
    except (orjson.JSONDecodeError, KeyError, TypeError, AttributeError) as error:
        raise InvalidInput(
            "this is not a change set",
            file=path,
            line=1,
            hint="Make one by comparing two files.",
            code="no-change-set",
        ) from error


def _item_shape(head: Head) -> pl.Struct:
    cell = pl.Struct({"was": pl.String, "now": pl.String})
    finding = pl.Struct({name: dtype for name, dtype in FINDINGS.items() if name != "key"})
    # A change set without changes has no fields, but a struct needs one.
    cells = pl.Struct(dict.fromkeys(head.fields or ["none"], cell))
    return pl.Struct(
        {
            "key": pl.List(pl.String),
            "action": pl.String,
            "row_state": pl.String,
            "line": pl.UInt32,
            "name": pl.String,
            "new_key": pl.List(pl.String),
            "cells": cells,
            "findings": pl.List(finding),
        }
    )


def _first_broken(lines: pl.Series, path: Location) -> InvalidInput:
    for number, line in enumerate(lines, start=2):
        try:
            orjson.loads(line)
        except orjson.JSONDecodeError:
            return InvalidInput(
                "this line is not a JSON object: the file is damaged or cut off", file=path, line=number
            )
    return InvalidInput("the lines are not those of a change set", file=path)


def _check_items(rows: pl.DataFrame, path: Location) -> None:
    action = pl.col("action")
    known = action.is_in(ACTIONS) & ((action == RECODE) == pl.col("new_key").is_not_null())
    unknown = rows.filter(~known | action.is_null())
    if len(unknown):
        at, found = unknown.row(0, named=True)["at"], unknown["action"][0]
        raise InvalidInput(
            "unknown action",
            file=path,
            line=at + 2,
            value=found or "",
            column="action",
        )
    keys = rows["key"].drop_nulls()
    if keys.n_unique() < len(keys):
        repeated = rows.drop_nulls("key").filter(pl.col("key").is_duplicated())
        raise InvalidInput(
            "this item is in the change set twice",
            file=path,
            line=repeated["at"][1] + 2,
            value=repeated["key"][1].replace(KEY_SEPARATOR, " · "),
        )


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
            hint="The file is cut off, or was edited by hand. Make it again.",
        )
    return replace_member(head, other_rows=other)


def _items(rows: pl.DataFrame) -> pl.DataFrame:
    return rows.drop_nulls("key").with_columns(pl.coalesce("row_state", implied_state())).select(*ITEMS)


def _cells(rows: pl.DataFrame, head: Head) -> pl.DataFrame:
    if not (rows["action"] != NONE).all():
        rows = rows.filter(pl.col("action") != NONE)
    per_field = [
        rows.select(
            "at",
            "key",
            pl.lit(place).alias("place"),
            pl.lit(name).alias("field"),
            pl.col("cells").struct.field(name).alias("cell"),
        )
        for place, name in enumerate(head.fields)
    ]
    if not per_field:
        return pl.DataFrame(schema=CELLS)
    return pl.concat(per_field).drop_nulls("cell").sort("at", "place").unnest("cell").select(*CELLS)


def _findings(rows: pl.DataFrame) -> pl.DataFrame:
    found = rows.select("key", "findings").drop_nulls("findings").explode("findings").unnest("findings")
    # (Files of earlier releases leave the effect to the level.)
    implied = pl.when(pl.col("level") == STOP).then(pl.lit(BLOCK)).otherwise(pl.lit(NO_EFFECT))
    return found.with_columns(effect=pl.coalesce("effect", implied)).select(*FINDINGS)


def findings_as_dicts(findings: pl.DataFrame) -> list[dict[str, Any]]:
    """Findings as the file has them, each with its key."""
    return findings.to_dicts()

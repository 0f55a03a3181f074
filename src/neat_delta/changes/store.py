"""The change set as a file: UTF-8 JSON Lines, a head and then a line for each item."""

from __future__ import annotations

import gzip
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import orjson
import polars as pl

from neat_delta.changes.changeset import (
    ADD,
    CELLS,
    CHANGE,
    FINDINGS,
    ITEMS,
    NONE,
    RECODE,
    REMOVE,
    Allowed,
    ChangeSet,
    FieldNote,
    Head,
    LeftOut,
    Stamp,
)
from neat_delta.errors import CannotWrite, Unreadable
from neat_delta.matching import JOINT
from neat_delta.reading import fetch
from neat_delta.whole import write_whole

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.remote import Where

FORMAT = 1


def dump_changes(changes: ChangeSet) -> bytes:
    """The change set's file form."""
    head = orjson.dumps(head_as_dict(changes.head)) + b"\n"
    lines = _item_lines(changes)
    return head + (lines.str.join("\n").item() + "\n").encode() if len(lines) else head


def head_as_dict(head: Head) -> dict[str, Any]:
    """The head as the first line of the file has it."""
    return {
        "neat_delta": FORMAT,
        "made": head.made,
        "key": list(head.key),
        "live": asdict(head.live),
        "edited": asdict(head.edited),
        "fields": {
            name: {key: value for key, value in asdict(note).items() if value is not None}
            for name, note in head.fields.items()
        },
        "counts": head.counts,
        **({"allowed": head.allowed.as_dict()} if head.allowed.as_dict() else {}),
        **({"left_out": [asdict(left) for left in head.left_out]} if head.left_out else {}),
    }


def save_changes(changes: ChangeSet, path: Path, inputs: Sequence[Where] = ()) -> None:
    """Keep a change set as a file, compressed if its name ends in ``.gz``; the old one is replaced in one move.

    Raises:
        CannotWrite: the file is one of the inputs, or something else than a change set stands there.
    """
    if path.exists() and any(isinstance(source, Path) and path.samefile(source) for source in inputs):
        raise CannotWrite("this is one of the files compared", file=path, remedy="Give the change set another name.")
    if path.exists() and not _is_change_set(path):
        raise CannotWrite(
            "another file, no change set, has this name",
            file=path,
            remedy="Give the change set another name.",
        )
    data = dump_changes(changes)
    if path.suffix == ".gz":
        data = gzip.compress(data, mtime=0)
    write_whole(path, data)


def _is_change_set(path: Path) -> bool:
    try:
        start = fetch(path).inner[:64]
    except Unreadable:
        return False
    return start.startswith(b'{"neat_delta":') or not start


def load_changes(path: Where) -> ChangeSet:
    """Read a change set file, also one that is compressed with gzip.

    Raises:
        Unreadable: it is no change set, of a later format, or damaged; with the line.
    """
    return parse_changes(fetch(path).inner, path)


def parse_changes(data: bytes, path: Where) -> ChangeSet:
    """The change set that a file holds; ``path`` is for messages.

    Raises:
        Unreadable: it is no change set, of a later format, or damaged; with the line.
    """
    first, _, rest = data.partition(b"\n")
    head = _head(first, path)
    shape = _item_shape(head)
    lines = pl.read_lines(rest, name="item").to_series() if rest else pl.Series(dtype=pl.String)
    try:
        rows = lines.str.json_decode(shape).struct.unnest().with_row_index("at")
    except pl.exceptions.PolarsError as error:
        raise _first_broken(lines, path) from error
    rows = rows.with_columns(key=pl.col("key").list.join(JOINT), to=pl.col("to").list.join(JOINT))
    _check_items(rows, head, path)
    return ChangeSet(head, _items(rows), _cells(rows, head), _findings(rows))


def _head(line: bytes, path: Where) -> Head:
    try:
        told = orjson.loads(line)
        version = told["neat_delta"]
        if version != FORMAT:
            raise Unreadable(
                f"this change set has format {version}, and this program knows format {FORMAT}",
                file=path,
                line=1,
                remedy="Use the release that made it, or compare again.",
            )
        return Head(
            key=tuple(told["key"]),
            live=Stamp(**told["live"]),
            edited=Stamp(**told["edited"]),
            fields={name: FieldNote(**note) for name, note in told["fields"].items()},
            counts=told["counts"],
            made=told["made"],
            allowed=Allowed(**{option: tuple(names) for option, names in told.get("allowed", {}).items()}),
            left_out=tuple(
                LeftOut(**left | {"comments": tuple(left["comments"])}) for left in told.get("left_out", ())
            ),
        )
    except (orjson.JSONDecodeError, KeyError, TypeError, AttributeError) as error:
        raise Unreadable(
            "this is not a change set",
            file=path,
            line=1,
            remedy="Make one with: neat-delta compare … --out FILE",
        ) from error


def _item_shape(head: Head) -> pl.Struct:
    cell = pl.Struct({"was": pl.String, "now": pl.String})
    finding = pl.Struct({name: dtype for name, dtype in FINDINGS.items() if name != "key"})
    # A change set without changes has no fields, but a struct needs one.
    cells = pl.Struct(dict.fromkeys(head.fields or ["none"], cell))
    return pl.Struct(
        {
            "key": pl.List(pl.String),
            "do": pl.String,
            "line": pl.UInt32,
            "name": pl.String,
            "to": pl.List(pl.String),
            "cells": cells,
            "findings": pl.List(finding),
        }
    )


def _first_broken(lines: pl.Series, path: Where) -> Unreadable:
    for number, line in enumerate(lines, start=2):
        try:
            orjson.loads(line)
        except orjson.JSONDecodeError:
            return Unreadable("this line is no JSON object, the file is damaged or cut off", file=path, line=number)
    return Unreadable("the items do not have the form of a change set", file=path)


def _check_items(rows: pl.DataFrame, head: Head, path: Where) -> None:
    known = pl.col("do").is_in([CHANGE, ADD, REMOVE, RECODE, NONE])
    unknown = rows.filter(~known | pl.col("do").is_null() | ((pl.col("do") == RECODE) != pl.col("to").is_not_null()))
    if len(unknown):
        at, do = unknown.row(0, named=True)["at"], unknown["do"][0]
        raise Unreadable(
            "this item asks for something that this program does not know",
            file=path,
            line=at + 2,
            value=do or "",
            column="do",
        )
    repeated = rows.drop_nulls("key").filter(pl.col("key").is_duplicated())
    if len(repeated):
        raise Unreadable(
            "this item stands in the change set twice",
            file=path,
            line=repeated["at"][1] + 2,
            value=repeated["key"][1].replace(JOINT, " · "),
        )
    # What follows a code change stands in no row of anybody's sheet.
    changed = rows.filter(pl.col("do").is_in([CHANGE, RECODE]) & pl.col("line").is_not_null())
    if len(changed) != head.counts.get("changed"):
        raise Unreadable(
            f"the head counts {head.counts.get('changed')} changed items, the file has {len(changed)}",
            file=path,
            remedy="The file is cut off or was changed by hand; make it again.",
        )


def _items(rows: pl.DataFrame) -> pl.DataFrame:
    return rows.drop_nulls("key").select(*ITEMS)


def _cells(rows: pl.DataFrame, head: Head) -> pl.DataFrame:
    per_field = [
        rows.filter(pl.col("do") != NONE).select(
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
    said = rows.select("key", "findings").drop_nulls("findings").explode("findings")
    return said.unnest("findings").select(*FINDINGS)


def _item_lines(changes: ChangeSet) -> pl.Series:
    """One JSON text per item, then one per row that belongs to no item."""
    # Whole columns are turned to JSON at once; only the objects with changing names are put together as text.
    cell = pl.format("{}:{}", as_json(pl.col("field")), pl.struct("was", "now").struct.json_encode())
    cells = changes.cells.group_by("key", maintain_order=True).agg(cells=cell.str.join(","))
    finding = pl.struct(name for name in FINDINGS if name != "key").struct.json_encode()
    said = changes.findings.select("key", "line", finding=finding)
    findings = said.group_by("key", maintain_order=True).agg(findings=pl.col("finding").str.join(","))
    items = changes.items.join(cells, on="key", how="left", maintain_order="left")
    items = items.join(findings, on="key", how="left", maintain_order="left")
    homeless = said.filter(pl.col("key").is_null()).select(
        pl.lit(None, pl.String).alias("key"),
        pl.lit("none").alias("do"),
        "line",
        pl.lit(None, pl.String).alias("name"),
        pl.lit(None, pl.String).alias("to"),
        pl.lit(None, pl.String).alias("cells"),
        pl.col("finding").alias("findings"),
    )
    return pl.concat([items, homeless]).select(_line()).to_series()


def _line() -> pl.Expr:
    """An item's line from its columns; what is null is left out, but for the key."""
    return pl.concat_str(
        pl.lit('{"key":') + as_json(pl.col("key").str.split(JOINT)),
        pl.lit(',"do":') + as_json(pl.col("do")),
        pl.when(pl.col("to").is_null())
        .then(pl.lit(""))
        .otherwise(pl.lit(',"to":') + as_json(pl.col("to").str.split(JOINT))),
        _unless_null(',"line":', pl.col("line").cast(pl.String)),
        pl.when(pl.col("name").is_null()).then(pl.lit("")).otherwise(pl.lit(',"name":') + as_json(pl.col("name"))),
        _unless_null(',"cells":{', pl.col("cells"), "}"),
        _unless_null(',"findings":[', pl.col("findings"), "]"),
        pl.lit("}"),
    )


def _unless_null(before: str, value: pl.Expr, after: str = "") -> pl.Expr:
    return pl.when(value.is_null()).then(pl.lit("")).otherwise(pl.lit(before) + value + pl.lit(after))


def as_json(value: pl.Expr) -> pl.Expr:
    """A column's values as JSON texts: wrapped into an object, encoded, and unwrapped."""
    return pl.struct(value.alias("v")).struct.json_encode().str.strip_prefix('{"v":').str.strip_suffix("}")

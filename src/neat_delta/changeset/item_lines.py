"""The lines of a change set's file: a JSON text for each item, made from whole columns at once."""

from __future__ import annotations

from typing import TYPE_CHECKING

import orjson
import polars as pl

from neat_delta.changeset.changeset import CHANGED, NEW
from neat_delta.changeset.findings import FINDINGS
from neat_delta.changeset.schemas import ADD, CHANGE, NONE, RECODE
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.matching.positions import positions_of

if TYPE_CHECKING:
    import io

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.changeset.head import Head

# What is between two pieces of the text, by what they are: the beginnings of items, their cells, their findings.
HEAD, CELL, FINDING = range(3)
BETWEEN = {
    (HEAD, HEAD): "}\n",
    (CELL, HEAD): "}}\n",
    (FINDING, HEAD): "]}\n",
    (HEAD, CELL): ',"cells":{',
    (CELL, CELL): ",",
    (HEAD, FINDING): ',"findings":[',
    (CELL, FINDING): '},"findings":[',
    (FINDING, FINDING): ",",
}


def write_lines(changes: ChangeSet, stream: io.BytesIO) -> None:
    """One JSON text per item, then one per row that belongs to no item, each on its line."""
    # Whole columns are turned to JSON at once, and put into order; only what is between them is ours.
    nowhere = changes.findings.filter(pl.col("key").is_null()).select("line", action=pl.lit(NONE))
    items = pl.concat([changes.items, nowhere], how="diagonal")
    heads, cells, findings = pl.collect_all(
        [
            items.lazy().select(text=_head_of_item(changes.head)),
            changes.cells.lazy().select(text=_cell(changes)),
            changes.findings.lazy().select("key", "line", text=_finding()),
        ]
    )
    homeless = findings.filter(pl.col("key").is_null())
    at_home = findings.drop_nulls("key")
    keys = changes.items["key"]
    beyond = pl.int_range(len(keys), len(heads), dtype=pl.UInt32, eager=True)
    pieces = (
        (heads["text"], pl.int_range(len(heads), dtype=pl.UInt32, eager=True), HEAD),
        (cells["text"], changes.item_of_cell, CELL),
        (at_home["text"], positions_of(keys, at_home["key"]), FINDING),
        (homeless["text"], beyond, FINDING),
    )
    ordered = (
        pl.concat(
            pl.DataFrame([text.alias("text"), item.alias("item")]).with_columns(part=pl.lit(part, pl.UInt8))
            for text, item, part in pieces
        )
        .drop_nulls("item")
        .sort("item", maintain_order=True)
    )
    if ordered.is_empty():
        return
    between = pl.Series([BETWEEN.get((before, part)) for before in range(3) for part in range(3)])
    joint = between.gather(ordered["part"].shift(fill_value=0) * 3 + ordered["part"])
    joint = pl.concat([pl.Series([""]), joint[1:]])  # nothing is in front of the first
    ordered.select(pl.concat_str(joint.alias("joint"), "text")).write_csv(
        stream, include_header=False, quote_style="never", line_terminator=""
    )
    stream.write(BETWEEN[ordered["part"][-1], HEAD].encode())


def _head_of_item(head: Head) -> pl.Expr:
    """An item's beginning from its columns; what is null is left out, but for the key."""
    values = pl.when(pl.col("row_state").ne_missing(implied_state())).then("row_state")
    return pl.concat_str(
        pl.lit('{"key":') + _key_as_json(pl.col("key"), head),
        pl.lit(',"action":"') + pl.col("action") + pl.lit('"'),
        _unless_null(',"row_state":"', values, values + pl.lit('"')),
        _unless_null(',"new_key":', pl.col("new_key"), _key_as_json(pl.col("new_key"), head)),
        _unless_null(',"line":', pl.col("line"), pl.col("line").cast(pl.String)),
        _unless_null(',"name":', pl.col("name"), as_json(pl.col("name"))),
    )


def _key_as_json(key: pl.Expr, head: Head) -> pl.Expr:
    if len(head.key) > 1:
        return as_json(key.str.split(KEY_SEPARATOR))
    return pl.when(key.is_null()).then(pl.lit("null")).otherwise(pl.lit("[") + as_json(key) + pl.lit("]"))


def _cell(changes: ChangeSet) -> pl.Expr:
    names = {name: orjson.dumps(name).decode() for name in changes.cells["field"].unique()}
    field = pl.col("field").replace_strict(names, return_dtype=pl.String)
    return pl.format("{}:{}", field, pl.struct("was", "now").struct.json_encode())


def _finding() -> pl.Expr:
    return pl.struct(pl.col(name) for name in FINDINGS if name != "key").struct.json_encode()


def _unless_null(before: str, value: pl.Expr, text: pl.Expr) -> pl.Expr:
    return pl.when(value.is_null()).then(pl.lit("")).otherwise(pl.lit(before) + text)


def as_json(value: pl.Expr) -> pl.Expr:
    """A column's values as JSON texts: wrapped into an object, encoded, and unwrapped."""
    return pl.struct(value.alias("v")).struct.json_encode().str.strip_prefix('{"v":').str.strip_suffix("}")


def implied_state() -> pl.Expr:
    """The state of an item's row that need not be written, for its action and its line tell it."""
    changed = pl.when(pl.col("action").is_in([CHANGE, RECODE])).then(pl.lit(CHANGED))
    state = changed.when(pl.col("action") == ADD).then(pl.lit(NEW))
    return pl.when(pl.col("line").is_not_null()).then(state)

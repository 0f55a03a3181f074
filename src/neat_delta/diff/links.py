"""What names an item by its key follows when the item gets another one: links of other items, names of images."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import with_items, with_values, without_cells
from neat_delta.changeset.findings import BLOCK
from neat_delta.changeset.schemas import CHANGE, NONE
from neat_delta.diff.cell_diff import ComparisonRules, compare_cells
from neat_delta.matching import KEY_SEPARATOR, Key
from neat_delta.matching.matched_tables import describe_rows
from neat_delta.matching.positions import positions_of
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.tables.type_inference import are_links, code_separator, split_values

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.matching.context import Context
    from neat_delta.tables import Table


def with_links_followed(changes: ChangeSet, context: Context, *, from_sheet: bool = False) -> ChangeSet:
    """The change set with the links of all live items to those that it gives other keys, in an edited file or not.

    A link that somebody typed stands as it is, unless nobody has that key any more; a cell that is held back stays so.
    ``from_sheet``: the changed cells are as a person left them, so what was in one before has not followed yet.
    """
    live, to = context.live, changes.new_keys()
    if not to:
        return changes
    changes = _with_typed_links(changes, context, to, from_sheet=from_sheet)
    table = dependents(context, to, images=False)
    names = [name for name in table.names if name not in context.key.fields]
    rows = positions_of(context.key.values(live), context.key.values(table))
    pairs = pl.DataFrame({"live": rows, "edited": pl.int_range(len(table), dtype=pl.UInt32, eager=True)})
    rules = {name: context.configured(name) for name in names}
    diff = compare_cells(live, table, pairs, names, ComparisonRules(rules, frozenset()))
    cells = diff.cells.with_columns(key=context.key.values(table).gather(diff.cells["pair"])).drop("pair")
    # (An item that leaves has each of its filled fields there.)
    cells = cells.join(changes.cells, on=["key", "field"], how="anti", maintain_order="left")
    held = changes.findings.filter(effect=BLOCK)
    cells = cells.join(held.select("key", "field"), on=["key", "field"], how="anti", maintain_order="left")
    if cells.is_empty():
        return changes
    touched = cells.select("key").unique(maintain_order=True)
    idle = changes.items.filter(action=NONE).join(touched, on="key", how="semi", maintain_order="left")
    more = touched.join(changes.items, on="key", how="anti", maintain_order="left")
    described = describe_rows(live, context.key, positions_of(context.key.values(live), more["key"]))
    described = described.with_columns(pl.lit(None, pl.UInt32).alias("line"))
    items = pl.concat([idle, described], how="diagonal").with_columns(action=pl.lit(CHANGE))
    head = replace(changes.head, fields=diff.notes | changes.head.fields)
    order = context.key.values(live)
    return with_items(changes, items, cells.select(*changes.cells.columns), order, head)


def following_links(changes: ChangeSet, context: Context) -> pl.DataFrame:
    """The cells that only follow other keys, and that nobody typed (key, field, was, now)."""
    to = changes.new_keys()
    links = [changes.cells.clear()]
    for name, separator in _link_fields(context) if to else ():
        cells = changes.cells.filter(field=name)
        links.append(cells.filter(rewrite_references(cells["was"].fill_null(""), to, separator) == cells["now"]))
    return pl.concat(links)


def without_moved_links(changes: ChangeSet, context: Context) -> ChangeSet:
    """The change set without links that only follow other keys, where the shop has changed them since.

    Nobody typed these, so there is nothing to decide: what the shop has now follows.
    """
    codes, moved = context.key.values(context.live), [changes.cells.select("key", "field").clear()]
    for (name,), cells in following_links(changes, context).partition_by("field", as_dict=True).items():
        now = context.live.cells([str(name)])[str(name)].gather(positions_of(codes, cells["key"]))
        hit = (now != cells["was"].fill_null("")) & (now != cells["now"])
        moved.append(cells.filter(hit.fill_null(value=False)).select("key", "field"))
    return without_cells(changes, pl.concat(moved))


def _with_typed_links(changes: ChangeSet, context: Context, to: Mapping[str, str], *, from_sheet: bool) -> ChangeSet:
    """Typed links: what was in the cell before follows, and so does a key that nobody has any more."""
    left = context.key.values(context.live).filter(~context.key.values(context.live).is_in(list(to)))
    in_use = {*left, *to.values()}
    values = []
    for name, separator in _link_fields(context):
        typed = changes.cells.filter(pl.col("field") == name, pl.col("now").is_not_null())
        for key, was, now in typed.select("key", "was", "now").iter_rows():
            before = {part.strip() for part in _parts(was or "", separator)} if from_sheet else set()
            parts = [(part, part.strip()) for part in _parts(now, separator)]
            follows = [one in to and (one in before or one not in in_use) for _, one in parts]
            new = [to[one] if follow else part for (part, one), follow in zip(parts, follows, strict=True)]
            if any(follows):
                values.append({"key": key, "field": name, "now": (separator or "").join(new)})
    return with_values(changes, pl.DataFrame(values)) if values else changes


def _parts(cell: str, separator: str | None) -> list[str]:
    return cell.split(separator) if separator else [cell]


def _link_fields(context: Context) -> list[tuple[str, str | None]]:
    """The fields of the live export that link to items, with what parts several links in a cell."""
    live, key, fields = context.live, context.key, []
    for name in live.names:
        cells = live.cells([name])[name]
        kind = context.type_of(name).name
        separator = context.configured(name).separator or code_separator(cells)
        is_link = kind == "item link" or (kind == "code" and holds_keys(cells, key.values(live), separator))
        if is_link and name not in key.fields:
            fields.append((name, separator))
    return fields


def dependents(context: Context, to: Mapping[str, str], *, images: bool) -> Table:
    """The live items of which a field follows a code change, with that field as it then is."""
    live, key = context.live, context.key
    columns: dict[str, pl.Series] = {}
    rows = pl.repeat(False, len(live), dtype=pl.Boolean, eager=True)
    links = dict(_link_fields(context))
    for name in live.names:
        if name not in links and not (images and context.type_of(name).name == "image" and name not in key.fields):
            continue
        cells = live.cells([name])[name]
        is_link = name in links
        now = rewrite_references(cells, to, links[name]) if is_link else _renamed(live, key, cells, to)
        differ = (now != cells).fill_null(value=False)
        if differ.any():
            columns[name], rows = now, rows | differ
    at = rows.arg_true().cast(pl.UInt32)
    frame = live.cells(key.fields, at).with_columns(now.gather(at).alias(name) for name, now in columns.items())
    fields = tuple(field for field in live.fields if field.name in frame.columns)
    return replace(
        live,
        rows=FrameRows(live.rows.line.gather(at), frame),
        fields=fields,
        unreadable_rows=live.unreadable_rows.clear(),
        non_data_rows=live.non_data_rows.clear(),
    )


def holds_keys(cells: pl.Series, keys: pl.Series, separator: str | None) -> bool:
    """Whether a column of codes links to other items, whatever it is called: nearly all of its values are their keys.

    A column that repeats the item's own key, such as a number of the maker, does not.
    """
    filled = cells.str.strip_chars() != ""
    if int((cells == keys).sum()) * 2 > int(filled.sum()):
        return False
    return are_links(split_values(cells.filter(filled), separator), keys)


def _renamed(live: Table, key: Key, cells: pl.Series, to: Mapping[str, str]) -> pl.Series:
    """Picture names with the new code of their own item in place of the old one, where that is by itself."""
    codes = key.values(live)
    rows = codes.is_in(list(to)).arg_true()
    renamed = [_with_code(cells[at], codes[at], to[codes[at]]) for at in rows]
    return cells.clone().scatter(rows, pl.Series(renamed, dtype=pl.String))


def _with_code(cell: str, old: str, new: str) -> str:
    if KEY_SEPARATOR in new or not old:
        return cell
    # Letters and digits around it would make it a part of another code.
    alone = rf"(?<![^\W_]){re.escape(old)}(?![^\W_])"
    return re.sub(alone, lambda _: new, cell, flags=re.IGNORECASE)


def rewrite_references(cells: pl.Series, to: Mapping[str, str], separator: str | None) -> pl.Series:
    """Cells that name items by their codes, with the new codes."""
    if separator is None:
        return cells.replace(dict(to))
    single = pl.element().str.strip_chars()
    changed = cells.str.split(separator).list.eval(single.is_in(list(to)).any()).list.first().fill_null(value=False)
    new = cells.str.split(separator).list.eval(single.replace(dict(to))).list.join(separator)
    return pl.select(pl.when(changed).then(new).otherwise(cells)).to_series()

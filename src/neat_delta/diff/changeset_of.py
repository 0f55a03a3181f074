"""From compared cells to a change set: items, row states, counts, and items that only a finding names."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.changeset.changeset import CELLS, EXCLUDED, MISSING, STATES, ChangeSet, build
from neat_delta.changeset.findings import BLOCK, FINDINGS
from neat_delta.changeset.head import FieldInfo, Head, file_ref
from neat_delta.changeset.schemas import ADD, CHANGE, NONE
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.matching.matched_tables import MatchedTables, describe_rows
from neat_delta.matching.positions import positions_of
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from neat_delta.diff.cell_diff import CellDiff
    from neat_delta.matching import Key, RowMatches
    from neat_delta.tables import Table


def changeset_of(
    tables: MatchedTables,
    pairs: pl.DataFrame,
    diff: CellDiff,
    row_findings: pl.DataFrame,
    states: pl.DataFrame,
    excluded: int,
) -> ChangeSet:
    """The change set of compared rows.

    Args:
        tables: the matched tables.
        pairs: the compared rows (live, edited); those without a live row are to be added.
        diff: what differs in them.
        row_findings: findings about whole rows.
        states: the state of every edited row that was looked at (edited, state).
        excluded: how many rows belong to items that were not chosen.
    """
    pairs = _acting_pairs(tables, pairs, diff)
    order = {name: at for at, name in enumerate(tables.live.names)}
    cells = (
        diff.cells.join(pairs.filter(pl.col("action") != NONE).select("pair", "key"), on="pair")
        .sort("pair", pl.col("field").replace_strict(order, return_dtype=pl.UInt32))
        .select(*CELLS)
    )
    in_cells = diff.findings.drop("key", "line").join(pairs.select("pair", "key", "line"), on="pair")
    findings = pl.concat([in_cells.sort("line").select(*FINDINGS), row_findings])
    items = pl.concat(
        [pairs.drop("pair", "live", "edited"), _items_of_findings(findings, pairs["key"], tables)], how="diagonal"
    )
    items = _with_row_states(items, tables, states)
    head = Head(
        key=tables.key.fields,
        live=file_ref(tables.live, tables.live.rows_read),
        edited=file_ref(tables.edited, tables.edited.rows_read + excluded),
        fields=_field_infos(tables.live, tables.key, diff),
        other_rows=_other_rows(tables, states, items, excluded),
    )
    _insist_on_whole_keys(items, tables)
    return build(head, items, cells, findings)


def _insist_on_whole_keys(items: pl.DataFrame, tables: MatchedTables) -> None:
    """Refuse a key with the sign in it by which parts of keys are held together here (U+001F, unit separator).

    Raises:
        InvalidInput: an item that changes has such a key.
    """
    parts = items["key"].str.count_matches(KEY_SEPARATOR, literal=True) + 1
    wrong = items.filter(parts != len(tables.key.fields))
    if len(wrong):
        raise InvalidInput(
            "this SKU has a control character (U+001F) in it",
            file=tables.edited.source.path,
            line=wrong["line"][0],
            column=tables.key.fields[0],
            value=wrong["key"][0],
            hint="Remove it in the shop, then export again.",
        )


def _acting_pairs(tables: MatchedTables, pairs: pl.DataFrame, diff: CellDiff) -> pl.DataFrame:
    """The pairs with something to change, to add or to tell (pair, live, edited, key, name, line, action)."""
    pairs = pairs.with_row_index("pair")
    touched = pl.concat([diff.cells["pair"], diff.findings["pair"]]).unique()
    pairs = pairs.filter(pl.col("pair").is_in(touched.implode()) | pl.col("live").is_null())
    in_shop, added = pairs.drop_nulls("live"), pairs.filter(pl.col("live").is_null())
    named = pl.concat(
        [
            describe_rows(tables.live, tables.key, in_shop["live"]),
            describe_rows(tables.edited, tables.key, added["edited"]),
        ]
    )
    pairs = pairs.with_columns(named["key"], named["name"], line=tables.edited_lines(pairs["edited"]))
    refused = diff.findings.filter(effect=BLOCK)["pair"].unique().implode()
    return pairs.with_columns(
        action=pl.when(pl.col("live").is_null() & ~pl.col("pair").is_in(refused))
        .then(pl.lit(ADD))
        .when(pl.col("live").is_not_null() & pl.col("pair").is_in(diff.cells["pair"].unique().implode()))
        .then(pl.lit(CHANGE))
        .otherwise(pl.lit(NONE))
    )


def items_of_findings(
    findings: pl.DataFrame, keys: pl.Series, tables: MatchedTables, states: pl.DataFrame
) -> pl.DataFrame:
    """Items that only findings name, and that are not among the known keys; each with the state of its row."""
    return _with_row_states(_items_of_findings(findings, keys, tables), tables, states)


def _items_of_findings(findings: pl.DataFrame, keys: pl.Series, tables: MatchedTables) -> pl.DataFrame:
    keyed = findings.drop_nulls("key")
    only = keyed.filter(positions_of(keys, keyed["key"]).is_null()).unique("key", maintain_order=True)
    if only.is_empty():
        return only.select("key", "line", name=pl.lit(None, pl.String), action=pl.lit(NONE))
    names = [
        describe_rows(table, tables.key, _rows_of(table, tables.key, only))
        .select("key", "name")
        .unique("key", keep="first")
        for table in (tables.live, tables.edited)
    ]
    named = pl.concat(names).unique("key", keep="first", maintain_order=True)
    items = only.select("key", "line").join(named, on="key", how="left", maintain_order="left")
    return items.with_columns(action=pl.lit(NONE))


def _with_row_states(items: pl.DataFrame, tables: MatchedTables, states: pl.DataFrame) -> pl.DataFrame:
    """The items with the states of the rows on their lines; two items on one line have it once."""
    by_line = states.select(line=tables.edited_lines(states["edited"]), row_state="state").unique("line", keep="first")
    items = items.join(by_line, on="line", how="left", maintain_order="left")
    first = pl.col("line").is_first_distinct()
    return items.with_columns(row_state=pl.when(first).then("row_state"))


def _rows_of(table: Table, key: Key, asked: pl.DataFrame) -> pl.Series:
    """The rows whose key is among the wanted ones."""
    return pl.DataFrame({"key": key.values(table)}).with_row_index("at").join(asked, on="key", how="semi")["at"]


def row_states(matches: RowMatches, pairs: pl.DataFrame, diff: CellDiff, rekeyed: pl.Series) -> pl.DataFrame:
    """The state of every edited row that was looked at (edited, state); each row has one."""
    pairs = pairs.with_row_index("pair")
    changed, refused = diff.cells["pair"].unique(), diff.findings.filter(effect=BLOCK)["pair"].unique()
    is_refused, is_changed = (pl.col("pair").is_in(rows.implode()) for rows in (refused, changed))
    state = (
        # A new item is sent whole or not at all.
        pl.when(pl.col("live").is_null() & ~is_refused)
        .then(pl.lit("new"))
        .when(pl.col("live").is_not_null() & (is_changed | pl.col("edited").is_in(rekeyed.implode())))
        .then(pl.lit("changed"))
        .when(is_refused)
        .then(pl.lit("rejected"))
        .otherwise(pl.lit("unchanged"))
    )
    paired = pairs.select("edited", state=state)
    others = {
        "new": [matches.new.filter(~matches.new.is_in(pairs["edited"].implode()))],
        "duplicate": [matches.exact_duplicates, matches.conflicting_duplicates["edited"]],
        "unreadable": [matches.missing_key],
        "rejected": [matches.ambiguous["edited"]],
    }
    others_frames = [
        pl.DataFrame({"edited": rows}).with_columns(state=pl.lit(name))
        for name, series in others.items()
        for rows in series
    ]
    return pl.concat([paired, *others_frames])


def _other_rows(tables: MatchedTables, states: pl.DataFrame, items: pl.DataFrame, excluded: int) -> dict[str, int]:
    """By state the rows that no item stands for, which with those of items add up to the rows read; missing items."""
    counted = dict(states.group_by("state").len().iter_rows())
    counted["unchanged"] = counted.get("unchanged", 0) + len(tables.rows.identical)
    counted["unreadable"] = counted.get("unreadable", 0) + len(tables.edited.unreadable_rows)
    of_items = dict(items["row_state"].drop_nulls().value_counts().iter_rows())
    other = {state: counted.get(state, 0) - of_items.get(state, 0) for state in STATES}
    return other | ({EXCLUDED: excluded} if excluded else {}) | {MISSING: len(tables.rows.missing)}


def _field_infos(live: Table, key: Key, diff: CellDiff) -> dict[str, FieldInfo]:
    """What later commands must know: the fields that change, the key, and every field with a name of its own.

    So a kept change set finds its columns in the live export without the settings it was made with.
    """
    infos = {}
    for name, column in ((field.name, field.column) for field in live.fields):
        if name in diff.notes:
            infos[name] = diff.notes[name]
        elif name in key.fields or name != field_name(column):
            infos[name] = FieldInfo(column, "code" if name in key.fields else "text")
    return infos

"""Findings about whole rows: what cannot be read, is twice, or has no item to go to."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import as_data, findings_frame, no_findings
from neat_delta.changeset.problems import (
    DAMAGED_SKU,
    DUPLICATE_ROW,
    DUPLICATE_SHOP_SKU,
    DUPLICATE_SKU,
    LIKELY_SKU_CHANGE,
    NEW_ITEM,
    NO_SKU,
    NOT_DATA,
    REPAIRED_SKU,
    SEVERAL_ITEMS,
    SHOP_ITEM_WITHOUT_SKU,
    TWO_ITEMS,
    UNKNOWN_SKU,
    UNREADABLE_ROW,
    UNREADABLE_SHOP_ROW,
)
from neat_delta.matching.key_repair import taken_for_another
from neat_delta.tables.line_names import lines_as_text, word_before

if TYPE_CHECKING:
    from neat_delta.matching import Key
    from neat_delta.matching.matched_tables import MatchedTables
    from neat_delta.tables import Table

LONGEST_VALUE = 200
MOST_CANDIDATES = 5


def row_findings(
    tables: MatchedTables, damaged: pl.DataFrame, suggestions: pl.DataFrame, *, added: bool = False
) -> pl.DataFrame:
    """Everything that keeps a row out, or that a person should know of it.

    Args:
        tables: the matched tables.
        damaged: new rows whose key is a damaged one (edited, live).
        suggestions: the items that new rows may be (key, item, name, likeness).
        added: whether new rows become items.
    """
    live, edited = tables.live, tables.edited
    return pl.concat(
        [
            no_findings(),
            unreadable_rows(edited),
            no_data(edited),
            no_data(live, f"{live.source.name}: "),
            _without_key(tables),
            _conflicting_duplicates(tables),
            _exact_duplicates(tables),
            _ambiguous(tables),
            _likely_damaged(tables, damaged),
            _new(tables, suggestions, added=added),
            _live_unreadable(live),
            _live_without_key(tables),
            _live_duplicates(tables),
        ]
    )


def unreadable_rows(edited: Table) -> pl.DataFrame:
    """Rows that cannot be read, each with the reason."""
    bad = edited.unreadable_rows
    return findings_frame(
        UNREADABLE_ROW,
        line=bad["line"],
        value=bad["raw"].str.slice(0, LONGEST_VALUE),
        message=bad["message"] + "; correct this row",
        data=as_data(bad.select(row=pl.col("raw").str.slice(0, LONGEST_VALUE))),
    )


def no_data(table: Table, whose: str = "") -> pl.DataFrame:
    """Rows that were set apart as no data: sums, footers, repeated header."""
    differing = table.non_data_rows
    return findings_frame(
        NOT_DATA,
        line=differing["line"],
        value=differing["raw"].str.slice(0, LONGEST_VALUE),
        message=whose + differing["message"],
    )


def _without_key(tables: MatchedTables) -> pl.DataFrame:
    return findings_frame(
        NO_SKU,
        line=tables.edited_lines(tables.rows.missing_key),
        field=tables.key.fields[0],
        message=_all(f"the row has no {' and '.join(tables.key.fields)}", tables.rows.missing_key),
    )


def _conflicting_duplicates(tables: MatchedTables) -> pl.DataFrame:
    """One finding for each row and field in which rows of one code disagree, so that they can be laid side by side."""
    rivals, fields = tables.rows.conflicting_duplicates, [*tables.columns.shared, *tables.columns.append_remove_columns]
    if rivals.is_empty():
        return no_findings()
    cells = tables.edited.cells([name for name in fields if name not in tables.key.fields], rivals["edited"])
    sheet = cells.with_columns(rivals["key"].alias("\x1fkey"), tables.edited_lines(rivals["edited"]).alias("\x1fline"))
    long = sheet.unpivot(index=["\x1fkey", "\x1fline"], variable_name="field", value_name="value")
    differing = long.filter(pl.col("value").n_unique().over("\x1fkey", "field") > 1).sort("\x1fkey", "\x1fline")
    parts = tables.edited.parts
    differing = differing.with_columns(lines_as_text(parts, differing["\x1fline"]).alias("\x1fplace"))
    lines = pl.col("\x1fplace").unique(maintain_order=True).implode().list.join(", ").over("\x1fkey")
    message = "same SKU with different values ({}{}). Keep one row"
    differing = differing.with_columns(message=pl.format(message, pl.lit(word_before(parts, "lines")), lines))
    return findings_frame(
        DUPLICATE_SKU,
        key=differing["\x1fkey"],
        field=differing["field"],
        line=differing["\x1fline"],
        value=differing["value"],
        message=differing["message"],
    )


def _exact_duplicates(tables: MatchedTables) -> pl.DataFrame:
    return findings_frame(
        DUPLICATE_ROW,
        key=tables.key.values(tables.edited, tables.rows.exact_duplicates),
        line=tables.edited_lines(tables.rows.exact_duplicates),
        message=_all("duplicate row (identical); used once", tables.rows.exact_duplicates),
    )


def _ambiguous(tables: MatchedTables) -> pl.DataFrame:
    parts = tables.live.parts
    lines_of = tables.live_lines(tables.rows.live_duplicates["live"])
    multiple = tables.rows.live_duplicates.with_columns(line=lines_as_text(parts, lines_of))
    lines = multiple.group_by("key").agg(pl.col("line").str.join(", "))
    rows = tables.rows.ambiguous.join(lines, on="key", how="left", maintain_order="left")
    place = f"several shop items have this SKU ({_in_file(tables.live, 'lines')}"
    return findings_frame(
        SEVERAL_ITEMS,
        key=rows["key"],
        line=tables.edited_lines(rows["edited"]),
        message=rows.select(pl.lit(place) + pl.col("line") + ")").to_series(),
    )


def _likely_damaged(tables: MatchedTables, rows: pl.DataFrame) -> pl.DataFrame:
    """New codes that may be what is left of gone items' (edited, live): an item would be there twice."""
    codes = pl.DataFrame({"edited": rows["edited"], "meant": tables.key.values(tables.live, rows["live"])})
    codes = codes.group_by("edited", maintain_order=True).agg("meant")
    few = pl.col("meant").list.head(MOST_CANDIDATES).list.join(" or ")
    more = pl.when(pl.col("meant").list.len() > MOST_CANDIDATES).then(pl.lit(" …")).otherwise(pl.lit(""))
    advice = "SKU not in the shop, but {}{} is missing from the file. Correct it"
    return findings_frame(
        DAMAGED_SKU,
        key=tables.key.values(tables.edited, codes["edited"]),
        line=tables.edited_lines(codes["edited"]),
        field=tables.key.fields[0],
        value=tables.key.values(tables.edited, codes["edited"]),
        message=codes.select(pl.format(advice, few, more)).to_series(),
        data=as_data(codes.select(may_be="meant")),
    )


def keys_turned_into_dates(tables: MatchedTables, rows: pl.Series, damaged: pl.DataFrame) -> pl.DataFrame:
    """Rows whose key has the shape of a date or a time, as no key of the shop has; some are known as ``damaged``."""
    rows = rows.filter(~rows.is_in(damaged["edited"].implode()))
    keys = tables.key.values(tables.edited, rows)
    message = "a spreadsheet program has turned this SKU into a date or a time. Set the column to text, and correct it"
    return findings_frame(
        DAMAGED_SKU,
        key=keys,
        line=tables.edited_lines(rows),
        field=tables.key.fields[0],
        value=keys,
        message=_all(message, rows),
    )


def keys_read_in_two_ways(tables: MatchedTables, rows: pl.DataFrame) -> pl.DataFrame:
    """New rows whose key was typed into a column that a spreadsheet program has changed (edited, meant)."""
    keys = tables.key.values(tables.edited, rows["edited"])
    message = "the SKUs have lost their form in a spreadsheet program: {}? Set the column to text, and type it again"
    return findings_frame(
        DAMAGED_SKU,
        key=keys,
        line=tables.edited_lines(rows["edited"]),
        field=tables.key.fields[0],
        value=keys,
        message=rows.select(pl.format(message, "meant")).to_series(),
    )


def _new(tables: MatchedTables, suggestions: pl.DataFrame, *, added: bool) -> pl.DataFrame:
    """New rows, with the items that they may be."""
    candidate = pl.format("{} {} ({} %)", "item", pl.col("name").fill_null(""), "likeness")
    candidates = suggestions.group_by("key", maintain_order=True).agg(may_be=candidate.str.join(", "))
    rows = pl.DataFrame(
        {"key": tables.key.values(tables.edited, tables.rows.new), "line": tables.edited_lines(tables.rows.new)}
    )
    rows = rows.join(candidates, on="key", how="left", maintain_order="left")
    status = "it is added as a new item" if added else "not sent"
    may_be = pl.lit("; it may be ") + pl.col("may_be")
    message = rows.select(pl.lit(f"SKU not in the shop; {status}") + may_be.fill_null("")).to_series()
    return findings_frame(NEW_ITEM, key=rows["key"], line=rows["line"], message=message)


def repaired_keys(live: Table, edited: Table, key: Key, pairs: pl.DataFrame) -> pl.DataFrame:
    """Rows that were given to the only item they can be (frame of edited, live), with their code as it was written."""
    codes = key.values(live, pairs["live"])
    return findings_frame(
        REPAIRED_SKU,
        key=codes,
        line=edited.rows.line.gather(pairs["edited"]),
        field=key.fields[0],
        value=key.values(edited, pairs["edited"]),
        message=_all("SKU repaired; only one item fits", codes),
    )


def likely_rekeys(tables: MatchedTables, pairs: pl.DataFrame) -> pl.DataFrame:
    """New rows that are likely gone items under another code (frame of edited, live, alike)."""
    codes = pl.DataFrame(
        {"old": tables.key.values(tables.live, pairs["live"]), "new": tables.key.values(tables.edited, pairs["edited"])}
    )
    message = pl.format(
        "probably {} with a new SKU ({} fields equal)",
        "old",
        pairs["alike"],
    )
    return findings_frame(
        LIKELY_SKU_CHANGE,
        key=codes["new"],
        line=tables.edited_lines(pairs["edited"]),
        field=tables.key.fields[0],
        value=codes["new"],
        message=codes.select(message).to_series(),
    )


def rows_of_two_items(tables: MatchedTables, identity: str | None) -> pl.DataFrame:
    """Rows that have the code of one item and the second identity of another: nobody can tell which they are."""
    if not identity or identity in tables.key.fields or not {identity} <= {*tables.live.names} & {*tables.edited.names}:
        return no_findings()
    pairs = tables.rows.pairs
    live, edited = (
        table.cells([identity], pairs[side])[identity].str.strip_chars()
        for side, table in (("live", tables.live), ("edited", tables.edited))
    )
    differing = (live != edited) & (live != "") & (edited != "")
    if not differing.any():
        return no_findings()
    whose = pl.DataFrame(
        {"id": tables.live.cells([identity])[identity].str.strip_chars(), "other": tables.key.values(tables.live)}
    )
    rows = pairs.filter(differing).with_columns(edited.filter(differing).alias("id"))
    rows = rows.join(whose.unique("id", keep="first"), on="id", how="inner", maintain_order="left")
    message = f"SKU of one item, {identity} of another ({{}}). Correct one of the two"
    return findings_frame(
        TWO_ITEMS,
        key=tables.key.values(tables.live, rows["live"]),
        line=tables.edited_lines(rows["edited"]),
        value=rows["id"],
        message=rows.select(pl.format(message, "other")).to_series(),
    )


def rows_taken_for_another(tables: MatchedTables) -> pl.DataFrame:
    """Rows that have the key of one item and the cells of another, whose key a spreadsheet program makes the same."""
    rows = taken_for_another(tables.live, tables.edited, tables.key, tables.rows, tables.plain_fields)
    meant = pl.DataFrame({"meant": tables.key.values(tables.live, rows["meant"])})
    advice = "the other cells are those of {}, which is missing from the file. Correct the SKU"
    return findings_frame(
        DAMAGED_SKU,
        key=tables.key.values(tables.live, rows["live"]),
        line=tables.edited_lines(rows["edited"]),
        value=tables.key.values(tables.live, rows["live"]),
        message=meant.select(pl.format(advice, "meant")).to_series(),
        data=as_data(meant.select(may_be=pl.concat_list("meant"))),
    )


def unknown_keys(codes: pl.Series) -> pl.DataFrame:
    """Codes that were asked for, and that neither file has."""
    return findings_frame(
        UNKNOWN_SKU, value=codes, message=_all("this SKU was selected, but is not in the shop", codes)
    )


def _live_unreadable(live: Table) -> pl.DataFrame:
    bad = live.unreadable_rows
    bad = bad.with_columns(place=lines_as_text(live.parts, bad["line"]))
    place = pl.format("{}{}: {}; this item was not compared", pl.lit(_in_file(live, "line")), "place", "message")
    return findings_frame(
        UNREADABLE_SHOP_ROW,
        value=bad["raw"].str.slice(0, LONGEST_VALUE),
        message=bad.select(place).to_series(),
    )


def _live_without_key(tables: MatchedTables) -> pl.DataFrame:
    live = tables.live
    lines = pl.DataFrame({"line": lines_as_text(live.parts, tables.live_lines(tables.rows.live_missing_key))})
    place = pl.format(
        "{}{}: the shop item has no {}", pl.lit(_in_file(live, "line")), "line", pl.lit(tables.key.fields[0])
    )
    return findings_frame(SHOP_ITEM_WITHOUT_SKU, message=lines.select(place).to_series())


def _live_duplicates(tables: MatchedTables) -> pl.DataFrame:
    lines_of = tables.live_lines(tables.rows.live_duplicates["live"])
    rows = tables.rows.live_duplicates.with_columns(line=lines_as_text(tables.live.parts, lines_of))
    groups = rows.group_by("key", maintain_order=True).agg(pl.col("line").str.join(", "))
    place = pl.format("{}{}: shop items with the same SKU", pl.lit(_in_file(tables.live, "lines")), "line")
    return findings_frame(DUPLICATE_SHOP_SKU, key=groups["key"], message=groups.select(place).to_series())


def _in_file(table: Table, word: str) -> str:
    """What stands before lines of a table: its name and the word; nothing where lines bring their file's name."""
    return "" if table.parts else f"{table.source.name}, {word_before(table.parts, word)}"


def _all(message: str, rows: pl.Series) -> pl.Series:
    return pl.repeat(message, len(rows), dtype=pl.String, eager=True)

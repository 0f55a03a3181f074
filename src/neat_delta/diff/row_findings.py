"""Findings about whole rows: what cannot be read, stands twice, or has no item to go to."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import findings_frame, no_findings

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.matching import Key, RowMatches
    from neat_delta.tables import Table

LONGEST_VALUE = 200
MOST_CANDIDATES = 5


def row_findings(
    live: Table,
    edited: Table,
    key: Key,
    shared: Sequence[str],
    pairing: RowMatches,
    damaged: pl.DataFrame,
    likely: pl.DataFrame,
    *,
    added: bool = False,
) -> pl.DataFrame:
    """Everything that keeps a row out, or that a person should know of it.

    ``damaged`` are new rows whose code is a damaged one (edited, live), ``likely`` the items that new rows may be (key,
    item, name, likeness); ``added`` says that new rows become items.
    """
    return pl.concat(
        [
            no_findings(),
            _other_origin(live, edited),
            unreadable_rows(edited),
            no_data(edited),
            no_data(live, f"{live.source.name}: "),
            _without_code(edited, key, pairing),
            _rivals(edited, key, shared, pairing.conflicting_duplicates),
            _twins(edited, key, pairing),
            _unclear(live, edited, key, pairing),
            _likely_damaged(live, edited, key, damaged, added=added),
            _new(edited, key, pairing, likely, added=added),
            _live_unreadable(live),
            _live_without_code(live, key, pairing),
            _live_repeated(live, key, pairing),
        ]
    )


def _lines(catalogue: Table, rows: pl.Series) -> pl.Series:
    return catalogue.rows.line.gather(rows)


def _other_origin(live: Table, edited: Table) -> pl.DataFrame:
    """A sheet that was made from another export would undo what the shop has changed since."""
    if edited.source_sha256 in (None, live.source.sha256):
        return no_findings()
    said = (
        f"{edited.source.name} was made from another export than {live.source.name}; what the shop changed between the "
        "two would be undone, so compare it with the export it was made from"
    )
    return findings_frame("other export", "warn", say=said)


def unreadable_rows(edited: Table) -> pl.DataFrame:
    """Rows that cannot be read, each with the reason."""
    bad = edited.unreadable_rows
    return findings_frame(
        "unreadable row",
        "stop",
        line=bad["line"],
        value=bad["raw"].str.slice(0, LONGEST_VALUE),
        say=bad["say"] + "; mend this row in the sheet",
    )


def no_data(catalogue: Table, whose: str = "") -> pl.DataFrame:
    """Rows that were set apart as no data: sums, footers, the header once more."""
    apart = catalogue.non_data_rows
    return findings_frame(
        "no data", "note", line=apart["line"], value=apart["raw"].str.slice(0, LONGEST_VALUE), say=whose + apart["say"]
    )


def _without_code(edited: Table, key: Key, pairing: RowMatches) -> pl.DataFrame:
    return findings_frame(
        "no code",
        "stop",
        line=_lines(edited, pairing.missing_key),
        field=key.fields[0],
        say=_all(f"the row has no {' and '.join(key.fields)}, so no item can be found for it", pairing.missing_key),
    )


def _rivals(edited: Table, key: Key, shared: Sequence[str], rivals: pl.DataFrame) -> pl.DataFrame:
    """One finding for each row and field in which rows of one code disagree, so that they can be laid side by side."""
    if rivals.is_empty():
        return no_findings()
    cells = edited.cells([name for name in shared if name not in key.fields], rivals["edited"])
    sheet = cells.with_columns(rivals["key"].alias("\x1fkey"), _lines(edited, rivals["edited"]).alias("\x1fline"))
    long = sheet.unpivot(index=["\x1fkey", "\x1fline"], variable_name="field", value_name="value")
    apart = long.filter(pl.col("value").n_unique().over("\x1fkey", "field") > 1).sort("\x1fkey", "\x1fline")
    lines = pl.col("\x1fline").unique().sort().cast(pl.String).implode().list.join(", ").over("\x1fkey")
    apart = apart.with_columns(say=pl.format("this code stands in lines {} with different values; keep one", lines))
    return findings_frame(
        "repeated code",
        "stop",
        key=apart["\x1fkey"],
        field=apart["field"],
        line=apart["\x1fline"],
        value=apart["value"],
        say=apart["say"],
    )


def _twins(edited: Table, key: Key, pairing: RowMatches) -> pl.DataFrame:
    return findings_frame(
        "repeated row",
        "note",
        key=key.values(edited, pairing.exact_duplicates),
        line=_lines(edited, pairing.exact_duplicates),
        say=_all("the row stands more than once, alike in every cell; it counts once", pairing.exact_duplicates),
    )


def _unclear(live: Table, edited: Table, key: Key, pairing: RowMatches) -> pl.DataFrame:
    several = pairing.live_duplicates.with_columns(line=_lines(live, pairing.live_duplicates["live"]).cast(pl.String))
    lines = several.group_by("key").agg(pl.col("line").str.join(", "))
    rows = pairing.ambiguous.join(lines, on="key", how="left", maintain_order="left")
    place = f"several live items have this code ({live.source.name}, lines "
    return findings_frame(
        "code on several items",
        "stop",
        key=rows["key"],
        line=_lines(edited, rows["edited"]),
        say=rows.select(pl.lit(place) + pl.col("line") + "); which is meant cannot be told").to_series(),
    )


def _likely_damaged(live: Table, edited: Table, key: Key, rows: pl.DataFrame, *, added: bool) -> pl.DataFrame:
    """New codes that may be what is left of gone items' (edited, live): an item would be there twice."""
    codes = pl.DataFrame({"edited": rows["edited"], "meant": key.values(live, rows["live"])})
    codes = codes.group_by("edited", maintain_order=True).agg("meant")
    few = pl.col("meant").list.head(MOST_CANDIDATES).list.join(" or ")
    more = pl.when(pl.col("meant").list.len() > MOST_CANDIDATES).then(pl.lit(" …")).otherwise(pl.lit(""))
    advice = (
        "no live item has this code, but {}{} is missing from the sheet; write the code just so, or say --rescue-codes"
    )
    return findings_frame(
        "damaged code",
        "stop" if added else "warn",
        key=key.values(edited, codes["edited"]),
        line=_lines(edited, codes["edited"]),
        field=key.fields[0],
        value=key.values(edited, codes["edited"]),
        say=codes.select(pl.format(advice, few, more)).to_series(),
    )


def _new(edited: Table, key: Key, pairing: RowMatches, likely: pl.DataFrame, *, added: bool) -> pl.DataFrame:
    """New rows, with the items that they may be."""
    candidate = pl.format("{} {} ({} %)", "item", pl.col("name").fill_null(""), "likeness")
    told = likely.group_by("key", maintain_order=True).agg(may_be=candidate.str.join(", "))
    rows = pl.DataFrame({"key": key.values(edited, pairing.new), "line": _lines(edited, pairing.new)})
    rows = rows.join(told, on="key", how="left", maintain_order="left")
    fate = "it becomes a new item" if added else "the row was left out"
    may_be = pl.lit("; it may be ") + pl.col("may_be")
    say = rows.select(pl.lit(f"no live item has this code; {fate}") + may_be.fill_null("")).to_series()
    return findings_frame("new item", "note", key=rows["key"], line=rows["line"], say=say)


def rescued(live: Table, edited: Table, key: Key, pairs: pl.DataFrame) -> pl.DataFrame:
    """Rows that were given to the only item they can be (frame of edited, live), with their code as it was written."""
    codes = key.values(live, pairs["live"])
    return findings_frame(
        "rescued code",
        "warn",
        key=codes,
        line=_lines(edited, pairs["edited"]),
        field=key.fields[0],
        value=key.values(edited, pairs["edited"]),
        say=_all("the code was hurt; this is the only item it can be", codes),
    )


def likely_code_changes(live: Table, edited: Table, key: Key, pairs: pl.DataFrame) -> pl.DataFrame:
    """New rows that are likely gone items under another code (frame of edited, live, alike)."""
    codes = pl.DataFrame({"old": key.values(live, pairs["live"]), "new": key.values(edited, pairs["edited"])})
    say = pl.format(
        "this is likely {} with another code, {} of its fields are the same; --accept-codes FILE (old, new) takes it",
        "old",
        pairs["alike"],
    )
    return findings_frame(
        "likely code change",
        "warn",
        key=codes["new"],
        line=_lines(edited, pairs["edited"]),
        field=key.fields[0],
        value=codes["new"],
        say=codes.select(say).to_series(),
    )


def two_items(live: Table, edited: Table, key: Key, pairing: RowMatches, identity: str | None) -> pl.DataFrame:
    """Rows that have the code of one item and the second identity of another: nobody can tell which they are."""
    if not identity or identity in key.fields or not {identity} <= {*live.names} & {*edited.names}:
        return no_findings()
    pairs = pairing.pairs
    ours, theirs = (
        catalogue.cells([identity], pairs[side])[identity].str.strip_chars()
        for side, catalogue in (("live", live), ("edited", edited))
    )
    apart = (ours != theirs) & (ours != "") & (theirs != "")
    if not apart.any():
        return no_findings()
    whose = pl.DataFrame({"id": live.cells([identity])[identity].str.strip_chars(), "other": key.values(live)})
    rows = pairs.filter(apart).with_columns(theirs.filter(apart).alias("id"))
    rows = rows.join(whose.unique("id", keep="first"), on="id", how="inner", maintain_order="left")
    say = f"this is the code of one item and the {identity} of another ({{}}); mend one of the two"
    return findings_frame(
        "two items",
        "stop",
        key=key.values(live, rows["live"]),
        line=_lines(edited, rows["edited"]),
        value=rows["id"],
        say=rows.select(pl.format(say, "other")).to_series(),
    )


def unknown_codes(codes: pl.Series) -> pl.DataFrame:
    """Codes that were asked for, and that neither file has."""
    return findings_frame(
        "unknown code", "warn", value=codes, say=_all("this code was chosen, and no item has it", codes)
    )


def _live_unreadable(live: Table) -> pl.DataFrame:
    bad = live.unreadable_rows
    place = pl.format("{}, line {}: {}; this item was left out", pl.lit(live.source.name), "line", "say")
    return findings_frame(
        "unreadable live row",
        "stop",
        value=bad["raw"].str.slice(0, LONGEST_VALUE),
        say=bad.select(place).to_series(),
    )


def _live_without_code(live: Table, key: Key, pairing: RowMatches) -> pl.DataFrame:
    lines = pl.DataFrame({"line": _lines(live, pairing.live_missing_key)})
    place = pl.format("{}, line {}: the live item has no {}", pl.lit(live.source.name), "line", pl.lit(key.fields[0]))
    return findings_frame("live item without code", "stop", say=lines.select(place).to_series())


def _live_repeated(live: Table, key: Key, pairing: RowMatches) -> pl.DataFrame:
    rows = pairing.live_duplicates.with_columns(line=_lines(live, pairing.live_duplicates["live"]).cast(pl.String))
    groups = rows.group_by("key", maintain_order=True).agg(pl.col("line").str.join(", "))
    place = pl.format("{}, lines {}: live items share this code", pl.lit(live.source.name), "line")
    return findings_frame("live code repeated", "stop", key=groups["key"], say=groups.select(place).to_series())


def _all(say: str, rows: pl.Series) -> pl.Series:
    return pl.repeat(say, len(rows), dtype=pl.String, eager=True)

"""Combine: several change sets of one live export become one, and what they disagree about is a conflict.

The result does not depend on the order of the change sets, nor on which of them were combined before; change sets that
are all alike give just that one. Items are in the order of their keys.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.apply_findings import apply_findings
from neat_delta.changeset.changeset import ITEMS, ChangeSet, build
from neat_delta.changeset.findings import BLOCK, NO_EFFECT, as_data, data_of, findings_frame
from neat_delta.changeset.head import Exclusion, FileRef, Head, Identity, Overrides
from neat_delta.changeset.problems import CLASH
from neat_delta.changeset.schemas import ADD, CHANGE, NONE, RECODE, REMOVE
from neat_delta.files.user_data import folded_name
from neat_delta.locations.prefetch import sha256_hex

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

AND = " + "
# What an item's action and new SKU are called where change sets disagree about them.
DOES = {CHANGE: "changes it", RECODE: "new SKU", ADD: "adds it", REMOVE: "deletes it"}
# An item of one change set has one part for each of its cells, and one for what becomes of it as a whole.
WHOLE = pl.col("field").is_null()


@dataclass(frozen=True)
class CombineResult:
    """One change set of several, and what they disagree about.

    Attributes:
        changes: the change set; what is in conflict and not decided is held back.
        conflicts: key, field (null: about the whole item), was, a column for each change set by its name (null where it
            says nothing), chosen (the name of the change set whose value goes on; null: none).
        names: the names of the change sets.
        shared: how many cells are in several change sets, with the same value.
        sets: the change sets themselves.
    """

    changes: ChangeSet
    conflicts: pl.DataFrame
    names: tuple[str, ...]
    shared: int
    sets: tuple[ChangeSet, ...] = ()


def combine(
    sets: Sequence[ChangeSet],
    names: Sequence[str],
    decide: Callable[[pl.DataFrame], pl.DataFrame] | None = None,
) -> CombineResult:
    """Join change sets that were made from one live export.

    The same value for a cell counts once. Different values are a conflict, also where one of them is an error, and so
    are an item that one changes and another deletes, and different new SKUs for one item or one new SKU for several.

    Args:
        sets: the change sets.
        names: what each is called, all different.
        decide: adds the column ``chosen`` to conflicts (key, field, was, a column for each name): a name, or null.

    Raises:
        InvalidOption: they are not of one live export, or have different keys.
    """
    _insist_on_one_export(sets, names)
    first = sets[0]
    if all(one.equivalent_to(first) for one in sets):
        return CombineResult(
            first, _conflicts_frame(names), tuple(names), len(first.cells) if len(sets) > 1 else 0, tuple(sets)
        )
    parts = pl.concat(
        _parts(changes).with_columns(source=pl.lit(name)) for changes, name in zip(sets, names, strict=True)
    )
    parts = pl.concat([parts, _held_parts(sets, names, parts)])
    parts = parts.with_columns(differs=(pl.col("now").n_unique() > 1).over("key", "field"))
    shared = (
        parts.filter(~WHOLE & ~pl.col("differs") & (pl.col("action") != NONE))
        .group_by("key", "field")
        .len()
        .filter(pl.col("len") > 1)
    )
    conflicts = _conflicts(parts, names)
    decided = decide(conflicts) if decide else conflicts.with_columns(chosen=pl.lit(None, pl.String))
    parts = _without_losers(parts, decided).filter(pl.col("action") != NONE)
    items = _items(sets, parts)
    cells = parts.filter(~WHOLE).unique(["key", "field"], keep="first", maintain_order=True)
    cells = cells.join(items.filter(pl.col("action") != NONE), on="key", how="semi").sort("key", "field")
    findings = _findings(sets, items, cells)
    changes = build(_head(sets, items, cells), items, cells.select("key", "field", "was", "now"), findings)
    held = decided.filter(pl.col("chosen").is_null())
    findings_of_sets = pl.concat([_conflict_findings(held, names, items), _doubled_keys(items)])
    return CombineResult(apply_findings(changes, findings_of_sets), decided, tuple(names), len(shared), tuple(sets))


def _insist_on_one_export(sets: Sequence[ChangeSet], names: Sequence[str]) -> None:
    head = sets[0].head
    for changes, name in zip(sets, names, strict=True):
        if changes.head.live.sha256 != head.live.sha256:
            raise InvalidOption(
                f"{names[0]} was made from another export ({head.live.name}) than {name} ({changes.head.live.name})",
                hint="Bring both up to date with one new export, then combine them.",
                code="several-live-exports",
            )
        if changes.head.key != head.key:
            raise InvalidOption(
                f"{names[0]} has the key {AND.join(head.key)}, {name} has {AND.join(changes.head.key)}",
                hint="Compare again with one key.",
            )


def _parts(changes: ChangeSet) -> pl.DataFrame:
    """What a change set says of each item as a whole (field null), and of each cell (key, field, was, now, action)."""
    acting = changes.items.filter(pl.col("action") != NONE).select("key", "action", "new_key")
    what = pl.col("action").replace_strict(DOES, return_dtype=pl.String)
    whole = acting.select(
        "key",
        field=pl.lit(None, pl.String),
        was=pl.lit(None, pl.String),
        now=pl.when(pl.col("action") == RECODE).then(pl.format("{} {}", what, "new_key")).otherwise(what),
        action="action",
    )
    actions = acting.select("key", "action")
    cells = changes.cells.join(actions, on="key", how="inner", maintain_order="left")
    return pl.concat([whole, cells.select("key", "field", "was", "now", "action")])


def _held_parts(sets: Sequence[ChangeSet], names: Sequence[str], parts: pl.DataFrame) -> pl.DataFrame:
    """What one change set holds back as an error, of cells that another one changes (as parts of no action).

    Both have typed something there, so that nobody can tell whose value is meant.
    """
    live = parts.filter(~WHOLE).select("key", "field", "was").unique(["key", "field"], keep="first")
    held = [parts.clear()]
    for changes, name in zip(sets, names, strict=True):
        conflicting = (
            changes.findings.filter(effect=BLOCK).drop_nulls(["key", "field"]).unique(["key", "field"], keep="first")
        )
        cells = conflicting.join(live, on=["key", "field"], how="inner", maintain_order="left")
        held.append(
            cells.select(
                "key", "field", "was", now=pl.col("value").fill_null(""), action=pl.lit(NONE), source=pl.lit(name)
            )
        )
    return pl.concat(held)


def _conflicts(parts: pl.DataFrame, names: Sequence[str]) -> pl.DataFrame:
    """What change sets disagree about (key, field, was, a column for each name), in the order of the keys.

    One may change cells of an item and another its SKU; a deletion is in conflict with anything else.
    Where items as wholes are in conflict, their cells are no conflicts besides.
    """
    kinds = pl.col("now").filter(WHOLE & (pl.col("action") != CHANGE))
    one_deletes = ((pl.col("action") == REMOVE) & WHOLE).any().over("key")
    several = (kinds.n_unique() > 1).over("key") | (
        one_deletes & ((pl.col("action") != REMOVE) & WHOLE).any().over("key")
    )
    parts = parts.with_columns(clash=several)
    about = pl.when(WHOLE).then("clash").otherwise(pl.col("differs") & ~pl.col("clash"))
    conflicts = parts.filter(about).with_columns(text=pl.col("now").fill_null(""))
    if conflicts.is_empty():
        return _conflicts_frame(names)
    wide = conflicts.pivot("source", index=["key", "field", "was"], values="text", aggregate_function="first")
    lacking = [pl.lit(None, pl.String).alias(name) for name in names if name not in wide.columns]
    return wide.with_columns(lacking).select("key", "field", "was", *names).sort("key", "field", nulls_last=False)


def _conflicts_frame(names: Sequence[str]) -> pl.DataFrame:
    columns = ["key", "field", "was", *names, "chosen"]
    return pl.DataFrame(schema=dict.fromkeys(columns, pl.String))


def _without_losers(parts: pl.DataFrame, decided: pl.DataFrame) -> pl.DataFrame:
    """The parts but for those in conflict whose change set was not chosen."""
    choices = decided.select("key", "field", "chosen").with_columns(open=pl.lit(value=True))
    wholes = choices.filter(pl.col("field").is_null()).select("key", whole="chosen", by_item="open")
    cells = choices.filter(pl.col("field").is_not_null())
    parts = parts.join(wholes, on="key", how="left", maintain_order="left")
    parts = parts.join(cells, on=["key", "field"], how="left", maintain_order="left")
    wins_whole = pl.col("by_item").is_null() | (pl.col("whole") == pl.col("source")).fill_null(value=False)
    wins_cell = pl.col("open").is_null() | (pl.col("chosen") == pl.col("source")).fill_null(value=False)
    return parts.filter(wins_whole & wins_cell).drop("whole", "by_item", "chosen", "open")


def _items(sets: Sequence[ChangeSet], parts: pl.DataFrame) -> pl.DataFrame:
    """The items of all change sets, each once, with what becomes of it now, in the order of their keys."""
    every = pl.concat(changes.items for changes in sets).filter(pl.col("key").is_not_null())
    wins = parts.filter(WHOLE).select("key", "action", "now").unique()
    rank = pl.col("action").replace_strict({CHANGE: 0, RECODE: 1, ADD: 2, REMOVE: 3}, return_dtype=pl.Int8)
    done = wins.sort(rank).group_by("key").agg(pl.col("action").last(), pl.col("now").last())
    prefix = f"{DOES[RECODE]} "
    done = done.select(
        "key",
        "action",
        new_key=pl.when(pl.col("action") == RECODE).then(pl.col("now").str.strip_prefix(prefix)),
    )
    by_key = every.group_by("key").agg(
        pl.col("row_state").drop_nulls().min(), pl.col("line").min(), pl.col("name").drop_nulls().min()
    )
    items = by_key.join(done, on="key", how="left").with_columns(pl.col("action").fill_null(NONE))
    return items.select(*ITEMS).sort("key")


def _findings(sets: Sequence[ChangeSet], items: pl.DataFrame, cells: pl.DataFrame) -> pl.DataFrame:
    """The findings of all change sets, each with the file that it is about.

    What blocked a cell in one file is only a warning where another file changes that cell.
    """
    findings = pl.concat(_named(changes) for changes in sets).unique(maintain_order=True)
    acting = items.filter(pl.col("action") != NONE)["key"]
    sent = cells.select("key", "field", sent=pl.lit(value=True))
    findings = findings.join(sent, on=["key", "field"], how="left", maintain_order="left")
    overruled = (pl.col("effect") == BLOCK) & (
        pl.col("sent").fill_null(value=False) | (WHOLE & pl.col("key").is_in(acting.implode()))
    )
    return (
        findings.with_columns(
            level=pl.when(overruled).then(pl.lit("warning")).otherwise("level"),
            effect=pl.when(overruled).then(pl.lit(NO_EFFECT)).otherwise("effect"),
        )
        .drop("sent")
        .sort("key", "field", "code", "message", nulls_last=True)
    )


def _named(changes: ChangeSet) -> pl.DataFrame:
    """A change set's findings with the name of its file, where they have none yet."""
    name = changes.head.edited.name
    new = data_of("file").is_null()
    about = pl.struct(file=pl.lit(name)).struct.json_encode()
    members = pl.col("data").str.strip_prefix("{")
    data = (
        pl.when(pl.col("data").is_null() | (pl.col("data") == "{}"))
        .then(about)
        .otherwise(about.str.strip_suffix("}") + pl.lit(",") + members)
    )
    message = pl.format("{} ({})", "message", pl.lit(name))
    return changes.findings.with_columns(
        data=pl.when(new).then(data).otherwise("data"), message=pl.when(new).then(message).otherwise("message")
    )


def _conflict_findings(held: pl.DataFrame, names: Sequence[str], items: pl.DataFrame) -> pl.DataFrame:
    """An error for each conflict that is not decided."""
    lines = held.select("key").join(items.select("key", "line"), on="key", how="left", maintain_order="left")
    sides = pl.concat_str(
        [
            pl.when(pl.col(name).is_not_null())
            .then(
                pl.format("; {}: {}", pl.lit(name), pl.when(pl.col(name) == "").then(pl.lit("empty")).otherwise(name))
            )
            .otherwise(pl.lit(""))
            for name in names
        ]
    )
    message = held.select(pl.concat_str(pl.lit("the files disagree"), sides, pl.lit("; not sent"))).to_series()
    return findings_frame(
        CLASH, key=held["key"], field=held["field"], line=lines["line"], message=message,
        data=as_data(held.select("was", pl.struct(*names).alias("values"))),
    )  # fmt: skip


def _doubled_keys(items: pl.DataFrame) -> pl.DataFrame:
    """An error for each item whose new SKU another item gets too, or a new item has."""
    after = items.filter(pl.col("action").is_in([RECODE, ADD])).select(
        "key", "line", after=pl.coalesce("new_key", "key")
    )
    double = after.filter(pl.col("after").is_duplicated())
    message = double.select(pl.format("another file gives the SKU {} to another item; not sent", "after")).to_series()
    return findings_frame(CLASH, key=double["key"], line=double["line"], message=message)


def _head(sets: Sequence[ChangeSet], items: pl.DataFrame, cells: pl.DataFrame) -> Head:
    """The head of a combined change set: its rows are those of its items only."""
    heads = [changes.head for changes in sets]
    files = sorted({name for head in heads for name in head.edited.name.split(AND)})
    content = cells.select("key", "field", "now").write_ndjson().encode()
    rows = int(items["line"].count())
    fields = {name: info for head in heads for name, info in head.fields.items()}
    head = Head(
        key=heads[0].key,
        live=heads[0].live,
        edited=FileRef(AND.join(files), rows, sha256_hex(content)),
        fields=dict(sorted(fields.items())),
        other_rows={},
        made=max(head.made for head in heads),
        overrides=Overrides().joined(*(head.overrides for head in heads)),
        exclusions=_exclusions(heads),
        identity=_identity(heads),
        made_by=_makers(heads),
    )
    return head.with_maker().with_rule(*(one.approval for one in heads))


def _makers(heads: Sequence[Head]) -> tuple[str, ...]:
    """Everybody who made one of them, each once."""
    return tuple(sorted({folded_name(name): name for head in heads for name in head.made_by}.values()))


def _exclusions(heads: Sequence[Head]) -> tuple[Exclusion, ...]:
    return tuple(sorted({one for head in heads for one in head.exclusions}, key=repr))


def _identity(heads: Sequence[Head]) -> Identity | None:
    """What is known of items whose keys change, if all that know something know it by one field."""
    identities = [head.identity for head in heads if head.identity]
    if len({one.field for one in identities}) != 1:
        return None
    merged = {key: value for one in identities for key, value in one.values.items()}
    return replace(identities[0], values=dict(sorted(merged.items())))

"""Compare: a live export and an edited sheet give a change set, and an account of every row."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import (
    ADD,
    CHANGE,
    EXCLUDED,
    FINDINGS,
    ITEMS,
    NONE,
    REPAIRED,
    STATES,
    ChangeSet,
    FieldInfo,
    FileRef,
    Head,
    file_ref,
    no_findings,
)
from neat_delta.changeset.findings import apply_findings
from neat_delta.diff.cell_diff import CellDiff, ComparisonRules, compare_cells
from neat_delta.diff.deletions import add_deletions
from neat_delta.diff.rekey_plan import apply_rekeys
from neat_delta.diff.row_findings import likely_code_changes, rescued, row_findings, two_items, unknown_codes
from neat_delta.errors import InvalidOption
from neat_delta.matching import ColumnMapping, Key, RowMatches, choose_key, match_columns, match_rows
from neat_delta.matching.key_repair import likely_damaged, repairable_keys, with_keys_of
from neat_delta.matching.positions import positions_of
from neat_delta.matching.rekey_detection import (
    match_accepted,
    match_by_field,
    split_by_identity,
    suggest_rekeys,
    with_free_codes,
)
from neat_delta.matching.selection import select_items
from neat_delta.matching.similarity import SUGGESTIONS, find_name_field, suggest_items
from neat_delta.progress import NO_PROGRESS, ProgressReporter
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.tables import field_name
from neat_delta.tables.field_types import are_blank, field_types
from neat_delta.tables.formula_text import ESCAPED_FORMULA, unescaped_unless
from neat_delta.tables.settings import CLEAR, Settings

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.remote import Location
    from neat_delta.tables import Table


@dataclass(frozen=True)
class CompareOptions:
    """How to compare.

    What is told for this run goes before what is ``settled`` in catalogue.toml: the ``key``, whether blanks empty a
    field (``None``: as settled for each field, else they leave it), ``kinds``; fields in ``emptied`` are meant to be
    empty where they are blank; ``rescue`` gives rows with a damaged code to the one item they can be. Only items for
    which the condition ``where`` holds and whose codes stand in the file ``items`` take part. ``add`` takes new rows
    in, ``remove`` is how many gone items may be removed; ``accepted`` are code changes (of old, new) to be seen as
    such. ``nameless`` counts rows that may be any of several items. ``likeliest`` looks for the items that new rows may
    be; ``named_by`` is the field by which a list names them, if not the key. Of fields in ``as_typed`` every character
    counts.
    """

    key: Sequence[str] = ()
    clear_blanks: bool | None = None
    types: Mapping[str, str] = field(default_factory=dict)
    constant_blanks: frozenset[str] = frozenset()
    repair_keys: bool = False
    where: str | None = None
    items: Location | None = None
    add_new: bool = False
    delete_at_most: int | None = None
    accepted_rekeys: pl.DataFrame | None = None
    unidentified: int = 0
    suggest_items: bool = False
    name_field: str | None = None
    settings: Settings = field(default_factory=Settings)
    as_typed: tuple[str, ...] = ()

    def rules(self, names: Sequence[str]) -> ComparisonRules:
        """What holds for each field of this comparison."""
        cleared = {name for name in names if self.settings.field(name).blank == CLEAR}
        if self.clear_blanks is not None:
            cleared = set(names) if self.clear_blanks else set()
        told = {field_name(name): kind for name, kind in self.types.items()}
        settled = {name: self.settings.field(name) for name in names}
        fields = {name: replace(known, type=told.get(name, known.type)) for name, known in settled.items()}
        as_typed = frozenset(field_name(name) for name in self.as_typed)
        return ComparisonRules(fields, frozenset(cleared) | self.constant_blanks, as_typed)


@dataclass(frozen=True)
class CompareResult:
    """A change set, and what the comparison saw besides.

    ``states`` tells the state of every edited row that was looked at (edited, state); those settled by equal lines
    are "same". Rows of items that are not in scope are counted in ``outside``. ``form`` cells differ only in how they
    are written (``form_example``: one of them, and its live cell), ``blanks`` were blank where the live export has a
    value; both were left alone.
    """

    changes: ChangeSet
    live: Table
    edited: Table
    key: Key
    columns: ColumnMapping
    rows: RowMatches
    states: pl.DataFrame
    reformatted: int
    reformatted_example: tuple[str, str] | None
    blanks_ignored: int
    excluded: int = 0
    original: Table | None = None
    constants: dict[str, int] | None = None
    suggestions: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=SUGGESTIONS))

    def rows_in(self, state: str) -> pl.DataFrame:
        """The rows of one state, or the gone live items (frame of key, line, name), in their file's order.

        Rows that cannot be read have a line only; settled ones and gone items have the live export's lines.
        """
        if state == "gone":
            return describe_rows(self.live, self.key, self.rows.missing)
        rows = describe_rows(self.edited, self.key, self.states.filter(pl.col("state") == state)["edited"])
        if state == "same":
            rows = pl.concat([describe_rows(self.live, self.key, self.rows.identical), rows])
        if state == "unreadable":
            bad = self.edited.unreadable_rows.select(key=pl.lit(None, pl.String), line="line", name=pl.col("raw"))
            rows = pl.concat([rows, bad])
        return rows.sort("line")


def _with_unescaped_keys(live: Table, edited: Table, key: Key) -> Table:
    """The sheet with its codes freed of the apostrophe that keeps some of them from being run as a formula."""
    raw = edited.rows.raw
    if raw is not None and not raw.str.contains(ESCAPED_FORMULA.removeprefix("^")).any():
        return edited
    codes = edited.cells(key.fields)
    known = live.cells(key.fields)
    plain = [unescaped_unless(codes[name], known[name]) for name in key.fields]
    if all(column is codes[column.name] or column.equals(codes[column.name]) for column in plain):
        return edited
    return replace(edited, rows=FrameRows(edited.rows.line, edited.cells(edited.names).with_columns(plain)))


def with_findings(seen: CompareResult, findings: pl.DataFrame) -> CompareResult:
    """The comparison with findings of checks, without the cells that these stop.

    A row of which a cell is stopped and none is left is refused.
    """
    items = _with_items_of(findings, seen.changes.items, seen.live, seen.edited, seen.key)
    changes = apply_findings(replace(seen.changes, items=items), findings)
    bare = changes.items.filter(pl.col("do") == "none").join(findings.filter(level="stop"), on="key", how="semi")
    lines = seen.edited.rows.line.gather(seen.states["edited"])
    refused = lines.is_in(bare["line"].implode()) & seen.states["state"].is_in(["changed", "same", "new"])
    mended = changes.items.filter(pl.col("do") == NONE).join(findings.filter(check=REPAIRED), on="key", how="semi")
    again = lines.is_in(mended["line"].implode()) & (seen.states["state"] == "changed")
    states = seen.states.with_columns(
        state=pl.when(refused).then(pl.lit("refused")).when(again).then(pl.lit("same")).otherwise("state")
    )
    counts = changes.head.counts if seen.constants else _counts(seen.edited, seen.rows, states, seen.excluded)
    head = replace(changes.head, counts=counts)
    return replace(seen, changes=replace(changes, head=head), states=states)


def compare(
    live: Table, edited: Table, options: CompareOptions | None = None, voice: ProgressReporter = NO_PROGRESS
) -> CompareResult:
    """Work out what has to change in the live catalogue to make it say what the edited sheet says.

    Only items that exist change, unless ``add`` and ``remove`` say otherwise; new and gone ones are counted. Blank
    cells leave the live value unless ``clear_blanks``. What cannot be decided is refused with a finding, and the rest
    goes on.

    Raises:
        KeyUnclear: no column can be taken as the key without asking.
        WrongChoice: the files share no column, an option names a field or kind that does not exist, or more items are
            gone than may be removed.
    """
    options = options or CompareOptions()
    voice.step("matching rows")
    matched = match_columns(live, edited)
    key = choose_key(live, matched.shared, options.key or options.settings.key)
    edited = _with_unescaped_keys(live, edited, key)
    edited, rescues = with_rescues(live, edited, key, options)
    rules = options.rules(matched.compared)
    _check_kinds(options, matched)
    scope = select_items(live, key, options.where, options.items, options.settings)
    outside = scope.excluded_rows(edited, key)
    if len(outside):
        edited = replace(edited, rows=edited.rows.without(outside))
        rescues = about_rows_of(edited, rescues)
    pairing = match_rows(live, edited, key, matched.shared, matched.append_remove_columns)
    pairing = replace(pairing, missing=scope.select_live(pairing.missing))

    voice.step("comparing cells")
    compared = [name for name in matched.compared if name not in key.fields]
    damaged = likely_damaged(live, edited, key, pairing)
    pairing, recoded = _with_recoded(live, edited, key, pairing, damaged, options)
    pairs = pairing.pairs
    if options.add_new:
        new = pl.DataFrame({"edited": pairing.new}).join(damaged, on="edited", how="anti", maintain_order="left")
        pairs = pl.concat([pairs, new.select(pl.lit(None, pl.UInt32).alias("live"), "edited")])
    found = compare_cells(live, edited, pairs, compared, rules)
    shared = [*matched.shared, *matched.append_remove_columns]
    compared_plainly = [name for name in matched.shared if name not in key.fields]
    likely = pl.DataFrame(schema=SUGGESTIONS)
    if options.suggest_items and len(pairing.new):
        voice.step("looking for likely items")
        likely = suggest_items(live, edited, key, pairing.new, options.name_field)
    strangers = suggest_rekeys(live, edited, pairing, compared_plainly)
    strangers = strangers.join(damaged, on=["edited", "live"], how="anti", maintain_order="left")
    findings = pl.concat(
        [
            rescues,
            row_findings(live, edited, key, shared, pairing, damaged, likely, added=options.add_new),
            unknown_codes(scope.unknown(edited, key)),
            likely_code_changes(live, edited, key, strangers),
        ]
    )
    states = _states(pairing, pairs, found, recoded["edited"])
    counts = _counts(edited, pairing, states, len(outside))
    changes = _change_set(live, edited, key, pairs, found, findings, counts)
    to = dict(zip(key.values(live, recoded["live"]), key.values(edited, recoded["edited"]), strict=True))
    names = describe_rows(live, key, recoded["live"]).with_columns(line=edited.rows.line.gather(recoded["edited"]))
    changes = apply_rekeys(changes, live, key, names, to, options.settings)
    if options.delete_at_most is not None:
        rows = pairing.missing.filter(~pairing.missing.is_in(damaged["live"].implode()))
        if options.name_field:
            # Without a value there a list could not name the item if it had it.
            rows = rows.filter(~are_blank(live.cells([options.name_field], rows).to_series()))
        gone = describe_rows(live, key, rows).with_columns(row=rows)
        nameless = len(edited.unreadable_rows) + len(pairing.missing_key) + options.unidentified
        changes = add_deletions(changes, live, key, gone, options.delete_at_most, nameless, options.settings)
    seen = CompareResult(
        changes=changes,
        live=live,
        edited=edited,
        key=key,
        columns=matched,
        rows=pairing,
        states=states,
        reformatted=found.reformatted,
        reformatted_example=found.reformatted_example,
        blanks_ignored=found.blanks,
        excluded=len(outside),
        suggestions=likely,
    )
    strange = two_items(live, edited, key, pairing, options.settings.identity)
    return with_findings(seen, strange) if len(strange) else seen


def with_rescues(live: Table, edited: Table, key: Key, options: CompareOptions) -> tuple[Table, pl.DataFrame]:
    """The sheet with the codes of rescued rows made good, where that is wanted; and a finding on each."""
    fields = [name for name in live.names if name in edited.names and name not in key.fields]
    pairs = repairable_keys(live, edited, key, fields) if options.repair_keys else pl.DataFrame()
    if pairs.is_empty():
        return edited, no_findings()
    return with_keys_of(live, edited, key, pairs), rescued(live, edited, key, pairs)


def about_rows_of(sheet: Table, findings: pl.DataFrame) -> pl.DataFrame:
    """The findings but for those on lines that are none of the sheet's, such as rows of items outside the scope."""
    return findings.filter(pl.col("line").is_null() | pl.col("line").is_in(sheet.rows.line.implode()))


def describe_rows(catalogue: Table, key: Key, rows: pl.Series) -> pl.DataFrame:
    """What people know rows by: key, line, and name where the file has one (null where not)."""
    name = find_name_field(catalogue, key)
    names = (
        catalogue.cells([name], rows).to_series() if name else pl.repeat(None, len(rows), dtype=pl.String, eager=True)
    )
    return pl.DataFrame(
        {"key": key.values(catalogue, rows), "line": catalogue.rows.line.gather(rows), "name": names},
    )


def _check_kinds(options: CompareOptions, matched: ColumnMapping) -> None:
    known = [kind.name for kind in field_types()]
    for name, kind in options.types.items():
        if field_name(name) not in matched.compared:
            raise InvalidOption(
                f"--kind {name}={kind}: no such column in both files",
                remedy="Columns of both: " + ", ".join(matched.shared) + ".",
            )
        if kind not in known:
            raise InvalidOption(
                f"--kind {name}={kind}: no such kind", remedy="Kinds: " + ", ".join(sorted(known)) + "."
            )


def _with_recoded(
    live: Table, edited: Table, key: Key, pairing: RowMatches, damaged: pl.DataFrame, options: CompareOptions
) -> tuple[RowMatches, pl.DataFrame]:
    """The pairing with new rows and gone items that are one under another code, and these pairs (edited, live).

    They are told by the settled second identity, or by a list of accepted code changes; a damaged code is no new one.
    """
    found = pl.DataFrame(schema={"edited": pl.UInt32, "live": pl.UInt32})
    identity = options.settings.identity
    parted = pairing
    if identity and identity in live.names and identity in edited.names and identity not in key.fields:
        parted = split_by_identity(live, edited, pairing, identity)
        found = pl.concat([found, match_by_field(live, edited, parted, identity)])
    if options.accepted_rekeys is not None:
        found = pl.concat([found, match_accepted(live, edited, key, pairing, options.accepted_rekeys)]).unique()
    found = found.join(damaged, on=["edited", "live"], how="anti")
    found = found.filter(pl.col("edited").is_unique() & pl.col("live").is_unique()).sort("live")
    found = with_free_codes(live, edited, key, found)
    if found.is_empty():
        return pairing, found
    rest = pairing.pairs.join(found, on="edited", how="anti", maintain_order="left")
    rest = rest.join(found, on="live", how="anti", maintain_order="left")
    pairs = pl.concat([rest, found.select(pairing.pairs.columns)]).sort("live")
    taken, given = found["edited"].implode(), found["live"].implode()
    new = pairing.new.filter(~pairing.new.is_in(taken))
    gone = pairing.missing.filter(~pairing.missing.is_in(given))
    # An item that lost its row to another, and found none, has none.
    bereft = pairing.pairs.filter(pl.col("edited").is_in(taken) & ~pl.col("live").is_in(given))["live"]
    return replace(pairing, pairs=pairs, new=new, missing=pl.concat([gone, bereft]).sort()), found


def _states(pairing: RowMatches, pairs: pl.DataFrame, found: CellDiff, recoded: pl.Series) -> pl.DataFrame:
    """The state of every edited row that was looked at (edited, state); each row has one."""
    pairs = pairs.with_row_index("pair")
    changed, refused = found.cells["pair"].unique(), found.findings.filter(level="stop")["pair"].unique()
    is_refused, is_changed = (pl.col("pair").is_in(rows.implode()) for rows in (refused, changed))
    state = (
        # A new item is sent whole or not at all.
        pl.when(pl.col("live").is_null() & ~is_refused)
        .then(pl.lit("new"))
        .when(pl.col("live").is_not_null() & (is_changed | pl.col("edited").is_in(recoded.implode())))
        .then(pl.lit("changed"))
        .when(is_refused)
        .then(pl.lit("refused"))
        .otherwise(pl.lit("same"))
    )
    paired = pairs.select("edited", state=state)
    others = {
        "new": [pairing.new.filter(~pairing.new.is_in(pairs["edited"].implode()))],
        "repeated": [pairing.exact_duplicates, pairing.conflicting_duplicates["edited"]],
        "unreadable": [pairing.missing_key],
        "refused": [pairing.ambiguous["edited"]],
    }
    apart = [
        pl.DataFrame({"edited": rows}).with_columns(state=pl.lit(name))
        for name, several in others.items()
        for rows in several
    ]
    return pl.concat([paired, *apart])


def _change_set(
    live: Table,
    edited: Table,
    key: Key,
    pairs: pl.DataFrame,
    found: CellDiff,
    apart: pl.DataFrame,
    counts: dict[str, int],
) -> ChangeSet:
    """The change set of paired rows (live, edited; those without a live row are to be added) and other findings."""
    pairs = pairs.with_row_index("pair")
    touched = pl.concat([found.cells["pair"], found.findings["pair"]]).unique()
    pairs = pairs.filter(pl.col("pair").is_in(touched.implode()) | pl.col("live").is_null())
    known, added = pairs.drop_nulls("live"), pairs.filter(pl.col("live").is_null())
    told = pl.concat([describe_rows(live, key, known["live"]), describe_rows(edited, key, added["edited"])])
    pairs = pairs.with_columns(told["key"], told["name"], line=edited.rows.line.gather(pairs["edited"]))
    refused = found.findings.filter(level="stop")["pair"].unique().implode()
    pairs = pairs.with_columns(
        do=pl.when(pl.col("live").is_null() & ~pl.col("pair").is_in(refused))
        .then(pl.lit(ADD))
        .when(pl.col("live").is_not_null() & pl.col("pair").is_in(found.cells["pair"].unique().implode()))
        .then(pl.lit(CHANGE))
        .otherwise(pl.lit(NONE))
    )
    items = pairs.with_columns(to=pl.lit(None, pl.String)).select(*ITEMS)
    order = {name: at for at, name in enumerate(live.names)}
    cells = (
        found.cells.join(pairs.filter(pl.col("do") != NONE).select("pair", "key"), on="pair")
        .sort("pair", pl.col("field").replace_strict(order, return_dtype=pl.UInt32))
        .select("key", "field", "was", "now")
    )
    in_cells = found.findings.drop("key", "line").join(pairs.select("pair", "key", "line"), on="pair")
    findings = pl.concat([in_cells.sort("line").select(*FINDINGS), apart])
    head = Head(
        key=key.fields,
        live=_stamp(live),
        edited=_stamp(edited, counts.get(EXCLUDED, 0)),
        fields=_field_notes(live, key, found),
        counts=counts,
    )
    return ChangeSet(head, _with_items_of(findings, items, live, edited, key), cells, findings)


def _field_notes(live: Table, key: Key, found: CellDiff) -> dict[str, FieldInfo]:
    """What later commands must know: the fields that change, the key, and every field with a name of its own.

    So a kept change set finds its columns in the live export without the settings it was made with.
    """
    notes = {}
    for name, column in ((known.name, known.column) for known in live.fields):
        if name in found.notes:
            notes[name] = found.notes[name]
        elif name in key.fields or name != field_name(column):
            notes[name] = FieldInfo(column, "code" if name in key.fields else "text")
    return notes


def _with_items_of(findings: pl.DataFrame, items: pl.DataFrame, live: Table, edited: Table, key: Key) -> pl.DataFrame:
    """The items, and behind them those that are known only by a finding about a row of theirs."""
    keyed = findings.drop_nulls("key")
    only = keyed.filter(positions_of(items["key"], keyed["key"]).is_null()).unique("key", maintain_order=True)
    if only.is_empty():
        return items
    names = [
        describe_rows(catalogue, key, _rows_of(catalogue, key, only)).select("key", "name").unique("key", keep="first")
        for catalogue in (live, edited)
    ]
    told = only.select("key", "line").join(
        pl.concat(names).unique("key", keep="first", maintain_order=True), on="key", how="left", maintain_order="left"
    )
    told = told.with_columns(do=pl.lit(NONE), to=pl.lit(None, pl.String))
    return pl.concat([items, told.select(items.columns)])


def _rows_of(catalogue: Table, key: Key, wanted: pl.DataFrame) -> pl.Series:
    """The rows whose key is among the wanted ones."""
    return pl.DataFrame({"key": key.values(catalogue)}).with_row_index("at").join(wanted, on="key", how="semi")["at"]


def _stamp(catalogue: Table, outside: int = 0) -> FileRef:
    return file_ref(catalogue, len(catalogue) + len(catalogue.unreadable_rows) + outside)


def _counts(edited: Table, pairing: RowMatches, states: pl.DataFrame, outside: int = 0) -> dict[str, int]:
    """How many rows are in each state, which add up to the rows read; and how many live items are gone."""
    counted = dict(states.group_by("state").len().iter_rows())
    counts = {state: counted.get(state, 0) for state in STATES}
    counts["same"] += len(pairing.identical)
    counts["unreadable"] += len(edited.unreadable_rows)
    if outside:
        counts[EXCLUDED] = outside
    return counts | {"gone": len(pairing.missing)}

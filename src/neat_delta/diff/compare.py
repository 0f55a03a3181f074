"""Compare: a live export and an edited sheet give a change set, and an account of every row."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import (
    ADD,
    CHANGE,
    FINDINGS,
    ITEMS,
    NONE,
    OUTSIDE,
    REPAIRED,
    STATES,
    ChangeSet,
    FieldNote,
    Head,
    Stamp,
    no_findings,
    stamp_of,
)
from neat_delta.changeset.findings import hold_back
from neat_delta.diff.cell_diff import CellChanges, Rules, compare_cells
from neat_delta.diff.deletions import with_removals
from neat_delta.diff.rekey_plan import with_codes
from neat_delta.diff.row_findings import likely_code_changes, rescued, row_findings, two_items, unknown_codes
from neat_delta.errors import WrongChoice
from neat_delta.matching import Key, Matched, Pairing, choose_key, match_columns, pair_rows
from neat_delta.matching.key_repair import likely_damaged, rescued_codes, with_codes_of
from neat_delta.matching.positions import places
from neat_delta.matching.rekey_detection import likely_same, parted_by, same_as_told, same_by, with_free_codes
from neat_delta.matching.selection import scope_of
from neat_delta.matching.similarity import LIKELY, likely_items, naming_field
from neat_delta.progress import SILENCE, Voice
from neat_delta.reading.frame_rows import Grid
from neat_delta.tables import field_name
from neat_delta.tables.field_types import are_blank, kinds
from neat_delta.tables.formula_text import ESCAPED_FORMULA, unescaped_unless
from neat_delta.tables.settings import CLEAR, Settings

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.remote import Where
    from neat_delta.tables import Catalogue


@dataclass(frozen=True)
class Options:
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
    kinds: Mapping[str, str] = field(default_factory=dict)
    emptied: frozenset[str] = frozenset()
    rescue: bool = False
    where: str | None = None
    items: Where | None = None
    add: bool = False
    remove: int | None = None
    accepted: pl.DataFrame | None = None
    nameless: int = 0
    likeliest: bool = False
    named_by: str | None = None
    settled: Settings = field(default_factory=Settings)
    as_typed: tuple[str, ...] = ()

    def rules(self, names: Sequence[str]) -> Rules:
        """What holds for each field of this comparison."""
        cleared = {name for name in names if self.settled.of(name).blank == CLEAR}
        if self.clear_blanks is not None:
            cleared = set(names) if self.clear_blanks else set()
        told = {field_name(name): kind for name, kind in self.kinds.items()}
        settled = {name: self.settled.of(name) for name in names}
        fields = {name: replace(known, kind=told.get(name, known.kind)) for name, known in settled.items()}
        as_typed = frozenset(field_name(name) for name in self.as_typed)
        return Rules(fields, frozenset(cleared) | self.emptied, as_typed)


@dataclass(frozen=True)
class Comparison:
    """A change set, and what the comparison saw besides.

    ``states`` tells the state of every edited row that was looked at (edited, state); those settled by equal lines
    are "same". Rows of items that are not in scope are counted in ``outside``. ``form`` cells differ only in how they
    are written (``form_example``: one of them, and its live cell), ``blanks`` were blank where the live export has a
    value; both were left alone.
    """

    changes: ChangeSet
    live: Catalogue
    edited: Catalogue
    key: Key
    matched: Matched
    pairing: Pairing
    states: pl.DataFrame
    form: int
    form_example: tuple[str, str] | None
    blanks: int
    outside: int = 0
    as_read: Catalogue | None = None
    fixed: dict[str, int] | None = None
    likely: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=LIKELY))

    def rows_in(self, state: str) -> pl.DataFrame:
        """The rows of one state, or the gone live items (frame of key, line, name), in their file's order.

        Rows that cannot be read have a line only; settled ones and gone items have the live export's lines.
        """
        if state == "gone":
            return tell_rows(self.live, self.key, self.pairing.gone)
        rows = tell_rows(self.edited, self.key, self.states.filter(pl.col("state") == state)["edited"])
        if state == "same":
            rows = pl.concat([tell_rows(self.live, self.key, self.pairing.settled), rows])
        if state == "unreadable":
            bad = self.edited.bad.select(key=pl.lit(None, pl.String), line="line", name=pl.col("raw"))
            rows = pl.concat([rows, bad])
        return rows.sort("line")


def _with_unescaped_keys(live: Catalogue, edited: Catalogue, key: Key) -> Catalogue:
    """The sheet with its codes freed of the apostrophe that keeps some of them from being run as a formula."""
    raw = edited.rows.raw
    if raw is not None and not raw.str.contains(ESCAPED_FORMULA.removeprefix("^")).any():
        return edited
    codes = edited.cells(key.fields)
    known = live.cells(key.fields)
    plain = [unescaped_unless(codes[name], known[name]) for name in key.fields]
    if all(column is codes[column.name] or column.equals(codes[column.name]) for column in plain):
        return edited
    return replace(edited, rows=Grid(edited.rows.line, edited.cells(edited.names).with_columns(plain)))


def held_back(seen: Comparison, findings: pl.DataFrame) -> Comparison:
    """The comparison with findings of checks, without the cells that these stop.

    A row of which a cell is stopped and none is left is refused.
    """
    items = _with_items_of(findings, seen.changes.items, seen.live, seen.edited, seen.key)
    changes = hold_back(replace(seen.changes, items=items), findings)
    bare = changes.items.filter(pl.col("do") == "none").join(findings.filter(level="stop"), on="key", how="semi")
    lines = seen.edited.rows.line.gather(seen.states["edited"])
    refused = lines.is_in(bare["line"].implode()) & seen.states["state"].is_in(["changed", "same", "new"])
    mended = changes.items.filter(pl.col("do") == NONE).join(findings.filter(check=REPAIRED), on="key", how="semi")
    again = lines.is_in(mended["line"].implode()) & (seen.states["state"] == "changed")
    states = seen.states.with_columns(
        state=pl.when(refused).then(pl.lit("refused")).when(again).then(pl.lit("same")).otherwise("state")
    )
    counts = changes.head.counts if seen.fixed else _counts(seen.edited, seen.pairing, states, seen.outside)
    head = replace(changes.head, counts=counts)
    return replace(seen, changes=replace(changes, head=head), states=states)


def compare(live: Catalogue, edited: Catalogue, options: Options | None = None, voice: Voice = SILENCE) -> Comparison:
    """Work out what has to change in the live catalogue to make it say what the edited sheet says.

    Only items that exist change, unless ``add`` and ``remove`` say otherwise; new and gone ones are counted. Blank
    cells leave the live value unless ``clear_blanks``. What cannot be decided is refused with a finding, and the rest
    goes on.

    Raises:
        KeyUnclear: no column can be taken as the key without asking.
        WrongChoice: the files share no column, an option names a field or kind that does not exist, or more items are
            gone than may be removed.
    """
    options = options or Options()
    voice.step("matching rows")
    matched = match_columns(live, edited)
    key = choose_key(live, matched.shared, options.key or options.settled.key)
    edited = _with_unescaped_keys(live, edited, key)
    edited, rescues = with_rescues(live, edited, key, options)
    rules = options.rules(matched.compared)
    _check_kinds(options, matched)
    scope = scope_of(live, key, options.where, options.items, options.settled)
    outside = scope.outside(edited, key)
    if len(outside):
        edited = replace(edited, rows=edited.rows.without(outside))
        rescues = about_rows_of(edited, rescues)
    pairing = pair_rows(live, edited, key, matched.shared, matched.signed)
    pairing = replace(pairing, gone=scope.of_live(pairing.gone))

    voice.step("comparing cells")
    compared = [name for name in matched.compared if name not in key.fields]
    damaged = likely_damaged(live, edited, key, pairing)
    pairing, recoded = _with_recoded(live, edited, key, pairing, damaged, options)
    pairs = pairing.pairs
    if options.add:
        new = pl.DataFrame({"edited": pairing.new}).join(damaged, on="edited", how="anti", maintain_order="left")
        pairs = pl.concat([pairs, new.select(pl.lit(None, pl.UInt32).alias("live"), "edited")])
    found = compare_cells(live, edited, pairs, compared, rules)
    shared = [*matched.shared, *matched.signed]
    compared_plainly = [name for name in matched.shared if name not in key.fields]
    likely = pl.DataFrame(schema=LIKELY)
    if options.likeliest and len(pairing.new):
        voice.step("looking for likely items")
        likely = likely_items(live, edited, key, pairing.new, options.named_by)
    strangers = likely_same(live, edited, pairing, compared_plainly)
    strangers = strangers.join(damaged, on=["edited", "live"], how="anti", maintain_order="left")
    findings = pl.concat(
        [
            rescues,
            row_findings(live, edited, key, shared, pairing, damaged, likely, added=options.add),
            unknown_codes(scope.unknown(edited, key)),
            likely_code_changes(live, edited, key, strangers),
        ]
    )
    states = _states(pairing, pairs, found, recoded["edited"])
    counts = _counts(edited, pairing, states, len(outside))
    changes = _change_set(live, edited, key, pairs, found, findings, counts)
    to = dict(zip(key.values(live, recoded["live"]), key.values(edited, recoded["edited"]), strict=True))
    names = tell_rows(live, key, recoded["live"]).with_columns(line=edited.rows.line.gather(recoded["edited"]))
    changes = with_codes(changes, live, key, names, to, options.settled)
    if options.remove is not None:
        rows = pairing.gone.filter(~pairing.gone.is_in(damaged["live"].implode()))
        if options.named_by:
            # Without a value there a list could not name the item if it had it.
            rows = rows.filter(~are_blank(live.cells([options.named_by], rows).to_series()))
        gone = tell_rows(live, key, rows).with_columns(row=rows)
        nameless = len(edited.bad) + len(pairing.blank) + options.nameless
        changes = with_removals(changes, live, key, gone, options.remove, nameless, options.settled)
    seen = Comparison(
        changes=changes,
        live=live,
        edited=edited,
        key=key,
        matched=matched,
        pairing=pairing,
        states=states,
        form=found.form,
        form_example=found.form_example,
        blanks=found.blanks,
        outside=len(outside),
        likely=likely,
    )
    strange = two_items(live, edited, key, pairing, options.settled.identity)
    return held_back(seen, strange) if len(strange) else seen


def with_rescues(live: Catalogue, edited: Catalogue, key: Key, options: Options) -> tuple[Catalogue, pl.DataFrame]:
    """The sheet with the codes of rescued rows made good, where that is wanted; and a finding on each."""
    fields = [name for name in live.names if name in edited.names and name not in key.fields]
    pairs = rescued_codes(live, edited, key, fields) if options.rescue else pl.DataFrame()
    if pairs.is_empty():
        return edited, no_findings()
    return with_codes_of(live, edited, key, pairs), rescued(live, edited, key, pairs)


def about_rows_of(sheet: Catalogue, findings: pl.DataFrame) -> pl.DataFrame:
    """The findings but for those on lines that are none of the sheet's, such as rows of items outside the scope."""
    return findings.filter(pl.col("line").is_null() | pl.col("line").is_in(sheet.rows.line.implode()))


def tell_rows(catalogue: Catalogue, key: Key, rows: pl.Series) -> pl.DataFrame:
    """What people know rows by: key, line, and name where the file has one (null where not)."""
    name = naming_field(catalogue, key)
    names = (
        catalogue.cells([name], rows).to_series() if name else pl.repeat(None, len(rows), dtype=pl.String, eager=True)
    )
    return pl.DataFrame(
        {"key": key.values(catalogue, rows), "line": catalogue.rows.line.gather(rows), "name": names},
    )


def _check_kinds(options: Options, matched: Matched) -> None:
    known = [kind.name for kind in kinds()]
    for name, kind in options.kinds.items():
        if field_name(name) not in matched.compared:
            raise WrongChoice(
                f"--kind {name}={kind}: no such column in both files",
                remedy="Columns of both: " + ", ".join(matched.shared) + ".",
            )
        if kind not in known:
            raise WrongChoice(f"--kind {name}={kind}: no such kind", remedy="Kinds: " + ", ".join(sorted(known)) + ".")


def _with_recoded(
    live: Catalogue, edited: Catalogue, key: Key, pairing: Pairing, damaged: pl.DataFrame, options: Options
) -> tuple[Pairing, pl.DataFrame]:
    """The pairing with new rows and gone items that are one under another code, and these pairs (edited, live).

    They are told by the settled second identity, or by a list of accepted code changes; a damaged code is no new one.
    """
    found = pl.DataFrame(schema={"edited": pl.UInt32, "live": pl.UInt32})
    identity = options.settled.identity
    parted = pairing
    if identity and identity in live.names and identity in edited.names and identity not in key.fields:
        parted = parted_by(live, edited, pairing, identity)
        found = pl.concat([found, same_by(live, edited, parted, identity)])
    if options.accepted is not None:
        found = pl.concat([found, same_as_told(live, edited, key, pairing, options.accepted)]).unique()
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
    gone = pairing.gone.filter(~pairing.gone.is_in(given))
    # An item that lost its row to another, and found none, has none.
    bereft = pairing.pairs.filter(pl.col("edited").is_in(taken) & ~pl.col("live").is_in(given))["live"]
    return replace(pairing, pairs=pairs, new=new, gone=pl.concat([gone, bereft]).sort()), found


def _states(pairing: Pairing, pairs: pl.DataFrame, found: CellChanges, recoded: pl.Series) -> pl.DataFrame:
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
        "repeated": [pairing.twins, pairing.rivals["edited"]],
        "unreadable": [pairing.blank],
        "refused": [pairing.unclear["edited"]],
    }
    apart = [
        pl.DataFrame({"edited": rows}).with_columns(state=pl.lit(name))
        for name, several in others.items()
        for rows in several
    ]
    return pl.concat([paired, *apart])


def _change_set(
    live: Catalogue,
    edited: Catalogue,
    key: Key,
    pairs: pl.DataFrame,
    found: CellChanges,
    apart: pl.DataFrame,
    counts: dict[str, int],
) -> ChangeSet:
    """The change set of paired rows (live, edited; those without a live row are to be added) and other findings."""
    pairs = pairs.with_row_index("pair")
    touched = pl.concat([found.cells["pair"], found.findings["pair"]]).unique()
    pairs = pairs.filter(pl.col("pair").is_in(touched.implode()) | pl.col("live").is_null())
    known, added = pairs.drop_nulls("live"), pairs.filter(pl.col("live").is_null())
    told = pl.concat([tell_rows(live, key, known["live"]), tell_rows(edited, key, added["edited"])])
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
        edited=_stamp(edited, counts.get(OUTSIDE, 0)),
        fields=_field_notes(live, key, found),
        counts=counts,
    )
    return ChangeSet(head, _with_items_of(findings, items, live, edited, key), cells, findings)


def _field_notes(live: Catalogue, key: Key, found: CellChanges) -> dict[str, FieldNote]:
    """What later commands must know: the fields that change, the key, and every field with a name of its own.

    So a kept change set finds its columns in the live export without the settings it was made with.
    """
    notes = {}
    for name, column in ((known.name, known.column) for known in live.fields):
        if name in found.notes:
            notes[name] = found.notes[name]
        elif name in key.fields or name != field_name(column):
            notes[name] = FieldNote(column, "code" if name in key.fields else "text")
    return notes


def _with_items_of(
    findings: pl.DataFrame, items: pl.DataFrame, live: Catalogue, edited: Catalogue, key: Key
) -> pl.DataFrame:
    """The items, and behind them those that are known only by a finding about a row of theirs."""
    keyed = findings.drop_nulls("key")
    only = keyed.filter(places(items["key"], keyed["key"]).is_null()).unique("key", maintain_order=True)
    if only.is_empty():
        return items
    names = [
        tell_rows(catalogue, key, _rows_of(catalogue, key, only)).select("key", "name").unique("key", keep="first")
        for catalogue in (live, edited)
    ]
    told = only.select("key", "line").join(
        pl.concat(names).unique("key", keep="first", maintain_order=True), on="key", how="left", maintain_order="left"
    )
    told = told.with_columns(do=pl.lit(NONE), to=pl.lit(None, pl.String))
    return pl.concat([items, told.select(items.columns)])


def _rows_of(catalogue: Catalogue, key: Key, wanted: pl.DataFrame) -> pl.Series:
    """The rows whose key is among the wanted ones."""
    return pl.DataFrame({"key": key.values(catalogue)}).with_row_index("at").join(wanted, on="key", how="semi")["at"]


def _stamp(catalogue: Catalogue, outside: int = 0) -> Stamp:
    return stamp_of(catalogue, len(catalogue) + len(catalogue.bad) + outside)


def _counts(edited: Catalogue, pairing: Pairing, states: pl.DataFrame, outside: int = 0) -> dict[str, int]:
    """How many rows are in each state, which add up to the rows read; and how many live items are gone."""
    counted = dict(states.group_by("state").len().iter_rows())
    counts = {state: counted.get(state, 0) for state in STATES}
    counts["same"] += len(pairing.settled)
    counts["unreadable"] += len(edited.bad)
    if outside:
        counts[OUTSIDE] = outside
    return counts | {"gone": len(pairing.gone)}

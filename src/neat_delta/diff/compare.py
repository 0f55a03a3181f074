"""Compare: a live export and an edited file give a change set, and an account of every row."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import AmbiguousKey, InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.apply_findings import apply_findings
from neat_delta.changeset.changeset import MISSING, ChangeSet, with_known_items, with_other_rows
from neat_delta.changeset.findings import no_findings
from neat_delta.diff.all_parts import require_all_parts
from neat_delta.diff.cell_diff import ComparisonRules, compare_cells
from neat_delta.diff.changeset_of import changeset_of, items_of_findings, row_states
from neat_delta.diff.deletions import add_deletions
from neat_delta.diff.links import with_links_followed
from neat_delta.diff.rekeyed_rows import pair_rekeyed_rows, with_rekeys
from neat_delta.diff.row_findings import (
    likely_rekeys,
    repaired_keys,
    row_findings,
    rows_of_two_items,
    rows_taken_for_another,
    unknown_keys,
)
from neat_delta.diff.unsure_keys import unsure_keys
from neat_delta.matching import ColumnMapping, Key, RowMatches, choose_key, match_columns, match_rows
from neat_delta.matching.context import Context
from neat_delta.matching.item_names import item_names
from neat_delta.matching.key_repair import repairable_keys, with_keys_of, with_unescaped_keys
from neat_delta.matching.matched_tables import MatchedTables, describe_rows
from neat_delta.matching.positions import positions_of
from neat_delta.matching.rekey_detection import suggest_rekeys
from neat_delta.matching.schemas import SuggestionFrame, Suggestions
from neat_delta.matching.selection import select_items
from neat_delta.matching.similarity import suggest_items
from neat_delta.matching.value_mapping import mapping_data
from neat_delta.tables import field_name
from neat_delta.tables.field_types import field_types
from neat_delta.tables.settings import CLEAR, Settings

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from datetime import datetime

    from neat_delta.locations import Location
    from neat_delta.tables import Table
    from neat_delta.tables.table import FileFormat


@dataclass(frozen=True)
class CompareOptions:
    """How to compare; what is given for one run goes before what is configured.

    Attributes:
        key: the fields that identify an item; without any, as configured, else as the files show.
        clear_blanks: whether a blank cell empties its field; ``None``: as configured for each field, else it does not.
        types: field types by field.
        constant_blanks: fields that are meant to be empty where they are blank.
        repair_keys: give rows with a damaged key to the one item they can be.
        where: a condition in SQL; only live items for which it holds take part.
        items: a file of keys; only these items take part.
        add_new: new rows become items.
        delete_at_most: missing items are removed, if they are no more than these.
        accepted_rekeys: key changes to be taken for such (old, new).
        unidentified: how many rows may be any of several items.
        suggest_items: look for the items that new rows may be.
        name_fields: the fields by which the file names items, if not the key.
        settings: what is configured.
        as_typed: fields of which every character counts.
        computed: fields that formulas compute.
        among: the keys of the items that the file may be about; no other is missing from it. ``None``: all.
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
    name_fields: tuple[str, ...] = ()
    settings: Settings = field(default_factory=Settings)
    as_typed: tuple[str, ...] = ()
    computed: frozenset[str] = frozenset()
    among: pl.Series | None = None

    def rules(self, names: Sequence[str]) -> ComparisonRules:
        """What holds for each field of this comparison."""
        cleared = {name for name in names if self.settings.field(name).blank == CLEAR}
        if self.clear_blanks is not None:
            cleared = set(names) if self.clear_blanks else set()
        types = {field_name(name): type_name for name, type_name in self.types.items()}
        configured = {name: self.settings.field(name) for name in names}
        fields = {name: replace(rules, type=types.get(name, rules.type)) for name, rules in configured.items()}
        as_typed = frozenset(field_name(name) for name in self.as_typed)
        cleared_fields = frozenset(cleared) | self.constant_blanks
        return ComparisonRules(fields, cleared_fields, as_typed, self.computed, no_data=self.suggest_items)


@dataclass(frozen=True)
class BaseSummary:
    """What a comparison did with the base of the edited file: the live values that it was made from.

    Attributes:
        name: the file's name of the base.
        time: when it was made, if that is known.
        how: where it was found.
        moved: how many cells the shop has changed since, and the file has not; the shop's values are kept.
        added_up: how many cells add the file's difference to what the shop has now.
        conflicts: the cells that both have changed (key, field, original, ours, shop, fate).
        edited_format: how the edited file is written; the compared one is in the live export's form.
    """

    name: str
    time: datetime | None
    how: str
    moved: int
    added_up: int
    conflicts: pl.DataFrame
    edited_format: FileFormat


@dataclass(frozen=True)
class CompareResult:
    """A change set, and what the comparison saw besides.

    Attributes:
        changes: the change set.
        tables: the two files, matched.
        states: the state of every edited row that was looked at (edited, state); rows with equal lines are "unchanged".
        reformatted: cells that differ only in how they are written, and were left alone.
        reformatted_example: one of them, and its live cell.
        blanks_ignored: cells that were blank where the live export has a value, and were left alone.
        restored: texts that a spreadsheet program wrote in another form, so the live one is kept (edited, field, was,
            now, what).
        excluded: rows of items that were not chosen.
        original: the edited file as it was read, before it was mapped to the shop's fields.
        suggestions: the items that new rows may be (key, item, name, likeness).
        base: what was done with the base of the edited file; ``None``: the file was compared with the live export only.
        profile_drift: what is different from last time in a file that comes again and again.
        from_formulas: no file was edited; formulas computed the values.
    """

    changes: ChangeSet
    tables: MatchedTables
    states: pl.DataFrame
    reformatted: int
    reformatted_example: tuple[str, str] | None
    blanks_ignored: int
    restored: pl.DataFrame
    excluded: int = 0
    original: Table | None = None
    profile_drift: tuple[str, ...] = ()
    from_formulas: bool = False
    base: BaseSummary | None = None
    suggestions: SuggestionFrame = field(default_factory=Suggestions.none)

    @property
    def live(self) -> Table:
        """The live export."""
        return self.tables.live

    @property
    def edited(self) -> Table:
        """The edited file, mapped to the shop's fields."""
        return self.tables.edited

    @property
    def key(self) -> Key:
        """What identifies an item."""
        return self.tables.key

    @property
    def columns(self) -> ColumnMapping:
        """Which columns the two files share."""
        return self.tables.columns

    @property
    def rows(self) -> RowMatches:
        """Which row is which item."""
        return self.tables.rows

    def rows_in(self, state: str) -> pl.DataFrame:
        """The rows of one state, or the missing live items (frame of key, line, name), in their file's order.

        Rows that cannot be read have a line only; those with equal lines and missing items have the live export's.
        """
        if state == MISSING:
            return describe_rows(self.live, self.key, self.rows.missing)
        rows = describe_rows(self.edited, self.key, self.states.filter(pl.col("state") == state)["edited"])
        if state == "unchanged":
            rows = pl.concat([describe_rows(self.live, self.key, self.rows.identical), rows])
        if state == "unreadable":
            bad = self.edited.unreadable_rows.select(key=pl.lit(None, pl.String), line="line", name=pl.col("raw"))
            rows = pl.concat([rows, bad])
        return rows.sort("line")

    def without_missing(self) -> CompareResult:
        """The same for a file that is not meant to have all items: none is missing."""
        rows = replace(self.rows, missing=self.rows.missing.clear())
        changes = with_other_rows(self.changes, **{MISSING: 0})
        return replace(self, changes=changes, tables=replace(self.tables, rows=rows))


def compare(
    live: Table, edited: Table, options: CompareOptions | None = None, progress: ProgressReporter = NO_PROGRESS
) -> CompareResult:
    """Work out what has to change in the live catalogue to make it say what the edited file says.

    Only items that exist change, unless ``add_new`` and ``delete_at_most`` say otherwise; new and missing ones are
    counted. Blank cells leave the live value unless ``clear_blanks``. What cannot be decided is refused with a finding,
    and the rest goes on.

    Raises:
        InvalidOption: an option names a field, a type or an item that does not exist, or too many items are missing.
        AmbiguousKey: no column can be taken as the key without asking.
    """
    options = options or CompareOptions()
    require_all_parts(
        live,
        edited,
        cleared=bool(options.rules(edited.names).cleared),
        deletes=options.delete_at_most is not None,
        adds=options.add_new,
    )
    progress.step("matching rows")
    matched = _match(live, edited, options)
    progress.step("comparing cells")
    tables = matched.tables
    unsure = unsure_keys(tables, matched.repairs)
    rows, rekeyed = pair_rekeyed_rows(tables, unsure.damaged, options.settings.identity, options.accepted_rekeys)
    tables = replace(tables, rows=rows)
    pairs: pl.DataFrame = rows.pairs
    if options.add_new:
        new = pl.DataFrame({"edited": rows.new.filter(~rows.new.is_in(unsure.rows.implode()))})
        pairs = pl.concat([pairs, new.select(pl.lit(None, pl.UInt32).alias("live"), "edited")])
    diff = compare_cells(tables.live, tables.edited, pairs, tables.fields, options.rules(tables.columns.compared))
    suggestions = Suggestions.none()
    if options.suggest_items and len(rows.new):
        progress.step("looking for similar items")
        suggestions = suggest_items(tables.live, tables.edited, tables.key, rows.new, options.name_fields)
    in_rows = _row_findings(tables, unsure.damaged, suggestions, options)
    findings = pl.concat([matched.findings, unsure.findings(tables), in_rows])
    states = row_states(rows, pairs, diff, rekeyed["edited"])
    changes = changeset_of(tables, pairs, diff, findings, states, matched.excluded)
    context = Context(tables.live, options.settings, tables.key)
    changes, refused = with_rekeys(changes, tables, context, rekeyed)
    unidentified = options.unidentified + unsure.of_no_item + _rivals_of_no_item(tables)
    changes = _with_deletions(changes, tables, context, unsure.damaged, replace(options, unidentified=unidentified))
    changes = with_links_followed(changes, context, from_sheet=True)
    compared = CompareResult(
        changes=changes,
        tables=tables,
        states=states,
        reformatted=diff.reformatted,
        reformatted_example=diff.reformatted_example,
        blanks_ignored=diff.blanks,
        restored=diff.restored.with_columns(pairs["edited"].gather(diff.restored["pair"])).drop("pair"),
        excluded=matched.excluded,
        suggestions=suggestions,
    )
    in_doubt = (rows_of_two_items(tables, options.settings.identity), rows_taken_for_another(tables), refused)
    conflicting = pl.concat(in_doubt)
    return with_findings(compared, conflicting) if len(conflicting) else compared


@dataclass(frozen=True)
class _Matched:
    """The matched tables of the items that take part; how many rows do not, and what was found on the way."""

    tables: MatchedTables
    excluded: int
    findings: pl.DataFrame
    repairs: pl.DataFrame


def _match(live: Table, edited: Table, options: CompareOptions) -> _Matched:
    columns = match_columns(live, edited)
    try:
        key = choose_key(live, columns.shared, options.key or options.settings.key)
    except AmbiguousKey as error:
        error.data |= mapping_data(live, edited, columns.only_edited, columns.only_live)
        raise
    edited = with_unescaped_keys(live, edited, key)
    edited, repairs = with_repaired_keys(live, edited, key, options)
    _check_types(options, columns)
    selection = select_items(Context(live, options.settings, key), options.where, options.items)
    excluded = selection.excluded_rows(edited, key)
    if len(excluded):
        edited = replace(edited, rows=edited.rows.without(excluded))
        repairs = about_rows_of(edited, repairs)
    rows = match_rows(live, edited, key, columns.shared, columns.append_remove_columns)
    missing = selection.select_live(rows.missing)
    if options.among is not None:
        missing = missing.filter(key.values(live, missing).is_in(options.among.implode()))
    rows = replace(rows, missing=missing)
    findings = pl.concat([repairs, unknown_keys(selection.unknown(edited, key))])
    return _Matched(MatchedTables(live, edited, key, columns, rows), len(excluded), findings, repairs)


def _row_findings(
    tables: MatchedTables, damaged: pl.DataFrame, suggestions: pl.DataFrame, options: CompareOptions
) -> pl.DataFrame:
    likely = suggest_rekeys(tables.live, tables.edited, tables.rows, tables.plain_fields)
    likely = likely.join(damaged, on=["edited", "live"], how="anti", maintain_order="left")
    return pl.concat(
        [
            row_findings(tables, damaged, suggestions, added=options.add_new),
            likely_rekeys(tables, likely),
        ]
    )


def _rivals_of_no_item(tables: MatchedTables) -> int:
    """How many rows share a key with another row that says something else, and are of no item."""
    keys = tables.rows.conflicting_duplicates["key"]
    return int(positions_of(tables.key.values(tables.live), keys).is_null().sum()) if len(keys) else 0


def _with_deletions(
    changes: ChangeSet, tables: MatchedTables, context: Context, damaged: pl.DataFrame, options: CompareOptions
) -> ChangeSet:
    if options.delete_at_most is None:
        return changes
    missing = tables.rows.missing
    rows = missing.filter(~missing.is_in(damaged["live"].implode()))
    if options.name_fields:
        # Without a value there a list could not name the item if it had it.
        rows = rows.filter(item_names(tables.live, options.name_fields, rows) != "")
    gone = describe_rows(tables.live, tables.key, rows).with_columns(row=rows)
    unidentified = len(tables.edited.unreadable_rows) + len(tables.rows.missing_key) + options.unidentified
    return add_deletions(changes, context, gone, options.delete_at_most, unidentified)


def with_findings(compared: CompareResult, findings: pl.DataFrame) -> CompareResult:
    """The comparison with findings, and with what they do done: a row of which nothing is left is refused."""
    keys = compared.changes.items["key"]
    more = items_of_findings(findings, keys, compared.tables, compared.states)
    changes = apply_findings(with_known_items(compared.changes, more), findings)
    # What a finding made of a row, its item knows.
    item_states = (
        changes.items.drop_nulls(["line", "row_state"]).select("line", "row_state").unique("line", keep="first")
    )
    rows = compared.states.with_columns(line=compared.tables.edited_lines(compared.states["edited"]))
    rows = rows.join(item_states, on="line", how="left", maintain_order="left")
    states = rows.select("edited", state=pl.coalesce("row_state", "state"))
    return replace(compared, changes=changes, states=states)


def with_repaired_keys(live: Table, edited: Table, key: Key, options: CompareOptions) -> tuple[Table, pl.DataFrame]:
    """The edited file with damaged keys repaired, also those in doubt if that is wanted; and a finding on each."""
    fields = [name for name in live.names if name in edited.names and name not in key.fields]
    pairs = repairable_keys(live, edited, key, fields, in_doubt=options.repair_keys)
    if pairs.is_empty():
        return edited, no_findings()
    return with_keys_of(live, edited, key, pairs), repaired_keys(live, edited, key, pairs)


def about_rows_of(sheet: Table, findings: pl.DataFrame) -> pl.DataFrame:
    """The findings but for those on lines that are none of the sheet's, such as rows of items outside the scope."""
    return findings.filter(pl.col("line").is_null() | pl.col("line").is_in(sheet.rows.line.implode()))


def _check_types(options: CompareOptions, columns: ColumnMapping) -> None:
    names = [kind.name for kind in field_types()]
    for name, kind in options.types.items():
        if field_name(name) not in columns.compared:
            raise InvalidOption(
                "this column is not in both files",
                option="type",
                value=f"{name}={kind}",
                hint=nearest_hint(name, columns.shared, "Columns of both"),
            )
        if kind not in names:
            raise InvalidOption(
                "there is no such type",
                option="type",
                value=f"{name}={kind}",
                hint=nearest_hint(kind, sorted(names), "Types"),
            )

"""Compare with somebody else's list: bring it into our terms, compute what rules say, then compare it like a sheet."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.findings import as_data, findings_frame, no_findings
from neat_delta.changeset.problems import LAYOUT_CHANGED, NO_SKU, UNUSED_COLUMN
from neat_delta.diff.compare import (
    CompareOptions,
    CompareResult,
    about_rows_of,
    compare,
    with_findings,
    with_repaired_keys,
)
from neat_delta.diff.computed_columns import add_computed_columns, findings_about_changes
from neat_delta.diff.formulas import LIVE, Formula, parse_formula
from neat_delta.diff.new_keys import with_new_keys, with_numbered_keys
from neat_delta.matching import Key, choose_key
from neat_delta.matching.column_drift import column_natures, drift
from neat_delta.matching.context import Context
from neat_delta.matching.item_names import fields_label, with_live_keys
from neat_delta.matching.similarity import find_name_field
from neat_delta.matching.supplier_mapping import (
    ColumnMatch,
    column_matches,
    map_columns,
    without_fields,
)
from neat_delta.matching.unused_columns import unused_columns
from neat_delta.matching.value_mapping import mapping_data
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.tables import Table
    from neat_delta.tables.settings import SupplierProfile


# What is another way with a list than last time.


def compare_supplier_file(
    live: Table,
    sheet: Table,
    profile: SupplierProfile,
    options: CompareOptions,
    progress: ProgressReporter = NO_PROGRESS,
) -> tuple[CompareResult, list[ColumnMatch]]:
    """Compare a file by what is configured for it as a list; and tell which of its columns stands for which field.

    Raises:
        InvalidOption: something that is configured or told names what does not exist.
        AmbiguousKey: no column can be taken as the key without asking.
    """
    if live.source_sha256 is not None:
        raise InvalidOption(
            "this is a sheet for editing; the live export must come first",
            file=live.source.path,
            hint="Swap the two files.",
            code="files-swapped",
            live=sheet.source.name,
            edited=live.source.name,
        )
    mapped = map_columns(sheet, live, options.settings, profile)
    matches = column_matches(sheet, without_fields(mapped, profile.skip), live)
    # Whoever keeps a list of their own has their own names and codes for things.
    as_list = profile.is_configured or any(name not in live.names for name in sheet.names)
    options = replace(options, suggest_items=as_list, name_fields=profile.match_on)
    compared = replace(_compared(live, mapped, profile, options, progress), original=sheet)
    if not profile.drift_baseline:  # what was there last time is given below
        _insist_on_something_to_compare(compared, sheet, options)
    _insist_on_order(compared, sheet, options)
    compared = _with_unused(compared, profile)
    drifted = drift(profile.drift_baseline, column_natures(sheet)) if profile.drift_baseline else []
    if not drifted:
        return compared, matches
    compared = replace(compared, profile_drift=tuple(drifted))
    message = pl.Series("difference", drifted, dtype=pl.String)
    findings = findings_frame(LAYOUT_CHANGED, message=message, data=as_data(message.to_frame()))
    return with_findings(compared, findings), matches


def _with_unused(compared: CompareResult, profile: SupplierProfile) -> CompareResult:
    """The comparison with a warning for each column that is not used although it holds a field's values.

    What was there last time has been answered then.
    """
    last_time = {field_name(column) for column in profile.drift_baseline}
    columns = [name for name in compared.columns.only_edited if name not in last_time and name in compared.edited.names]
    fields = [name for name in compared.columns.only_live if name not in profile.skip]
    unused = unused_columns(compared.live, compared.edited, compared.key, columns, fields)
    if not unused:
        return compared
    said = (
        f"the column {one.column} is not used, although it has the values of {one.field} in {one.alike:,} of "
        f"{one.filled:,} rows: edits in it are not sent"
        for one in unused
    )
    findings = findings_frame(
        UNUSED_COLUMN,
        field=pl.Series([one.field for one in unused], dtype=pl.String),
        value=pl.Series([one.column for one in unused], dtype=pl.String),
        message=pl.Series(list(said), dtype=pl.String),
    )
    return with_findings(compared, findings)


def _insist_on_something_to_compare(compared: CompareResult, sheet: Table, options: CompareOptions) -> None:
    """Refuse two files that have nothing but the key in common, unless new or missing rows are all that is wanted."""
    asked = (
        options.add_new
        or options.delete_at_most is not None
        or options.accepted_rekeys is not None
        or options.settings.identity
    )
    if asked or any(name not in compared.key.fields for name in compared.columns.compared):
        return
    raise InvalidOption(
        f"the two files have only {' and '.join(compared.key.fields)} in common, so there is nothing to compare; "
        f"columns of {compared.live.source.name}: {', '.join(compared.live.names)}; "
        f"of this file: {', '.join(compared.columns.only_edited) or 'none'}",
        file=compared.edited.source.path,
        hint="Map a column to a field.",
        code="no-common-column",
        fields=", ".join(compared.live.names),
        **mapping_data(compared.live, sheet, compared.columns.only_edited, compared.columns.only_live),
    )


def _insist_on_order(compared: CompareResult, sheet: Table, options: CompareOptions) -> None:
    """Refuse a sheet that looks like the whole export while the export looks like a part of it."""
    counts, live = compared.changes.counts, compared.live
    more = counts["new"] * 2 > len(sheet) and not counts["missing"] and len(live) < len(sheet)
    if more and not options.add_new and set(live.names) < set(sheet.names):
        raise InvalidOption(
            f"{counts['new']:,} of {len(sheet):,} rows have a SKU that is not in {live.source.name}, which also has "
            "fewer columns; the two files seem to be swapped",
            file=sheet.source.path,
            hint="Swap the two files, or allow new items.",
            code="files-seem-swapped",
            live=sheet.source.name,
            edited=live.source.name,
        )


def _parse_what_rules_need(live: Table, key: Key, formulas: Sequence[Formula], options: CompareOptions) -> None:
    """Parse at once the columns that are asked for one by one later; parsing costs by the pass, not by the column."""
    needed = [rule.field for rule in formulas] + [name.removeprefix(LIVE) for rule in formulas for name in rule.names]
    names = [*key.fields, find_name_field(live, key), *options.settings.roles.price_and_cost(live), *needed]
    live.cells([name for name in dict.fromkeys(names) if name in live.names])


def _compared(
    live: Table, ours: Table, profile: SupplierProfile, options: CompareOptions, progress: ProgressReporter
) -> CompareResult:
    """The list, its columns in our terms, compared once its rows have our codes and its rules are worked out."""
    rules = [parse_formula(text) for text in profile.rules]
    rules_new = [parse_formula(text) for text in profile.rules_new] if options.add_new else []
    if profile.new_sku and not options.add_new:
        hint = "Add new items, or leave it out."
        raise InvalidOption("SKUs for new items, but no new items are added", option="new_sku", hint=hint)
    if not (rules or rules_new or profile.match_on or profile.codes or profile.new_sku):
        return compare(live, without_fields(ours, profile.skip), options, progress)
    names = live.names if profile.match_on else [name for name in live.names if name in ours.names]
    key = choose_key(live, names, options.key or options.settings.key)
    ours, unidentified = with_live_keys(ours, live, key, profile, for_new=options.add_new)
    nameless: pl.DataFrame = unidentified
    context = Context(live, options.settings, key)
    about = no_findings()
    for rule in [rule for rule in rules_new if rule.field in key.fields]:
        several = nameless.filter("several")["row"]
        ours, about, keyed = with_new_keys(context, ours, rule, several)
        nameless = nameless.filter(~pl.col("row").is_in(keyed.implode()))
        rules_new.remove(rule)
    if profile.new_sku:
        ours, keyed = with_numbered_keys(context, ours, profile.new_sku, nameless)
        nameless = nameless.filter(~pl.col("row").is_in(keyed.implode()))
    about = pl.concat(
        [about, _about_nameless(ours, key, fields_label(profile.match_on), nameless, added=options.add_new)]
    )
    # Rules must know which item a row is about, so damaged codes are made good before them.
    ours, rescues = with_repaired_keys(live, ours, key, options)
    about = pl.concat([rescues, about])
    options = replace(options, key=key.fields, repair_keys=False, unidentified=int(nameless["several"].sum()))
    if not (rules or rules_new):
        compared = compare(live, without_fields(ours, profile.skip), options, progress)
        return with_findings(compared, about_rows_of(compared.edited, about))
    progress.step("calculating")
    _parse_what_rules_need(live, key, [*rules, *rules_new], options)
    for_new = rules_new if options.add_new else None
    last_time = [field_name(column) for column in profile.drift_baseline]
    computed, findings = add_computed_columns(context, ours, rules, for_new=for_new, last_time=last_time)
    emptied = frozenset(rule.field for rule in rules if rule.empties)
    computed_fields = {rule.field for rule in (*rules, *rules_new)}
    computed = without_fields(computed, [name for name in profile.skip if name not in computed_fields])
    options = replace(options, constant_blanks=emptied, computed=frozenset(computed_fields))
    compared = compare(live, computed, options, progress)
    about = pl.concat([about, findings_about_changes(findings, compared.changes)])
    return with_findings(compared, about_rows_of(compared.edited, about))


def _about_nameless(ours: Table, key: Key, on: str, nameless: pl.DataFrame, *, added: bool) -> pl.DataFrame:
    """Findings on the rows that several items may be, and on those that would become items without a code of ours."""
    multiple = f"several shop items have this {on}. Map it to one SKU"
    new = f"no item has this {on}; a new item needs a SKU. Map it to one"
    stopped = nameless if added else nameless.filter("several")
    return findings_frame(
        NO_SKU,
        key=key.values(ours, stopped["row"]),
        line=ours.rows.line.gather(stopped["row"]),
        value=stopped["on"],
        message=stopped.select(pl.when("several").then(pl.lit(multiple)).otherwise(pl.lit(new))).to_series(),
    )

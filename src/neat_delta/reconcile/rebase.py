"""A sheet beside the export it was made from and the export of now: only what a person typed is a change.

Before comparing, each cell that nobody touched gets the value that the shop has now. After comparing, each change of a
cell that the shop has changed too is a conflict, decided as in a refresh.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.findings import BLOCK, findings_frame
from neat_delta.changeset.problems import GONE_SINCE, NOTE
from neat_delta.changeset.schemas import CHANGE, RECODE
from neat_delta.diff.cell_diff import EMPTY_CELL
from neat_delta.diff.compare import CompareOptions, CompareResult, compare, with_repaired_keys
from neat_delta.diff.links import following_links
from neat_delta.matching.context import Context
from neat_delta.matching.positions import positions_of
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.reconcile.refresh import with_difference
from neat_delta.reconcile.three_way import MOVED, cell_states
from neat_delta.replay import explain
from neat_delta.tables.field import ADD, TAKE
from neat_delta.tables.field_types import every_character_counts, type_named

if TYPE_CHECKING:
    from neat_delta.matching import Key
    from neat_delta.tables import Table


@dataclass(frozen=True)
class RebasedSheet:
    """An edited sheet in the live export's form, in which cells that nobody touched have the shop's values of now.

    Attributes:
        sheet: the sheet.
        compared: the comparison of the sheet with its base.
        keys: the keys of the items in the base; no other item is missing from the sheet.
        moved: how many cells the shop has changed since, and nobody else.
        added_up: how many cells add our difference to what the shop has now.
        gone: rows of the sheet whose items are no longer in the shop (key, line, touched).
        findings: what was found in cells of the sheet (such that cannot be read), and on repaired keys.
        values: the base of every touched cell (key, field, then); null where it was blank.
        shown: the sheet as people are to see it, with what they typed in cells that cannot be taken.
    """

    sheet: Table
    shown: Table
    compared: CompareResult
    keys: pl.Series
    moved: int
    added_up: int
    gone: pl.DataFrame
    findings: pl.DataFrame
    values: pl.DataFrame


def rebase(base: Table, live: Table, sheet: Table, key: Key, options: CompareOptions) -> RebasedSheet:
    """Give the cells of a sheet that nobody touched the values that the shop has now.

    Args:
        base: the live values that the sheet was made from: those of its own cells, or a whole export.
        live: the live export of now.
        sheet: the edited sheet, its columns under our fields.
        key: what identifies an item.
        options: how sheets are compared here.

    Raises:
        InvalidOption: the base lacks the key.
    """
    _insist_on_key(base, sheet, key)
    sheet = replace(sheet, source_sha256=None)
    sheet, repairs = with_repaired_keys(base, sheet, key, options)
    compared = compare(base, sheet, _options_for(base, key, options))
    touched = _typed_cells(compared, base, key, options)
    in_cells = compared.changes.findings.drop_nulls(["key", "field"])
    # A row with a new SKU is that of the item under its old one; in the shop it may have either by now.
    olds = {new: old for old, new in compared.changes.new_keys().items()}
    typed_keys, base_keys = key.values(sheet), key.values(base)
    keys = typed_keys.replace(olds) if olds else typed_keys
    in_base = positions_of(base_keys, keys)
    in_live = _coalesced(positions_of(key.values(live), keys), positions_of(key.values(live), typed_keys))
    rows = (in_base.is_not_null() & in_live.is_not_null()).arg_true()
    others = in_base.is_null().arg_true()
    cells, moved, added_up = _with_others_in_live_form(sheet, live, key, options, others), 0, 0
    for name in _fields(base, live, sheet, key):
        then = base.cells([name], in_base.gather(rows)).to_series()
        # A blank cell speaks for itself, unless it was blank before.
        says = cells[name].gather(rows).str.contains(r"\S") | ~then.str.contains(r"\S")
        at, then = rows.filter(says), then.filter(says)
        here = live.cells([name], in_live.gather(at)).to_series()
        by_hand = touched.filter(pl.col("field") == name)
        changed_since = keys.gather(at).filter(then != here)
        by_hand = _without_explained(by_hand, changed_since, compared, options)
        column, typed = _column(keys.gather(at), here, by_hand)
        moved += int(((then != here) & ~typed).sum())
        if name in options.settings.refresh.difference:
            sums = with_difference(then, column, here, live.format.decimal_separator or ".")["sum"]
            add = typed & (then != here) & sums.is_not_null()
            column, added_up = sums.zip_with(add, column), added_up + int(add.sum())
        cells = cells.with_columns(cells[name].scatter(at, column))
    gone = pl.DataFrame({"key": keys, "line": sheet.rows.line}).filter(in_base.is_not_null() & in_live.is_null())
    form = replace(sheet.format, decimal_separator=live.format.decimal_separator)
    rebased = replace(sheet, rows=FrameRows(sheet.rows.line, cells), format=form, base=())
    return RebasedSheet(
        sheet=rebased,
        shown=replace(rebased, rows=FrameRows(sheet.rows.line, _with_typed(cells, sheet, keys, in_cells))),
        compared=compared,
        keys=base_keys,
        moved=moved,
        added_up=added_up,
        gone=gone.with_columns(touched=pl.col("key").is_in(pl.concat([touched["key"], in_cells["key"]]).implode())),
        findings=pl.concat([repairs, in_cells]),
        values=touched.filter(~pl.col("field").is_in(options.settings.refresh.difference)).select(
            "key", "field", original="was"
        ),
    )


def _typed_cells(compared: CompareResult, base: Table, key: Key, options: CompareOptions) -> pl.DataFrame:
    """The cells that differ from the base, but for links that follow new SKUs: they do so in the shop of now."""
    follow = following_links(compared.changes, Context(base, options.settings, key)).select("key", "field")
    return compared.changes.cells.join(follow, on=["key", "field"], how="anti", maintain_order="left")


def _without_explained(
    cells: pl.DataFrame, changed_since: pl.Series, compared: CompareResult, options: CompareOptions
) -> pl.DataFrame:
    """The changed cells of one field, but for those of these items that a spreadsheet program explains.

    What it made of the old value is no edit, and the shop's new value is kept. (Of all other items the checks tell it.)
    """
    if cells.is_empty() or changed_since.is_empty():
        return cells
    name = cells["field"][0]
    kind = type_named(compared.changes.head.fields[name].type)
    if name in options.as_typed or not every_character_counts(kind):
        return cells
    # (All cells of the field are evidence.)
    both = cells.drop_nulls(["was", "now"])
    by_program = explain(both.select("was", "now")).is_not_null() & both["key"].is_in(changed_since.implode())
    return cells.join(both.filter(by_program).select("key"), on="key", how="anti", maintain_order="left")


def _insist_on_key(base: Table, sheet: Table, key: Key) -> None:
    lacking = [name for name in key.fields if name not in base.names]
    if lacking:
        raise InvalidOption(
            f"{base.source.name} has no column {lacking[0]}, so {sheet.source.name} was not made from it",
            file=base.source.path,
            hint="Give the export that it was made from.",
        )


def _coalesced(one: pl.Series, other: pl.Series) -> pl.Series:
    """The first where it is there, else the other."""
    return one.zip_with(one.is_not_null(), other)


def _with_others_in_live_form(
    sheet: Table, live: Table, key: Key, options: CompareOptions, others: pl.Series
) -> pl.DataFrame:
    """The cells of a sheet, those of the ``others``, rows that its base lacks, as the live export writes values.

    From here on the sheet is read in that form. What is an error stays as typed, and so is an error again.
    """
    cells = sheet.cells(sheet.names)
    if others.is_empty() or sheet.format.decimal_separator in (None, live.format.decimal_separator):
        return cells
    changes = compare(live, sheet, replace(_options_for(live, key, options), add_new=True)).changes
    keys = key.values(sheet)
    wrong = changes.findings.filter(pl.col("effect") == BLOCK)["key"].drop_nulls()
    sound = keys.is_not_null() & ~keys.is_in(wrong.implode())
    others = others.filter(sound.gather(others))
    keys = keys.gather(others)
    in_live = positions_of(key.values(live), keys)
    for name in _fields(live, live, sheet, key):
        here = live.cells([name]).to_series().gather(in_live)
        column, _ = _column(keys, here, changes.cells.filter(pl.col("field") == name))
        says = cells[name].gather(others).str.contains(r"\S").fill_null(value=False) & column.is_not_null()
        cells = cells.with_columns(cells[name].scatter(others.filter(says), column.filter(says)))
    return cells


def _options_for(base: Table, key: Key, options: CompareOptions) -> CompareOptions:
    """How the sheet is compared with its base: all rows of it, and neither new nor missing ones."""
    return CompareOptions(
        key=key.fields,
        clear_blanks=options.clear_blanks,
        types={name: kind for name, kind in options.types.items() if name in base.names},
        constant_blanks=options.constant_blanks,
        accepted_rekeys=options.accepted_rekeys,
        settings=options.settings,
        as_typed=options.as_typed,
    )


def _fields(base: Table, live: Table, sheet: Table, key: Key) -> list[str]:
    """The fields that all three have, but for those of which the sheet adds or takes single values."""
    return [
        name
        for name in sheet.names
        if name in base.names
        and name in live.names
        and name not in key.fields
        and not any(f"{name}{sign}" in sheet.names for sign in (ADD, TAKE))
    ]


def _column(keys: pl.Series, here: pl.Series, cells: pl.DataFrame) -> tuple[pl.Series, pl.Series]:
    """What the shop has, with what was typed in its place, in the live export's form; and where that is."""
    at = positions_of(cells["key"], keys)
    typed = at.is_not_null()
    return cells["now"].fill_null(EMPTY_CELL).gather(at).zip_with(typed, here), typed


def _with_typed(cells: pl.DataFrame, sheet: Table, keys: pl.Series, findings: pl.DataFrame) -> pl.DataFrame:
    """These cells, but as typed where something was found in them."""
    for (name,), part in (
        findings.filter(pl.col("field").is_in(cells.columns)).partition_by("field", as_dict=True).items()
    ):
        at = keys.is_in(part["key"].implode()).arg_true()
        cells = cells.with_columns(cells[str(name)].scatter(at, sheet.cells([str(name)], at).to_series()))
    return cells


def conflicts_of(compared: CompareResult, rebased: RebasedSheet, options: CompareOptions) -> pl.DataFrame:
    """The changes of cells that the shop has changed too (key, field, original, ours, shop)."""
    cells = compared.changes.cells_with_action(CHANGE, RECODE)
    cells = cells.join(rebased.values, on=["key", "field"], how="inner", maintain_order="left")
    sides = cells.select("key", "field", "original", ours="now", shop="was")
    parts = [sides.clear()]
    for (name,), part in sides.partition_by("field", as_dict=True, maintain_order=True).items():
        states = cell_states(str(name), part["original"], part["ours"], part["shop"], compared.live, options.settings)
        parts.append(part.filter(states == MOVED))
    return pl.concat(parts)


def gone_findings(rebased: RebasedSheet) -> pl.DataFrame:
    """Findings on rows whose items are no longer in the shop; none of them becomes a new item again."""
    touched, others = rebased.gone.filter("touched"), rebased.gone.filter(~pl.col("touched"))
    lost = "the item is no longer in the shop; its changes are not sent"
    return pl.concat(
        [
            findings_frame(GONE_SINCE, key=touched["key"], line=touched["line"], message=_each(lost, touched)),
            findings_frame(
                GONE_SINCE, NOTE, BLOCK, key=others["key"], line=others["line"],
                message=_each("the item is no longer in the shop", others),
            ),
        ]
    )  # fmt: skip


def _each(message: str, rows: pl.DataFrame) -> pl.Series:
    return pl.repeat(message, len(rows), dtype=pl.String, eager=True)

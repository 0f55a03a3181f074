"""The proof: written files, read back from their bytes and applied as a shop would, give exactly what was meant.

A shop that imports a file of changes finds each row's item by the key, puts the row's cells in place of the item's, a
blank one too unless it is configured that blanks leave a field alone, and leaves every other cell and item as it was. A
file of new items makes an item of each row, blank in every field that the file does not have; a file of removals takes
the items out that it names. So only items with a row need to be looked at, provided that each key names exactly one
live item, or none if it is to be new, which is checked.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import ProofFailed
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.matching import KEY_SEPARATOR, Key
from neat_delta.matching.key import key_parts
from neat_delta.matching.positions import positions_of
from neat_delta.reading import ReadOptions, read_table
from neat_delta.tables import field_name
from neat_delta.update.files import FILES, requested_cells
from neat_delta.update.import_format import PARQUET, other_mark
from neat_delta.update.parquet import without_zeros_behind
from neat_delta.update.record_formats import record_suffix
from neat_delta.update.record_proof import items_in, run_sql
from neat_delta.update.sql_script import SQL_FORMATS

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence
    from pathlib import Path

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.update.import_format import ImportFormat


REPORT = "Nothing was written. Please report this with the two files."


@dataclass(frozen=True)
class SimulatedStore:
    """The items that an update touches, as they are at one moment: a frame of key and all fields.

    Those that are not there at that moment have no row.
    """

    items: pl.DataFrame
    live: Table
    key: Key
    import_format: ImportFormat
    touched: pl.Series

    def shown(self, values: pl.Series) -> pl.Series:
        """Values of a field as they can be told apart: a number that has a type has no zeros of its own behind it."""
        return without_zeros_behind(values) if values.name in self.import_format.decimals else values

    def with_filled(self, cells: pl.DataFrame | None) -> SimulatedStore:
        """The same with some cells filled (frame of key, field, now)."""
        items = self.items
        for key, field, now in () if cells is None else cells.select("key", "field", "now").iter_rows():
            at = (items[KEY_SEPARATOR] == key).arg_true()
            items = items.with_columns(items[field].scatter(at, now))
        return replace(self, items=items)


def store_before(changes: ChangeSet, live: Table, way_in: ImportFormat) -> SimulatedStore:
    """The touched items as the live export has them.

    Raises:
        ProofFailed: an item of the change set is not exactly once in the live export, or a new one is there already.
    """
    key = Key(changes.head.key, explicit=True)
    touched, codes = changes.keys_with_action(CHANGE, RECODE, REMOVE)["key"], key.values(live)
    added = changes.keys_with_action(ADD)["key"]
    taken = added.filter(added.is_in(codes.implode())) if len(added) else added
    if len(taken):
        raise ProofFailed(
            "the change set adds an item that is already in the live export",
            file=live.source.path,
            column=" and ".join(key.fields),
            value=_tell(taken[0]),
        )
    rows = positions_of(codes, touched)
    # An item that is there twice has no place.
    if rows.has_nulls() or rows.n_unique() < len(rows):
        counts = touched.to_frame("key").join(codes.value_counts(), left_on="key", right_on=codes.name, how="left")
        wrong = counts.filter((pl.col("count") != 1).fill_null(value=True) | pl.col("key").is_duplicated())
        raise ProofFailed(
            "the change set has an item that is not exactly once in the live export",
            file=live.source.path,
            column=" and ".join(key.fields),
            value=_tell(wrong["key"][0]),
        )
    cells, live = live.cells(live.names, rows), way_in.renamed(live)
    return SimulatedStore(cells.insert_column(0, touched.alias(KEY_SEPARATOR)), live, key, way_in, touched)


def expected(before: SimulatedStore, changes: ChangeSet) -> SimulatedStore:
    """The touched items with exactly the change set's cells changed, its new items there and its removed ones not.

    Raises:
        ProofFailed: a cell does not hold what the change set says was there.
    """
    items = pl.concat([before.items, _blank(before, changes.keys_with_action(ADD)["key"])])
    placed = changes.cells.with_columns(at=positions_of(items[KEY_SEPARATOR], changes.cells["key"]))
    for (field,), cells in placed.partition_by("field", as_dict=True, maintain_order=True).items():
        at = cells["at"]
        was, shop = cells["was"].fill_null(""), items[str(field)].gather(at)
        if (was != shop).any():
            wrong = _first(was != shop)
            raise ProofFailed(
                f"the change set has {was[wrong]!r} as the old value, but the live export has {shop[wrong]!r}",
                file=before.live.source.path,
                column=str(field),
                value=_tell(cells["key"][wrong]),
            )
        items = items.with_columns(items[str(field)].scatter(at, cells["now"].fill_null("")))
    items = items.join(
        changes.keys_with_action(REMOVE), left_on=KEY_SEPARATOR, right_on="key", how="anti", maintain_order="left"
    )
    return replace(before, items=_recoded(items, changes.new_keys(), before))


def _recoded(items: pl.DataFrame, to: Mapping[str, str], shop: SimulatedStore) -> pl.DataFrame:
    """The items with other keys, by their old ones."""
    if not to:
        return items
    keys = items[KEY_SEPARATOR].replace(dict(to))
    names = list(shop.key.fields)
    parts = key_parts(keys, names)
    return items.with_columns(keys.alias(KEY_SEPARATOR), *parts.get_columns())


def _blank(shop: SimulatedStore, keys: pl.Series) -> pl.DataFrame:
    """New items with nothing but their key."""
    codes = key_parts(keys, shop.key.fields).with_columns(keys.alias(KEY_SEPARATOR))
    names = [name for name in shop.items.columns if name not in codes.columns]
    return codes.with_columns(pl.lit("").alias(name) for name in names).select(shop.items.columns)


def simulate_import(
    before: SimulatedStore, files: Sequence[tuple[Path, str]], asked: pl.DataFrame, may_fill: Callable[[str], bool]
) -> SimulatedStore:
    """The touched items after the shop has imported these files, one after another; each with what its items do.

    ``asked`` are the cells that are to change (key, field). A file of changes may have another cell only in a field
    that the importer insists on, or of which ``may_fill`` says so: for the shop may have moved on there meanwhile.

    Raises:
        ProofFailed: a file has a row that cannot be read, a column the shop does not know, an unknown key, or a cell
            that nobody asked for.
    """
    store = before
    for path, action in files:
        store = replace(before, items=_imported(store, path, action, asked, may_fill))
    return store


def _imported(
    store: SimulatedStore, path: Path, action: str, asked: pl.DataFrame, may_fill: Callable[[str], bool]
) -> pl.DataFrame:
    """The items after one file."""
    output_format, config = store.import_format.output_format, store.import_format.config
    if output_format in SQL_FORMATS:
        items = _as_held(store.items, store)
        held = run_sql(path, items, store.live, store.key.fields, config.table, output_format)
        return _as_held(held, store)
    if record_suffix(output_format) is not None:
        return _patched(store, path, action)
    sheet = _read_back(store, path)
    sheet = _without_constants(sheet, store.import_format.constants(FILES[action]), path)
    if action == RECODE:
        return _after_codes(store, sheet)
    _require_known_columns(store, sheet, path)
    sheet = sheet.renamed({field_name(field.column): field.name for field in store.live.fields})
    cells, keys, items = sheet.cells(sheet.names), store.key.values(sheet), store.items
    if action == ADD:
        _require(~keys.is_in(items[KEY_SEPARATOR].implode()), "this new item is there already", sheet, keys, path)
        items = pl.concat([items, _blank(store, keys)])
    at = positions_of(items[KEY_SEPARATOR], keys)
    sound = at.is_not_null() & ~at.is_duplicated()
    _require(sound, "the key of this row is not in the change set, or twice", sheet, keys, path)
    if action == REMOVE:
        return items.filter(~pl.col(KEY_SEPARATOR).is_in(keys.implode()))
    if action == CHANGE:
        _assert_only_requested(cells, keys, asked, store, may_fill, path)
    return items.with_columns(
        items[name].scatter(at, store.import_format.value_after_import(cells[name], items[name].gather(at)))
        for name in sheet.names
        if name not in store.key.fields  # by these the rows were found
    )


def _read_back(store: SimulatedStore, path: Path) -> Table:
    written = store.import_format.file_format
    typed = store.import_format.output_format == PARQUET
    text = ReadOptions(written.delimiter, written.writing_encoding, header_line=1, keep_non_data=True)
    options = ReadOptions(keep_non_data=True) if typed else text
    sheet = read_table(path, options=options)
    if len(sheet.unreadable_rows) or sheet.unnamed_columns:
        raise ProofFailed("the file just written cannot be read back", file=path.name)
    return sheet


def _without_constants(sheet: Table, constants: Mapping[str, str], path: Path) -> Table:
    """The file without the columns that have one value in every row, which is checked."""
    names = {field.column: field.name for field in sheet.fields}
    for column, value in constants.items():
        if column not in names or (sheet.cells([names[column]])[names[column]] != value).any():
            raise ProofFailed(f"this column should be {value!r} in every row", file=path.name, column=column)
    return replace(sheet, fields=tuple(field for field in sheet.fields if field.column not in constants))


def _require_known_columns(store: SimulatedStore, sheet: Table, path: Path) -> None:
    columns = {field.column for field in store.live.fields if field.name in store.items.columns}
    for field in sheet.fields:
        if field.column not in columns:
            raise ProofFailed("unexpected column", file=path.name, line=1, column=field.column)


def _require(sound: pl.Series, message: str, sheet: Table, keys: pl.Series, path: Path) -> None:
    """Refuse the first row that is not sound."""
    if not sound.all():
        wrong = _first(~sound)
        raise ProofFailed(message, file=path.name, line=sheet.rows.line[wrong], value=_tell(keys[wrong]))


def _assert_only_requested(
    cells: pl.DataFrame,
    keys: pl.Series,
    asked: pl.DataFrame,
    shop: SimulatedStore,
    may_fill: Callable[[str], bool],
    path: Path,
) -> None:
    """See that a file of changes would change nothing else in a shop that has moved on meanwhile."""
    rules = shop.import_format.config
    for name in cells.columns:
        if name in shop.key.fields or name in rules.columns or may_fill(name):
            continue
        here = keys if not rules.leaves_blanks else keys.filter(cells[name] != "")
        strange = here.filter(~here.is_in(asked.filter(field=name)["key"].implode()))
        if len(strange):
            raise ProofFailed("unexpected cell", file=path.name, column=name, value=_tell(strange[0]), hint=REPORT)


def _as_held(items: pl.DataFrame, shop: SimulatedStore) -> pl.DataFrame:
    """The items with the decimal separator of the shop's database, or back with that of its export."""
    return items.with_columns(
        other_mark(pl.col(name)) for name in items.columns if name in shop.import_format.separator_swapped
    )


def _after_codes(shop: SimulatedStore, sheet: Table) -> pl.DataFrame:
    """The items after a file of code changes: each old code must be there, and no new one.

    Raises:
        ProofFailed: an old code is not there, or two items would share a code at some moment.
    """
    depth = len(shop.key.fields)
    columns = [field.column for field in sheet.fields]
    key_columns = [shop.live.field(name).column for name in shop.key.fields]
    if columns != [*key_columns, *(f"new_{column}" for column in key_columns)]:
        raise ProofFailed("a file of SKU changes needs exactly the columns of old and new SKU", file=sheet.source.name)
    cells = sheet.cells(sheet.names)
    old, new = (
        cells.select(pl.concat_str(names, separator=KEY_SEPARATOR)).to_series()
        for names in (cells.columns[:depth], cells.columns[depth:])
    )
    items = shop.items
    # Items that the update does not touch keep their codes.
    untouched = shop.key.values(shop.live)
    untouched = untouched.filter(~untouched.is_in(shop.touched.implode()))
    in_use = pl.concat([items[KEY_SEPARATOR].rename(""), untouched.rename("")])
    wrong = (
        ~old.is_in(items[KEY_SEPARATOR].implode())
        | new.is_in(in_use.implode())
        | new.is_duplicated()
        | old.is_duplicated()
    )
    if wrong.any():
        at = _first(wrong)
        raise ProofFailed(
            "two items would share a SKU, or there is no such item",
            file=sheet.source.name,
            line=int(sheet.rows.line[at]),
            value=_tell(new[at]),
        )
    return _recoded(items, dict(zip(old, new, strict=True)), shop)


def _patched(shop: SimulatedStore, path: Path, action: str) -> pl.DataFrame:
    """The items after a file of JSON lines: columns that an item does not name stay, null empties them."""
    live, items = shop.live, shop.items
    columns = [live.field(name).column for name in shop.key.fields]
    patched = items_in(path, action, columns, shop.import_format.output_format)
    keys = pl.Series("key", list(patched), dtype=pl.String)
    is_known = keys.is_in(items[KEY_SEPARATOR].implode())
    if is_known.any() if action == ADD else not is_known.all():
        wrong = _first(is_known if action == ADD else ~is_known)
        what = "this new item is there already" if action == ADD else "this key is not in the change set"
        raise ProofFailed(what, file=path.name, value=_tell(keys[wrong]))
    if action == REMOVE:
        return items.filter(~pl.col(KEY_SEPARATOR).is_in(keys.implode()))
    if action == ADD:
        items = pl.concat([items, _blank(shop, keys)])
    names = {field.column: field.name for field in live.fields if field.name in items.columns}
    cells = [(key, names.get(column), value) for key, item in patched.items() for column, value in (item or {}).items()]
    long = pl.DataFrame(cells, schema={"key": pl.String, "field": pl.String, "now": pl.String}, orient="row")
    if long["field"].has_nulls():
        raise ProofFailed("unexpected column", file=path.name)
    for (name,), of_field in long.group_by("field", maintain_order=True):
        now = of_field["now"].fill_null("")
        if name in shop.import_format.separator_swapped:
            now = now.to_frame("now").select(other_mark(pl.col("now"))).to_series()
        items = items.with_columns(items[str(name)].scatter(positions_of(items[KEY_SEPARATOR], of_field["key"]), now))
    return items


def assert_same(got: SimulatedStore, expected_store: SimulatedStore, what: str) -> int:
    """Compare two states of the touched items cell by cell; returns how many cells were compared.

    Raises:
        ProofFailed: names the first cell that differs.
    """
    live, edited = got.items, expected_store.items
    if not live[KEY_SEPARATOR].equals(edited[KEY_SEPARATOR]):
        live, edited = live.sort(KEY_SEPARATOR), edited.sort(KEY_SEPARATOR)
    if not live[KEY_SEPARATOR].equals(edited[KEY_SEPARATOR]):
        strange = pl.concat(
            [live.join(edited, on=KEY_SEPARATOR, how="anti"), edited.join(live, on=KEY_SEPARATOR, how="anti")]
        )
        raise ProofFailed(
            f"{what}: an item too many, or too few",
            file=got.live.source.name,
            value=_tell(strange[KEY_SEPARATOR][0]),
            hint=REPORT,
        )
    names = [name for name in live.columns if name != KEY_SEPARATOR]
    for name in names:
        differ = got.shown(live[name]) != got.shown(edited[name])
        if differ.any():
            at = _first(differ)
            raise ProofFailed(
                f"{what}: this cell would become {live[name][at]!r} and should become {edited[name][at]!r}",
                file=got.live.source.name,
                column=got.live.field(name).column,
                value=_tell(live[KEY_SEPARATOR][at]),
                hint=REPORT,
            )
    return len(live) * len(names)


def _first(mask: pl.Series) -> int:
    return int(mask.arg_true()[0])


def _tell(key: str) -> str:
    return key.replace(KEY_SEPARATOR, " · ")


def prove(
    before: SimulatedStore,
    changes: ChangeSet,
    inverse: ChangeSet,
    files: Sequence[tuple[Path, str]],
    undo: Sequence[tuple[Path, str]],
    may_fill: Callable[[str], bool] = lambda _: False,
    irreversible: pl.DataFrame | None = None,
) -> int:
    """Apply the files to a simulated store and compare with what the change set says; then the undo files likewise.

    Args:
        before: the store with the live export.
        changes: what the update is to do.
        inverse: what its undo is to do.
        files: the update's files, each with what becomes of its items.
        undo: those of the undo.
        may_fill: whether a file may have a field's value for an item that does not change there.
        irreversible: cells that the undo cannot empty again (key, field, now).

    Returns:
        how many cells were compared.

    Raises:
        ProofFailed: it names the first cell that is not as it should be.
    """
    expected_store = expected(before, changes)
    restored = expected(expected_store, inverse)
    assert_same(restored, before.with_filled(irreversible), "the undo would not restore the live export")
    with ThreadPoolExecutor() as provers:
        # The undo starts from what the update must have made of the shop, or nothing is proved at all.
        back = provers.submit(simulate_import, expected_store, undo, requested_cells(inverse), may_fill)
        got = simulate_import(before, files, requested_cells(changes), may_fill)
        compared = assert_same(got, expected_store, "the update would go wrong")
        return compared + assert_same(back.result(), restored, "the undo would go wrong")

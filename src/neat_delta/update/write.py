"""The update: its files, their proof, the way back, the receipt; in one folder, whole or not at all."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import orjson
import polars as pl

from neat_delta.atomic_write import draft_folder, recover_dir, replace_dir
from neat_delta.changeset.changeset import ADD, CHANGE, NONE, RECODE, REMOVE
from neat_delta.changeset.invert import invert
from neat_delta.changeset.serialization import dump_changes
from neat_delta.errors import LiveMismatch, WriteError
from neat_delta.json_names import json_names, to_json
from neat_delta.progress import NO_PROGRESS, ProgressReporter
from neat_delta.reading import sha256_hex
from neat_delta.tables.settings import ImportConfig, Settings
from neat_delta.tables.type_inference import is_stock
from neat_delta.update.delimited import as_workbook, delimited
from neat_delta.update.field_sets import FEWEST_CELLS, FillRules, field_sets
from neat_delta.update.import_format import DELIMITED, TABBED, WORKBOOK, ImportFormat, import_format_of
from neat_delta.update.packing import Cost, OutputTable, costs, pack, parts_of
from neat_delta.update.proof import assert_same, expected, requested_cells, simulate_import, store_before
from neat_delta.update.receipt import RECEIPT, UNDO
from neat_delta.update.record_formats import RECORDS, SQL, lines_of, record_file
from neat_delta.update.replaceable import check_no_input_in, check_replaceable, remove_replaced

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.update.field_sets import FieldSets

# The forms that update files can have.
OUTPUT_FORMATS = (DELIMITED, TABBED, WORKBOOK, *RECORDS)
# The change set that the files beside it bring about: what undoes, settles and explains them later.
CHANGESET_FILE = "update.changes.jsonl"
FORMAT = 1
NO_SETTINGS = Settings()
# What files are called, by what becomes of their items.
FILES = {RECODE: "codes", ADD: "new-items", CHANGE: "changes", REMOVE: "removals"}
KEPT_SUFFIXES = (".csv", ".tsv", ".txt")


@json_names(action="does")
@dataclass(frozen=True)
class WrittenFile:
    """One file of an update: its name in the folder, what becomes of its items, rows, columns, size and fingerprint."""

    file: str
    action: str
    rows: int
    columns: list[str]
    bytes: int
    sha256: str


@dataclass(frozen=True)
class Receipt:
    """What was written where, and what the proof found."""

    folder: Path
    made: str | None
    changes_sha256: str
    live: dict[str, Any]
    key: Sequence[str]
    files: list[WrittenFile]
    undo: list[WrittenFile]
    items: int
    cells: int
    compared: int
    import_config: ImportConfig
    irreversible: int
    strategy: str
    choices: list[Cost]
    filled: dict[str, int]

    def as_dict(self) -> dict[str, Any]:
        """The form of receipt.json."""
        return {
            "neat_delta": FORMAT,
            "made": self.made,
            "changes": {
                "file": CHANGESET_FILE,
                "sha256": self.changes_sha256,
                "items": self.items,
                "cells": self.cells,
            },
            "live": self.live,
            "import": {"key": list(self.key)}
            | {name: told for name, told in to_json(self.import_config).items() if told},
            "packing": {"way": self.strategy, "choices": [to_json(choice) for choice in self.choices]}
            | ({"filled": self.filled} if self.filled else {}),
            "files": [to_json(written) for written in self.files],
            "undo": [to_json(written) for written in self.undo],
            "proof": {
                "verdict": "proved",
                "cells_changed": self.cells,
                "cells_compared": self.compared,
                "said": "read back and applied to the live export, the files give exactly the edited catalogue; "
                "the undo files give the live export back",
            },
            "cannot": [
                {
                    "cells": self.irreversible,
                    "say": "filled by the update; no file can empty them again, so undo leaves them",
                }
            ]
            if self.irreversible
            else [],
        }


def write_update(
    changes: ChangeSet,
    live: Table,
    folder: Path,
    settled: Settings = NO_SETTINGS,
    *,
    replace: bool = False,
    way: str = FEWEST_CELLS,
    shape: str = DELIMITED,
    turned: bool = False,
    as_of: datetime | None = None,
    kept: bytes | None = None,
    voice: ProgressReporter = NO_PROGRESS,
) -> Receipt | None:
    """Write the update files of a change set, prove them, and only then put them where they belong.

    They are written as ``settled`` of the shop's import, else as the shop exports, packed in that ``way``, in files of
    that ``shape``. ``turned`` puts the files that undo the change set first, and those that make it into the folder of
    the undo. The receipt tells when the export was made: ``as_of``, else what its file tells. ``kept`` is the change
    set's file form, where there is one. Returns ``None``, and touches nothing, if there is nothing to change.

    Raises:
        WrongLive: the change set was made from another live export.
        CannotWrite: the folder is in use or cannot be made, or a cell cannot be written in the live form.
        ProofFailed: the files would not do exactly what the change set says; they are removed.
    """
    if changes.head.live.sha256 != live.source.sha256:
        raise LiveMismatch(
            f"this change set was made from another file (it was {changes.head.live.name} with "
            f"{changes.head.live.rows} rows, fingerprint {changes.head.live.sha256[:12]}…)",
            file=live.source.path,
            remedy="Give the export it was made from with --live, or compare again with this one.",
        )
    _require_known_fields((*changes.head.key, *changes.head.fields), live, "the change set", "Compare again.")
    _require_known_fields(settled.imports.columns, live, "[import] in catalogue.toml", "Mend its columns.")
    if changes.items["do"].is_in([NONE]).all():
        return None
    place = Path(os.path.realpath(folder))
    recover_dir(place, remove_replaced)
    there_before = check_replaceable(place, folder, replace=replace)
    if there_before is not None:
        check_no_input_in(folder)

    def check(now: Path) -> None:
        if check_replaceable(now, folder, replace=replace) != there_before:
            raise WriteError("another update has been written here meanwhile", file=folder, remedy="Look at it first.")

    # What need not wait for another step has a thread of its own.
    with draft_folder(place) as draft, ThreadPoolExecutor() as writers:
        voice.step("writing the update")
        shop = import_format_of(changes, live, settled, shape)
        # What a file fills, a file may not be able to empty again.
        stays = changes.cells_with_action(CHANGE, RECODE).filter(
            pl.col("was").is_null() & (not settled.imports.can_empty)
        )
        way_back = invert(changes, stays)
        there, undoing = (draft / UNDO, draft) if turned else (draft, draft / UNDO)
        done = way_back if turned else changes
        keeping = writers.submit(_keep, done, draft, None if turned else kept)
        sets = field_sets(changes)
        sets_back = field_sets(way_back) if len(stays) or changes.new_keys() else sets.inverted()
        holes = hole_rules(changes, live, settled)
        packing = Packing(way, holes, sets)
        packing_back = Packing(way, holes, sets_back, back=True)
        back = writers.submit(_write, way_back, live, undoing, shop, packing_back)
        choices = writers.submit(costs, changes, live, shop.config.columns, holes, sets)
        (files, filled), (undo, _) = _write(changes, live, there, shop, packing), back.result()
        voice.step("proving the update")
        compared = prove(changes, way_back, live, shop, _at(there, files), _at(undoing, undo), packing.may_fill, stays)
        files, undo = (undo, files) if turned else (files, undo)
        receipt = Receipt(
            folder=folder,
            made=_stamp(datetime.now(UTC)),
            changes_sha256=keeping.result(),
            live=changes.head.live.as_dict() | {"as_of": _stamp(as_of or live.source.made)},
            key=changes.head.key,
            files=files,
            undo=undo,
            items=len(done.keys_with_action(CHANGE, RECODE, ADD, REMOVE)),
            cells=len(done.cells),
            compared=compared,
            import_config=settled.imports,
            irreversible=len(stays),
            strategy=way,
            choices=choices.result(),
            filled=filled,
        )
        (draft / RECEIPT).write_bytes(orjson.dumps(receipt.as_dict(), option=orjson.OPT_INDENT_2) + b"\n")
        replace_dir(draft, place, check, remove_replaced)
    return receipt


@dataclass(frozen=True)
class Packing:
    """How the cells of a change set, told apart by their sets of fields, go into files; ``back`` for the way back."""

    strategy: str
    holes: FillRules
    sets: FieldSets
    back: bool = False

    def may_fill(self, name: str) -> bool:
        """Whether a hole in this field may hold what the live export has."""
        return self.strategy != FEWEST_CELLS and not self.holes.leaves and name not in self.holes.never


def hole_rules(changes: ChangeSet, live: Table, settled: Settings) -> FillRules:
    """What may become of holes: money, stock, differences and locked fields are never sent unless they change."""
    never = {
        name
        for name, note in changes.head.fields.items()
        if note.type == "money" or is_stock(name, note.type or "") or settled.is_locked(name)
    }
    prices = (settled.money.price_of(live.names), settled.money.sale_of(live.names))
    never.update(settled.refresh.difference, (name for name in prices if name))
    return FillRules(settled.imports.leaves_blanks, frozenset(never))


def _stamp(when: datetime | None) -> str | None:
    """A time as the receipt tells it, in UTC."""
    return None if when is None else when.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def _keep(changes: ChangeSet, folder: Path, kept: bytes | None) -> str:
    """Put the change set beside the files that bring it about, and return its fingerprint."""
    data = dump_changes(changes) if kept is None else kept
    (folder / CHANGESET_FILE).write_bytes(data)
    return sha256_hex(data)


def prove(
    changes: ChangeSet,
    way_back: ChangeSet,
    live: Table,
    shop: ImportFormat,
    files: Sequence[tuple[Path, str]],
    undo: Sequence[tuple[Path, str]],
    may_fill: Callable[[str], bool] = lambda _: False,
    stays: pl.DataFrame | None = None,
) -> int:
    """Apply the files (and what becomes of their items) to the live export and compare; then the undo files likewise.

    ``stays`` are cells that the undo cannot empty again (key, field, now). ``may_fill`` tells of a field whether a file
    may have its value for an item that does not change there. Returns how many cells were compared. Raises
    ``ProofFailed`` naming the first cell that is not as it should be.
    """
    before = store_before(changes, live, shop)
    wanted = expected(before, changes)
    restored = expected(wanted, way_back)
    assert_same(restored, before.with_filled(stays), "the undo would not give the live export back")
    with ThreadPoolExecutor() as provers:
        # The undo starts from what the update must have made of the shop, or nothing is proved at all.
        asked, asked_back = requested_cells(changes), requested_cells(way_back)
        back = provers.submit(simulate_import, wanted, undo, asked_back, may_fill)
        got = simulate_import(before, files, asked, may_fill)
        compared = assert_same(got, wanted, "the update would go wrong")
        return compared + assert_same(back.result(), restored, "the undo would go wrong")


def _at(folder: Path, files: Sequence[WrittenFile]) -> list[tuple[Path, str]]:
    return [(folder / written.file, written.action) for written in files]


def _require_known_fields(names: Sequence[str], live: Table, whose: str, remedy: str) -> None:
    strange = [name for name in names if name not in live.names]
    if strange:
        raise WriteError(f"{whose} names a field that the live export does not have", column=strange[0], remedy=remedy)


def _write(
    changes: ChangeSet,
    live: Table,
    folder: Path,
    shop: ImportFormat,
    packing: Packing,
) -> tuple[list[WrittenFile], dict[str, int]]:
    """The files, and by field how many of their cells hold what the live export has."""
    folder.mkdir(exist_ok=True, parents=True)
    if shop.output_format in RECORDS:
        return _write_records(changes, live, folder, shop), {}
    rules, form = shop.config, shop.file_format

    def encoded(cells: pl.DataFrame) -> bytes:
        return as_workbook(cells) if shop.output_format == WORKBOOK else delimited(cells, form)

    def fits(cells: pl.DataFrame) -> bool:
        return rules.bytes is None or len(encoded(cells)) <= rules.bytes

    tables = pack(
        changes, live, rules.columns, packing.strategy, holes=packing.holes, back=packing.back, sets=packing.sets
    )
    filled: dict[str, int] = {}
    for table in tables:
        for name, count in table.filled.items():
            filled[name] = filled.get(name, 0) + count
    try:
        parts = [
            (table.action, part)
            for table in tables
            for part in parts_of(OutputTable(shop.written(table.cells)).headed(live), rules.rows, fits)
        ]
        files = [encoded(part) for _, part in parts]
    except UnicodeEncodeError as error:
        raise WriteError(
            f"the shop's character set ({form.charset}) has no character {error.object[error.start : error.end]!r}",
            file=live.source.path,
            remedy="Compare again: such cells are then refused one by one.",
        ) from error
    own = live.source.path.suffix.lower()
    suffix = {WORKBOOK: ".xlsx", TABBED: ".tsv"}.get(shop.output_format, own if own in KEPT_SUFFIXES else ".csv")
    told = [(does, len(part), part.columns, data) for (does, part), data in zip(parts, files, strict=True)]
    return _put_files(told, folder, suffix), filled


def _write_records(changes: ChangeSet, live: Table, folder: Path, shop: ImportFormat) -> list[WrittenFile]:
    """Files of a form without rectangles; an SQL script is one transaction and is not parted."""
    rules, shape = shop.config, shop.output_format
    columns = [
        live.field(name).column for name in live.names if name in changes.head.fields or name in changes.head.key
    ]
    told: list[tuple[str, int, list[str], bytes]] = []
    scripts = []
    if changes.new_keys():
        raise WriteError(
            f"code changes go into tables only, not into {shop.output_format}",
            remedy="Say --form delimited, tsv or xlsx.",
        )
    for does in (ADD, CHANGE, REMOVE):
        lines = lines_of(changes, live, does, shop, shape)
        if lines.is_empty():
            continue
        scripts.append(lines)
        frame = lines.to_frame("line")

        def fits(part: pl.DataFrame) -> bool:
            return rules.bytes is None or len(record_file([part["line"]], shape)) <= rules.bytes

        if shape != SQL:
            # There is no header line, so that one more item finds room.
            parts = parts_of(frame, None if rules.rows is None else rules.rows + 1, fits)
            columns = _columns(changes, live, does)
            told += [(does, len(part), columns, record_file([part["line"]], shape)) for part in parts]
    if shape == SQL and scripts:
        columns = _columns(changes, live, CHANGE, ADD, REMOVE)
        told = [(CHANGE, sum(map(len, scripts)), columns, record_file(scripts, shape))]
    return _put_files(told, folder, RECORDS[shape], "update" if shape == SQL else None)


def _columns(changes: ChangeSet, live: Table, *does: str) -> list[str]:
    """The key's columns and those in which such items change."""
    names = {*changes.head.key, *changes.cells_with_action(*does)["field"].unique()}
    return [field.column for field in live.fields if field.name in names]


def _put_files(
    told: Sequence[tuple[str, int, list[str], bytes]], folder: Path, suffix: str, name: str | None = None
) -> list[WrittenFile]:
    """Put files (what becomes of their items, rows, columns, bytes) into a folder, numbered in the order to import."""
    width = max(2, len(str(len(told))))
    written = []
    for number, (does, rows, columns, data) in enumerate(told, start=1):
        path = folder / f"{number:0{width}}-{name or FILES[does]}{suffix}"
        try:
            path.write_bytes(data)
        except OSError as error:
            raise WriteError(f"the file cannot be written ({error.strerror})", file=path) from error
        written.append(WrittenFile(path.name, does, rows, columns, len(data), sha256_hex(data)))
    return written

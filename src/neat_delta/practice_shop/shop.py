"""The shop itself: items in a SQLite file, exports, and imports that go row by row, as real ones do."""

from __future__ import annotations

import csv
import io
import json
import random
import re
import sqlite3
from contextlib import closing, contextmanager
from dataclasses import asdict, dataclass
from decimal import ROUND_HALF_UP, Decimal, InvalidOperation
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput, InvalidOption, WriteError
from neat_delta.base.nearest import nearest_hint
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.output_paths import note_input
from neat_delta.files.trouble import reason, remedy
from neat_delta.practice_shop.behaviour import DRAFT, FILE, StoreBehaviour, load_behaviour
from neat_delta.practice_shop.forms import export_text, is_script, rows_of, run_script
from neat_delta.tables import field_name
from neat_delta.tables.roles import is_stock

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.tables import Table

BASE, JOBS = "shop.sqlite", "jobs.sqlite"
CHANGE, ADD, REMOVE, RECODE = DOES = ("change", "add", "remove", "recode")
UPDATED, ADDED, REMOVED, SKIPPED, FAILED = "updated", "added", "removed", "skipped", "failed"
# What the statements of a script do.
DONE_BY = {"UPDATE": UPDATED, "INSERT INTO": ADDED, "DELETE FROM": REMOVED}
NEW_CODE = "new_"
# The place of an item among the others; in quotes, and no header has a line end at its end.
POSITION = '"position\n"'
# SQLite's own limit for a table that is made here.
MOST_COLUMNS = 1_900


@dataclass(frozen=True)
class Result:
    """What became of a row of an import: its line, its code, what was done, and why not if it was not."""

    line: int
    code: str
    result: str
    reason: str = ""

    def as_dict(self) -> dict[str, str | int]:
        """The same for JSON and CSV."""
        return asdict(self)


@dataclass(frozen=True)
class ImportOutcome:
    """What became of an import: a result for each row that was reached, and whether it broke off half way."""

    results: list[Result]
    broken_off: bool = False


@dataclass(frozen=True)
class PracticeShop:
    """A stand-in store in a folder of its own: ``shop.sqlite`` holds its items, ``shop.toml`` its ways."""

    folder: Path
    behaviour: StoreBehaviour

    @contextmanager
    def base(self) -> Iterator[sqlite3.Connection]:
        """A connection of one's own; rows come and go in transactions.

        Raises:
            InvalidInput: the items are damaged, locked or may not be written.
        """
        try:
            with closing(sqlite3.connect(self.folder / BASE, timeout=30)) as base:
                yield base
        except sqlite3.Error as error:
            raise InvalidInput(
                f"the items of the practice shop cannot be used ({error})", file=self.folder / BASE,
                hint="Make a new one: neat-delta shop open DIR",
            ) from error  # fmt: skip

    def columns(self) -> list[str]:
        """The shop's columns, in the order of its exports.

        Raises:
            InvalidInput: there are none, or not the one with the SKU.
        """
        with self.base() as base:
            # (The last member of a column's row says whether it is the primary key, which is no column of the shop's.)
            names = [str(row[1]) for row in base.execute("PRAGMA table_info(items)") if not row[5]]
        if self.behaviour.key not in names:
            raise InvalidInput(
                f"the practice shop has no column {self.behaviour.key!r}", file=self.folder / FILE, column="key",
                hint="Correct its key.",
            )  # fmt: skip
        return names

    def items(self) -> list[list[str]]:
        """All items, in the order in which they came."""
        names = ", ".join(map(_quoted, self.columns()))
        with self.base() as base:
            return [
                ["" if cell is None else str(cell) for cell in row]
                for row in base.execute(f"SELECT {names} FROM items ORDER BY {POSITION}")
            ]

    def export(self) -> bytes:
        """The export as the shop writes it, with a header."""
        return export_text(self.columns(), self.items(), self.behaviour)

    def import_file(self, data: bytes, action: str = CHANGE) -> ImportOutcome:
        """Import a file, row by row: one that fails does not keep the others out.

        Raises:
            InvalidOption: the file as a whole is not taken: of another form, too long, with a column that is missing or
                that nobody knows; or a script that fails.
        """
        if is_script(data):
            with self.base() as base:
                done = run_script(base, data, self.behaviour.key)
            return ImportOutcome([Result(line, code, DONE_BY[what]) for line, code, what in done])
        told = rows_of(data, self.behaviour)
        self._insist_on_header(told.header, len(told.rows) + 1, action)
        results: list[Result] = []
        with self.base() as base:
            for at, (line, row) in enumerate(told.rows):
                if self.behaviour.breaks_off_after is not None and at >= self.behaviour.breaks_off_after:
                    return ImportOutcome(results, broken_off=True)
                if row is None:
                    results.append(Result(line, "", FAILED, "wrong number of cells"))
                    continue
                with base:
                    results.append(self._row(base, line, row, REMOVE if line in told.removed else action))
        return ImportOutcome(results)

    def sell(self, seed: int, orders: int) -> list[str]:
        """Let stock be sold and colleagues change some prices, by chance but the same for a seed; what happened."""
        chance = random.Random(seed)
        columns, key = self.columns(), self.behaviour.key
        rooms = [name for name in columns if is_stock(field_name(name), "quantity")]
        codes = [row[columns.index(key)] for row in self.items()]
        sales = []
        with self.base() as base, base:
            for _ in range(orders if rooms and codes else 0):
                code, room = chance.choice(codes), chance.choice(rooms)
                in_stock = self._cell(base, code, room)
                whole = re.fullmatch("[0-9]{1,12}", in_stock)
                sold = min(chance.choice([1, 1, 2, 3]), int(in_stock)) if whole else 0
                if sold:
                    self._set(base, code, {room: str(int(in_stock) - sold)})
                    sales.append(f"{sold} of {code} sold from {room}")
            for code in chance.sample(codes, min(len(codes), orders // 10)) if "price" in columns else ():
                price = self._cell(base, code, "price")
                if re.fullmatch(r"[0-9]{1,12}(\.[0-9]{1,6})?", price):
                    new = (Decimal(price) * Decimal("1.03")).quantize(Decimal("0.01"), ROUND_HALF_UP)
                    self._set(base, code, {"price": str(new)})
                    sales.append(f"price of {code} from {price} to {new}, by a colleague")
        return sales

    def _insist_on_header(self, header: list[str], rows: int, action: str) -> None:
        columns, ways = self.columns(), self.behaviour
        strange = [
            name for name in header if name not in columns and not (action == RECODE and name == NEW_CODE + ways.key)
        ]
        if ways.key not in header:
            raise InvalidOption(f"file rejected: no column {ways.key}")
        if strange:
            raise InvalidOption(f"file rejected: unknown column {strange[0]}")
        if action == RECODE and NEW_CODE + ways.key not in header:
            raise InvalidOption(f"file rejected: no column {NEW_CODE}{ways.key}")
        if len(set(header)) < len(header):
            raise InvalidOption("file rejected: a column is there twice")
        missing = [name for name in ways.required if name not in header] if action in (CHANGE, ADD) else []
        if missing:
            raise InvalidOption(f"file rejected: column {missing[0]} is required")
        if ways.rows is not None and rows > ways.rows:
            raise InvalidOption(f"file rejected: {rows} rows; the limit is {ways.rows}")
        if ways.takes != "both" and action in (CHANGE, ADD) and action != ways.takes:
            raise InvalidOption(f"file rejected: the shop only accepts action {ways.takes}")

    def _row(self, base: sqlite3.Connection, line: int, row: dict[str, str | None], action: str) -> Result:
        code = row.get(self.behaviour.key) or ""
        existing = base.execute(f"SELECT 1 FROM items WHERE {_quoted(self.behaviour.key)} = ?", (code,)).fetchone()
        if action == ADD and existing:
            return Result(line, code, SKIPPED, "an item with this SKU exists already")
        if action != ADD and not existing:
            return Result(line, code, FAILED, "no item has this SKU")
        if action == REMOVE:
            base.execute(f"DELETE FROM items WHERE {_quoted(self.behaviour.key)} = ?", (code,))
            return Result(line, code, REMOVED)
        if action == RECODE:
            return self._recode(base, line, code, row[NEW_CODE + self.behaviour.key] or "")
        cells, reason = self._stored(base, row)
        if reason:
            return Result(line, code, FAILED, reason)
        if action == ADD:
            base.execute(f"INSERT INTO items ({_quoted(self.behaviour.key)}) VALUES (?)", (code,))
        self._set(base, code, cells)
        return Result(line, code, ADDED if action == ADD else UPDATED)

    def _recode(self, base: sqlite3.Connection, line: int, code: str, new: str) -> Result:
        key = _quoted(self.behaviour.key)
        if base.execute(f"SELECT 1 FROM items WHERE {key} = ?", (new,)).fetchone():
            return Result(line, code, FAILED, f"another item has the SKU {new}")
        base.execute(f"UPDATE items SET {key} = ? WHERE {key} = ?", (new, code))
        return Result(line, code, UPDATED)

    def _stored(self, base: sqlite3.Connection, row: dict[str, str | None]) -> tuple[dict[str, str], str]:
        """The cells as the shop stores them, and why it does not, if it does not."""
        ways, cells = self.behaviour, dict[str, str]()
        for name, cell in row.items():
            if name == ways.key:
                continue
            if cell is None or (ways.marker is not None and cell == ways.marker):
                cells[name] = ""
                continue
            if cell == "":
                if ways.blank == "empties":
                    cells[name] = ""
                continue
            value = cell.strip() if ways.trims else cell
            if name in ways.limited or name == ways.known_categories:
                existing = base.execute(f"SELECT 1 FROM items WHERE {_quoted(name)} = ? LIMIT 1", (value,)).fetchone()
                if not existing:
                    return {}, f"{name}: {value!r} is not allowed"
            if name in ways.decimals:
                try:
                    number = Decimal(value).quantize(Decimal(1).scaleb(-ways.decimals[name]), ROUND_HALF_UP)
                except InvalidOperation:
                    return {}, f"{name}: {value!r} is not a number"
                if not number.is_finite():
                    return {}, f"{name}: {value!r} is not a number"
                value = str(number)
            cells[name] = value[: ways.length[name]] if name in ways.length else value
        return cells, ""

    def _set(self, base: sqlite3.Connection, code: str, cells: dict[str, str]) -> None:
        if cells:
            sets = ", ".join(f"{_quoted(name)} = ?" for name in cells)
            base.execute(f"UPDATE items SET {sets} WHERE {_quoted(self.behaviour.key)} = ?", (*cells.values(), code))

    def _cell(self, base: sqlite3.Connection, code: str, name: str) -> str:
        row = base.execute(
            f"SELECT {_quoted(name)} FROM items WHERE {_quoted(self.behaviour.key)} = ?", (code,)
        ).fetchone()
        return str(row[0] or "") if row else ""


def open_shop(folder: Path) -> PracticeShop:
    """The practice shop in a folder.

    Raises:
        InvalidInput: there is none, or its ways are spoilt.
    """
    ways = load_behaviour(folder)
    for name in (BASE, JOBS, FILE):
        note_input(folder / name)
    if not (folder / BASE).is_file():
        raise InvalidInput(
            "the items of the practice shop are missing",
            file=folder / BASE,
            hint="Make a new one: neat-delta shop open DIR",
        )
    return PracticeShop(folder, ways)


def make_shop(folder: Path, table: Table, key: str, *, replace: bool = False) -> PracticeShop:
    """Open a new practice shop with the items of an export, or let one that is there begin anew with them.

    Raises:
        WriteError: the folder is not empty, or a shop that is not to be replaced.
        InvalidOption: the export has no such key, or two items share a code.
    """
    if folder.exists() and any(path.name not in (BASE, FILE, JOBS) for path in folder.iterdir()):
        raise WriteError("the folder is not empty", file=folder, hint="Choose a new or empty folder.")
    if (folder / BASE).exists() and not replace:
        raise WriteError(
            "there is a practice shop in this folder already",
            file=folder,
            hint="Choose another folder, or allow it to be replaced.",
            code="shop-exists",
        )
    names = [field.column for field in table.fields]
    if key not in names:
        raise InvalidOption("no such column", option="key", value=key, hint=nearest_hint(key, names, "Columns"))
    if len(names) > MOST_COLUMNS or len({name.casefold() for name in names}) < len(names):
        what = f"more than {MOST_COLUMNS} columns" if len(names) > MOST_COLUMNS else "two columns of the same name"
        raise InvalidOption(f"a practice shop cannot have {what}", file=table.source.path)
    rows = table.cells(table.names)
    codes = rows.to_series(names.index(key))
    if codes.is_duplicated().any():
        raise InvalidOption(f"two items have the same {key}: {codes.filter(codes.is_duplicated())[0]}")
    with closing(sqlite3.connect(":memory:")) as base, base:
        columns = ", ".join(f"{_quoted(name)} TEXT DEFAULT ''" for name in names)
        base.execute(f"CREATE TABLE items ({POSITION} INTEGER PRIMARY KEY AUTOINCREMENT, {columns})")
        base.execute(f"CREATE UNIQUE INDEX codes ON items ({_quoted(key)})")
        marks = ", ".join("?" * len(names))
        base.executemany(f"INSERT INTO items ({', '.join(map(_quoted, names))}) VALUES ({marks})", rows.iter_rows())
        base.commit()
        data = base.serialize()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        write_atomic(folder / BASE, data, replace=replace)
        (folder / JOBS).unlink(missing_ok=True)
    except (OSError, ValueError) as error:
        raise WriteError(f"the folder cannot be made ({reason(error)})", file=folder, hint=remedy(error)) from error
    if not (folder / FILE).exists():
        write_atomic(folder / FILE, DRAFT.format(key=toml_text(key)).encode())
    return open_shop(folder)


def results_csv(results: list[Result]) -> bytes:
    """A result list as shops give it: line, code, result, reason."""
    text = io.StringIO(newline="")
    writer = csv.DictWriter(text, ["line", "code", "result", "reason"], lineterminator="\n")
    writer.writeheader()
    writer.writerows(answer.as_dict() for answer in results)
    return text.getvalue().encode()


def does_of(name: str) -> str:
    """What a file of ours does, by its name."""
    by_part = {"-new-items": ADD, "-removals": REMOVE, "-codes": RECODE}
    return next((action for part, action in by_part.items() if part in name), CHANGE)


def toml_text(text: str) -> str:
    """A text as it stands between the quotes of a TOML file."""
    return json.dumps(text)[1:-1].replace("\x7f", "\\u007f")


def _quoted(name: str) -> str:
    doubled = name.replace('"', '""')
    return f'"{doubled}"'

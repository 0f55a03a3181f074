"""Changes of rows in a database: each row only if it is as expected, all of them in one transaction."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import DeliveryError
from neat_delta.database.cell_values import NoValue, is_known, is_single, reader_of, single
from neat_delta.database.connection import plain, table_of
from neat_delta.database.exactness import as_looked_at, cell_text, exactly, is_kept, is_text

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence

    import sqlalchemy

    from neat_delta.database.address import DatabaseTable

CHANGE, ADD, REMOVE = "change", "add", "remove"
UPDATED, ADDED, REMOVED, SKIPPED, FAILED = "updated", "added", "removed", "skipped", "failed"
BEFORE = "was so before"
# So many rows are looked at and changed at a time.
BATCH = 2_000
# So many keys of several parts are looked for by a condition of their own.
FEW = 200

Result = tuple[str, str]


@dataclass(frozen=True)
class RowUpdate:
    """What is to become of one row: its key, and by column what it was and what it becomes; ``None`` is empty."""

    action: str
    key: tuple[str, ...]
    was: Mapping[str, str | None] = field(default_factory=dict)
    now: Mapping[str, str | None] = field(default_factory=dict)

    @property
    def shown(self) -> str:
        """The key as people read it."""
        return " · ".join(self.key)


def run_updates(
    connection: sqlalchemy.Connection,
    address: DatabaseTable,
    key: Sequence[str],
    updates: Sequence[RowUpdate],
    say: Callable[[str], None],
) -> list[Result]:
    """Change the rows in one transaction; returns what became of each (result, reason).

    A row that is gone, or that is no more as it was, is left alone. One that is as it should become was changed
    before. If the transaction breaks off, nothing of it has happened. Before it is committed, every changed cell is
    read back: a database may round, cut or translate a value, and a trigger may change it.

    Raises:
        DeliveryError: a column is missing, another number of rows was changed than meant, or a cell does not hold what
            was sent; then nothing was changed. What the database refuses, and a line that is cut, are errors of its
            driver.
    """
    if address.is_file:
        connection.exec_driver_sql("BEGIN IMMEDIATE")
    table = table_of(connection, address)
    names = dict.fromkeys(name for update in updates for name in (*update.was, *update.now))
    work = _Work(
        connection,
        table,
        [_column(table, name, address) for name in key],
        {name: _column(table, name, address) for name in names},
        address,
    )
    results: list[Result] = []
    for start in range(0, len(updates), BATCH):
        if start and start % (5 * BATCH) == 0:
            say(f"{start:,} of {len(updates):,} rows")
        results += work.done(updates[start : start + BATCH])
    work.insist_on_kept()
    connection.commit()
    return results


def _column(table: sqlalchemy.Table, name: str, address: DatabaseTable) -> sqlalchemy.Column[Any]:
    if name not in table.columns:
        hint = "Make a new change set from it."
        raise DeliveryError("the table has no such column", file=address, value=name, hint=hint)
    return table.columns[name]


@dataclass(frozen=True)
class _Wanted:
    """A row that is to be written: its place among the updates, its key and its new values."""

    at: int
    action: str
    key: tuple[Any, ...]
    values: dict[str, Any]
    update: RowUpdate


class _Work:
    """The changes of a table's rows on a connection."""

    def __init__(
        self,
        connection: sqlalchemy.Connection,
        table: sqlalchemy.Table,
        key: Sequence[sqlalchemy.Column[Any]],
        columns: Mapping[str, sqlalchemy.Column[Any]],
        address: DatabaseTable,
    ) -> None:
        self.connection, self.table, self.key, self.columns = connection, table, key, columns
        self.readers = {name: reader_of(column) for name, column in columns.items()}
        self.key_readers = [reader_of(column) for column in key]
        self.address = address
        self.written: list[_Wanted] = []
        self._blanks: dict[str, Any] = {}

    def done(self, updates: Sequence[RowUpdate]) -> list[Result]:
        """What became of some rows, which are looked at and locked together."""
        keys: list[tuple[Any, ...] | NoValue] = [self._key_of(update) for update in updates]
        rows = self._rows_of([key for key in keys if not isinstance(key, NoValue)])
        results: list[Result] = []
        to_write: list[_Wanted] = []
        for at, (update, key) in enumerate(zip(updates, keys, strict=True)):
            try:
                if isinstance(key, NoValue):
                    raise key
                values = {name: self._value(name, text) for name, text in update.now.items()}
                state, write = self._judged(update, rows.get(key, ()))
            except NoValue as error:
                results.append((FAILED, str(error)))
                continue
            results.append(state)
            if write:
                to_write.append(_Wanted(at, update.action, key, values, update))
        refused = set()
        for batch in _alike(to_write):
            for at, reason in self._written(batch):
                results[at] = (FAILED, reason)
                refused.add(at)
        self.written += [one for one in to_write if one.at not in refused]
        return results

    def insist_on_kept(self) -> None:
        """Read every row back that was written, and compare it with what was sent.

        Raises:
            DeliveryError: it is another.
        """
        for start in range(0, len(self.written), BATCH):
            batch = self.written[start : start + BATCH]
            rows_now = self._rows_of([one.key for one in batch])
            for one in batch:
                rows = rows_now.get(one.key, [])
                if len(rows) != (0 if one.action == REMOVE else 1):
                    raise self._not_kept(one, f"the row is there {len(rows)} times")
                for name, value in one.values.items() if rows else ():
                    if not is_kept(self.columns[name], rows[0][name], value, one.update.now[name]):
                        got = "NULL" if rows[0][name] is None else repr(cell_text(rows[0][name]))
                        raise self._not_kept(one, f"{name} would be {got} instead of {one.update.now[name] or ''!r}")

    def _not_kept(self, one: _Wanted, what: str) -> DeliveryError:
        return DeliveryError(
            f"the database does not keep what is sent: {what}; nothing was changed",
            file=self.address,
            value=one.update.shown,
            hint="Change the value, or the column, its type or its triggers.",
            never_left=True,
        )

    def _value(self, name: str, text: str | None) -> Any:
        """The value for a cell; a blank one as the column has blanks: NULL, or an empty text."""
        return self.readers[name](text) if text else self._blank(name)

    def _blank(self, name: str) -> Any:
        import sqlalchemy

        if name not in self._blanks:
            column = self.columns[name]
            empty = False
            if is_text(column) and is_known(column) and column.nullable:
                blanks = [
                    self.connection.execute(sqlalchemy.select(sqlalchemy.literal(1)).where(here).limit(1)).first()
                    for here in (column.is_(None), column == "")
                ]
                empty = blanks[0] is None and blanks[1] is not None
            self._blanks[name] = reader_of(column, blank_text=empty)
        return self._blanks[name](None)

    def _key_of(self, update: RowUpdate) -> tuple[Any, ...] | NoValue:
        """The key as values; the error where no row can have it."""
        try:
            return tuple([read(part) for read, part in zip(self.key_readers, update.key, strict=True)])
        except NoValue as error:
            return error

    def _rows_of(self, keys: Sequence[tuple[Any, ...]]) -> dict[tuple[Any, ...], list[dict[str, Any]]]:
        """The rows of these keys, locked where the database can; several under one key if it is none there."""
        import sqlalchemy

        if len(self.key) > 1 and not all(is_known(column) for column in self.key) and len(keys) > FEW:
            # (A condition of very many parts is more than some databases take.)
            parts = (self._rows_of(keys[start : start + FEW]) for start in range(0, len(keys), FEW))
            return {key: rows for part in parts for key, rows in part.items()}
        if not keys:
            return {}
        key_names = [column.name for column in self.key]
        columns = [*self.key, *(column for name, column in self.columns.items() if name not in key_names)]
        here: sqlalchemy.ColumnElement[bool]
        if len(self.key) > 1 and all(is_known(column) for column in self.key):
            here = sqlalchemy.tuple_(*self.key).in_(keys)
        elif len(self.key) > 1:
            here = sqlalchemy.or_(*(self._is(key) for key in keys))
        elif self._takes_arrays([self.key[0].name]):
            here = self.key[0] == sqlalchemy.any_(_array(self.key[0], [key[0] for key in keys]))
        else:
            here = self.key[0].in_([key[0] for key in keys])
        told = [as_looked_at(self.connection.dialect.name, one) for one in columns]
        singles = {column.name for column in columns if is_single(column)}
        select = sqlalchemy.select(*told).where(here)
        if self.connection.dialect.name != "sqlite":
            select = select.with_for_update()
        by_key: dict[tuple[Any, ...], list[dict[str, Any]]] = {}
        names = [column.name for column in columns]
        for row in self.connection.execute(select):
            values = tuple(row)
            cells = {
                name: single(value) if name in singles else value for name, value in zip(names, values, strict=True)
            }
            by_key.setdefault(values[: len(key_names)], []).append(cells)
        return by_key

    def _is(self, key: Sequence[Any]) -> Any:
        import sqlalchemy

        pairs = zip(self.key, key, strict=True)
        return sqlalchemy.and_(*(column == self._bound(None, column, value) for column, value in pairs))

    def _judged(self, update: RowUpdate, rows: Sequence[dict[str, Any]]) -> tuple[Result, bool]:
        """What is to be said of a row, and whether it is to be written."""
        if len(rows) > 1:
            return (FAILED, f"{len(rows)} rows have this key"), False
        row = rows[0] if rows else None
        if update.action == ADD:
            if row is None:
                return (ADDED, ""), True
            same = self._differing(row, update.now) is None
            return ((ADDED, BEFORE) if same else (SKIPPED, "there is such an item already")), False
        if row is None:
            return ((REMOVED, "was gone before") if update.action == REMOVE else (SKIPPED, "the item is gone")), False
        moved = self._differing(row, update.was)
        if moved is None:
            return (REMOVED if update.action == REMOVE else UPDATED, ""), True
        if update.action == CHANGE and self._differing(row, update.now) is None:
            return (UPDATED, BEFORE), False
        name, value = moved
        return (SKIPPED, f"changed since: {name} is {value!r}, was {update.was[name] or ''!r}"), False

    def _differing(self, row: Mapping[str, Any], expected: Mapping[str, str | None]) -> tuple[str, str] | None:
        """The first column that does not hold what is expected, and what it holds."""
        for name, text in expected.items():
            value = row[name]
            if value in (None, "") and not text:
                continue
            try:
                wished = self.readers[name](text)
            except NoValue:
                wished = text
            if value != wished and cell_text(value) != (text or ""):
                return name, cell_text(value)
        return None

    def _written(self, batch: Sequence[_Wanted]) -> Iterator[tuple[int, str]]:
        """Write rows that change in the same way; those that the database refuses, with the reason."""
        from sqlalchemy import exc

        try:
            with self.connection.begin_nested():
                self._execute(batch)
        except exc.DBAPIError as error:
            if error.connection_invalidated or self.connection.invalidated:
                raise
            if len(batch) == 1:
                yield batch[0].at, plain(error)
                return
            for one in batch:
                yield from self._written([one])

    def _execute(self, batch: Sequence[_Wanted]) -> None:
        import sqlalchemy

        action = batch[0].action
        if action == ADD:
            key_names = [column.name for column in self.key]
            rows = [one.values | dict(zip(key_names, one.key, strict=True)) for one in batch]
            self.connection.execute(sqlalchemy.insert(self.table), rows)
            return
        if action == CHANGE and self._takes_arrays([*(column.name for column in self.key), *batch[0].values]):
            self._run(batch, self._by_arrays(batch))
            return
        # (Numbers as names: those of columns may be any.)
        marks = [self._bound(f"k{at}", column) for at, column in enumerate(self.key)]
        here = sqlalchemy.and_(*self._here(zip(self.key, marks, strict=True)))
        places = [f"k{at}" for at in range(len(marks))]
        if action == REMOVE:
            rows = [dict(zip(places, one.key, strict=True)) for one in batch]
            self._run(batch, sqlalchemy.delete(self.table).where(here), rows)
            return
        names = {name: f"n{at}" for at, name in enumerate(batch[0].values)}
        new = {name: self._bound(mark, self.columns[name]) for name, mark in names.items()}
        places += names.values()
        rows = [dict(zip(places, (*one.key, *one.values.values()), strict=True)) for one in batch]
        self._run(batch, sqlalchemy.update(self.table).where(here).values(new), rows)

    def _here(self, pairs: Iterable[tuple[sqlalchemy.Column[Any], Any]]) -> list[Any]:
        """The conditions that the key's columns have these values; the first finds the row by its index."""
        dialect = self.connection.dialect.name
        return [condition for one, value in pairs for condition in (one == value, exactly(dialect, one, value))]

    def _run(self, batch: Sequence[_Wanted], statement: Any, rows: list[dict[str, Any]] | None = None) -> None:
        """Run a statement that changes one row for each that is wanted.

        Raises:
            DeliveryError: it has changed another number.
        """
        count = self.connection.execute(statement, rows).rowcount
        if count not in (-1, len(batch)):
            raise self._not_kept(batch[0], f"{count:,} rows would change instead of {len(batch):,}")

    def _bound(self, mark: str | None, column: sqlalchemy.Column[Any], value: Any = None) -> Any:
        """A value, or a place for one under this mark; one of another type as its text, which the database reads."""
        import sqlalchemy

        given = {} if mark else {"value": value}
        if is_known(column):
            return sqlalchemy.bindparam(mark, type_=column.type, **given)
        text = sqlalchemy.bindparam(mark, type_=sqlalchemy.Text(), **given)
        return sqlalchemy.cast(text, column.type) if self.connection.dialect.name == "postgresql" else text

    def _takes_arrays(self, names: Iterable[str]) -> bool:
        """Whether values of these columns can be sent as arrays, which is one statement for many rows."""
        import sqlalchemy

        columns = (self.table.columns[name] for name in names)
        postgresql = self.connection.dialect.name == "postgresql"
        return postgresql and not any(isinstance(column.type, sqlalchemy.ARRAY) for column in columns)

    def _by_arrays(self, batch: Sequence[_Wanted]) -> sqlalchemy.Update:
        """The change of many rows as one statement: an array for each column of the key and of new values."""
        import sqlalchemy

        new = [self.columns[name] for name in batch[0].values]
        columns = [*self.key, *new]
        values = zip(*((*one.key, *one.values.values()) for one in batch), strict=True)
        arrays = [_array(column, list(of_column)) for column, of_column in zip(columns, values, strict=True)]
        # (Numbers as names: those of columns may be any.)
        names = [f"c{at}" for at in range(len(columns))]
        rows = sqlalchemy.func.unnest(*arrays).table_valued(*names, name="new").render_derived()
        here = self._here((column, rows.c[name]) for column, name in zip(self.key, names, strict=False))
        told = {column.name: rows.c[name] for column, name in zip(new, names[len(self.key) :], strict=True)}
        return sqlalchemy.update(self.table).where(*here).values(told)


def _array(column: sqlalchemy.Column[Any], values: list[Any]) -> sqlalchemy.ColumnElement[Any]:
    """Values as an array of a column's type."""
    import sqlalchemy

    array, text = sqlalchemy.ARRAY(column.type), sqlalchemy.ARRAY(sqlalchemy.Text())
    if is_known(column):
        return sqlalchemy.cast(sqlalchemy.bindparam(None, values, type_=array), array)
    return sqlalchemy.cast(sqlalchemy.cast(sqlalchemy.bindparam(None, values, type_=text), text), array)


def _alike(updates: Sequence[_Wanted]) -> list[list[_Wanted]]:
    """Rows of the same action and columns together."""
    groups: dict[tuple[str, ...], list[_Wanted]] = {}
    for one in updates:
        groups.setdefault((one.action, *one.values), []).append(one)
    return list(groups.values())

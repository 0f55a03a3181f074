"""Changes of rows in a database: each row only if it is as expected, all of them in one transaction."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from neat_delta.database.cell_values import NoCell, NoValue, as_cell, as_value
from neat_delta.database.connection import plain, table_of
from neat_delta.errors import DeliveryError

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Mapping, Sequence

    import sqlalchemy

    from neat_delta.database.address import DatabaseTable

CHANGE, ADD, REMOVE = "change", "add", "remove"
UPDATED, ADDED, REMOVED, SKIPPED, FAILED = "updated", "added", "removed", "skipped", "failed"
BEFORE = "was so before"
# So many rows are looked at and changed at a time.
BATCH = 500

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
    before. If the transaction breaks off, nothing of it has happened.

    Raises:
        DeliveryError: a column is missing.
        sqlalchemy.exc.DBAPIError: the database refuses, or the line is cut.
    """
    if address.is_file:
        connection.exec_driver_sql("BEGIN IMMEDIATE")
    table = table_of(connection, address)
    work = _Work(connection, table, [_column(table, name, address) for name in key])
    for update in updates:
        for name in (*update.was, *update.now):
            work.columns.setdefault(name, _column(table, name, address))
    results: list[Result] = []
    for start in range(0, len(updates), BATCH):
        if start and start % (20 * BATCH) == 0:
            say(f"{start:,} of {len(updates):,} rows")
        results += work.done(updates[start : start + BATCH])
    connection.commit()
    return results


def _column(table: sqlalchemy.Table, name: str, address: DatabaseTable) -> sqlalchemy.Column[Any]:
    if name not in table.columns:
        raise DeliveryError(
            "the table has no such column", file=address, value=name, hint="Make a new change set from it."
        )
    return table.columns[name]


@dataclass
class _Work:
    """The changes of a table's rows on a connection."""

    connection: sqlalchemy.Connection
    table: sqlalchemy.Table
    key: list[sqlalchemy.Column[Any]]
    columns: dict[str, sqlalchemy.Column[Any]] = field(default_factory=dict)

    def done(self, updates: Sequence[RowUpdate]) -> list[Result]:
        """What became of some rows, which are looked at and locked together."""
        there = self._rows_of(updates)
        results: list[Result] = []
        wanted: list[tuple[int, RowUpdate, dict[str, Any]]] = []
        for at, update in enumerate(updates):
            try:
                result, values = self._judged(update, there)
            except NoValue as error:
                result, values = (FAILED, str(error)), None
            results.append(result)
            if values is not None:
                wanted.append((at, update, values))
        for batch in _alike(wanted):
            for at, reason in self._written(batch):
                results[at] = (FAILED, reason)
        return results

    def _rows_of(self, updates: Sequence[RowUpdate]) -> dict[tuple[Any, ...], list[Any]]:
        """The rows of these keys, locked where the database can; several under one key if it is none there."""
        import sqlalchemy

        columns = [*self.key, *(column for column in self.columns.values() if column not in self.key)]
        keys = []
        for update in updates:
            try:
                keys.append(self._key_values(update))
            except NoValue:  # (nothing there can have this key)
                continue
        if not keys:
            return {}
        one = self.key[0].in_([key[0] for key in keys])
        here = one if len(self.key) == 1 else sqlalchemy.or_(*(self._is(key) for key in keys))
        select = sqlalchemy.select(*columns).where(here)
        if self.connection.dialect.name != "sqlite":
            select = select.with_for_update()
        found: dict[tuple[Any, ...], list[Any]] = {}
        names = [column.name for column in columns]
        for row in self.connection.execute(select):
            found.setdefault(tuple(row[: len(self.key)]), []).append(dict(zip(names, row, strict=True)))
        return found

    def _key_values(self, update: RowUpdate) -> tuple[Any, ...]:
        return tuple(as_value(part, column) for part, column in zip(update.key, self.key, strict=True))

    def _is(self, key: Sequence[Any]) -> Any:
        import sqlalchemy

        return sqlalchemy.and_(*(column == value for column, value in zip(self.key, key, strict=True)))

    def _judged(
        self, update: RowUpdate, there: Mapping[tuple[Any, ...], list[Any]]
    ) -> tuple[Result, dict[str, Any] | None]:
        """What is to be said of a row, and the values that are to be written; ``None`` if nothing is."""
        values = {name: as_value(text, self.columns[name]) for name, text in update.now.items()}
        key = self._key_values(update)
        rows = there.get(key, [])
        if len(rows) > 1:
            return (FAILED, f"{len(rows)} rows have this key"), None
        row = rows[0] if rows else None
        if update.action == ADD:
            if row is None:
                return (ADDED, ""), values | {c.name: value for c, value in zip(self.key, key, strict=True)}
            same = self._differing(row, update.now) is None
            return ((ADDED, BEFORE) if same else (SKIPPED, "there is such an item already")), None
        if row is None:
            return ((REMOVED, "was gone before") if update.action == REMOVE else (SKIPPED, "the item is gone")), None
        moved = self._differing(row, update.was)
        if moved is None:
            return (REMOVED if update.action == REMOVE else UPDATED, ""), values
        if update.action == CHANGE and self._differing(row, update.now) is None:
            return (UPDATED, BEFORE), None
        name, value = moved
        return (SKIPPED, f"changed since: {name} is {value!r}, was {update.was[name] or ''!r}"), None

    def _differing(self, row: Mapping[str, Any], expected: Mapping[str, str | None]) -> tuple[str, str] | None:
        """The first column that does not hold what is expected, and what it holds."""
        for name, text in expected.items():
            value = row[name]
            if value in (None, "") and not text:
                continue
            try:
                wanted = as_value(text, self.columns[name])
            except NoValue:
                wanted = text
            if value != wanted and _cell(value) != (text or ""):
                return name, _cell(value)
        return None

    def _written(self, batch: Sequence[tuple[int, RowUpdate, dict[str, Any]]]) -> Iterator[tuple[int, str]]:
        """Write rows that change in the same way; those that the database refuses, with the reason."""
        from sqlalchemy import exc

        try:
            with self.connection.begin_nested():
                self._execute(batch)
        except exc.DBAPIError as error:
            if error.connection_invalidated or self.connection.invalidated:
                raise
            if len(batch) == 1:
                yield batch[0][0], plain(error)
                return
            for one in batch:
                yield from self._written([one])

    def _execute(self, batch: Sequence[tuple[int, RowUpdate, dict[str, Any]]]) -> None:
        import sqlalchemy

        action = batch[0][1].action
        if action == ADD:
            self.connection.execute(sqlalchemy.insert(self.table), [values for _, _, values in batch])
            return
        marks = [sqlalchemy.bindparam(f"key {at}", type_=column.type) for at, column in enumerate(self.key)]
        here = sqlalchemy.and_(*(column == mark for column, mark in zip(self.key, marks, strict=True)))
        rows = [
            {f"key {at}": part for at, part in enumerate(self._key_values(update))}
            | {f"new {name}": value for name, value in values.items()}
            for _, update, values in batch
        ]
        if action == REMOVE:
            self.connection.execute(sqlalchemy.delete(self.table).where(here), rows)
            return
        new = {name: sqlalchemy.bindparam(f"new {name}", type_=self.columns[name].type) for name in batch[0][2]}
        self.connection.execute(sqlalchemy.update(self.table).where(here).values(new), rows)


def _alike(
    wanted: Sequence[tuple[int, RowUpdate, dict[str, Any]]],
) -> list[list[tuple[int, RowUpdate, dict[str, Any]]]]:
    """Rows of the same action and columns together."""
    groups: dict[tuple[str, ...], list[tuple[int, RowUpdate, dict[str, Any]]]] = {}
    for one in wanted:
        groups.setdefault((one[1].action, *one[2]), []).append(one)
    return list(groups.values())


def _cell(value: Any) -> str:
    try:
        return as_cell(value)
    except NoCell:
        return str(value)

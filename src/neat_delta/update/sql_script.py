"""An update as an SQL script: UPDATE, INSERT and DELETE in one transaction, in the words of a database.

Before each statement a guard makes sure that the item is as the live export has it; if it is not, its check constraint
is violated and the transaction fails. Names and texts are quoted by SQLAlchemy, each as its database wants them.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.base.errors import WriteError
from neat_delta.base.extras import SQL, from_extra
from neat_delta.changeset.schemas import ADD, CHANGE, REMOVE
from neat_delta.matching import KEY_SEPARATOR

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    import sqlalchemy

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table

STANDARD, POSTGRESQL, MYSQL, SQLITE = "sql", "sql-postgresql", "sql-mysql", "sql-sqlite"
SQL_FORMATS = (STANDARD, POSTGRESQL, MYSQL, SQLITE)
GUARD, AS_EXPECTED = "neat_delta_guard", "as_expected"
# A script is UTF-8, whatever the client takes it for.
ENCODINGS = {POSTGRESQL: "SET client_encoding = 'UTF8';\n", MYSQL: "SET NAMES utf8mb4;\n"}
# Stands in a template for a text that is filled in; no text holds it.
MARK = "\x1e"

Cell = tuple[str | None, str | None]


def statements_of(
    changes: ChangeSet, cells: pl.DataFrame, live: Table, action: str, output_format: str, table: str
) -> pl.Series:
    """Two statements, a guard and what is to be done, for each item that is to be changed, added or removed."""
    with from_extra(SQL, "scripts for databases", option="format"):
        import sqlalchemy  # noqa: F401  (what writes them, for the rest of this module)
    columns = {field.name: field.column for field in live.fields}
    writer = _Writer(output_format, table, [columns[name] for name in changes.head.key], list(columns.values()))
    of_item: dict[str, dict[str, Cell]] = {}
    for key, name, was, now in cells.select("key", "field", "was", "now").iter_rows():
        of_item.setdefault(key, {})[columns[name]] = (was, now)
    keys = changes.keys_with_action(action)["key"]
    lines = [writer.statements(action, key.split(KEY_SEPARATOR), of_item.get(key, {})) for key in keys]
    return pl.Series("line", lines, dtype=pl.String)


def script_of(lines: Sequence[pl.Series], output_format: str) -> str:
    """The statements of all items as one transaction."""
    writer = _Writer(output_format, "items")
    return "".join([*writer.head(), *(f"{line}\n" for part in lines for line in part), *writer.foot()])


def as_sqlite(script: str, output_format: str) -> str:
    """The same script for SQLite, which proves it: other words for a transaction, and what a backslash means.

    Everything else is the same text in all dialects.
    """
    head, foot = _Writer(output_format, "items").frame
    own_head, own_foot = _Writer(SQLITE, "items").frame
    script = own_head + script.removeprefix(head).removesuffix(foot) + own_foot
    return script.replace("\\\\", "\\") if output_format == MYSQL else script


@dataclass
class _Writer:
    """Statements about the items of a table in one dialect; alike ones are made once, with gaps for their texts."""

    output_format: str
    table: str
    key: Sequence[str] = ()
    columns: Sequence[str] = ()
    templates: dict[tuple[Any, ...], list[str]] = field(default_factory=dict)

    def statements(self, action: str, key: Sequence[str], cells: Mapping[str, Cell]) -> str:
        """The guard of an item and what is to be done with it."""
        shape = (action, *((name, was is None, now is None) for name, (was, now) in cells.items()))
        if shape not in self.templates:
            self.templates[shape] = "".join(self._template(action, cells)).split(MARK)
        texts = {f"k{at}": part for at, part in enumerate(key)}
        for at, (was, now) in enumerate(cells.values()):
            texts |= {f"w{at}": was or "", f"n{at}": now or ""}
        # (Every other piece is the name of a text.)
        pieces = self.templates[shape]
        return "".join(piece if at % 2 == 0 else self._literal(texts[piece]) for at, piece in enumerate(pieces))

    @property
    def frame(self) -> tuple[str, str]:
        """What stands before and behind the statements."""
        return "".join(self.head()), "".join(self.foot())

    def head(self) -> Iterator[str]:
        """The beginning of the transaction, and the table of guards."""
        from sqlalchemy.schema import CreateTable

        yield ENCODINGS.get(self.output_format, "")
        yield "START TRANSACTION;\n" if self.output_format == MYSQL else "BEGIN;\n"
        yield " ".join(str(CreateTable(self._guard).compile(dialect=self._dialect)).split()) + ";\n"

    def foot(self) -> Iterator[str]:
        """The end of both."""
        yield f"DROP {'TEMPORARY ' if self.output_format == MYSQL else ''}TABLE {GUARD};\n"
        yield "COMMIT;\n"

    def _template(self, action: str, cells: Mapping[str, Cell]) -> Iterator[str]:
        """The statements with marks around the names of texts."""
        import sqlalchemy

        columns = self._items.c
        here = [columns[name] == _gap(f"k{at}") for at, name in enumerate(self.key)]
        were = [] if action == ADD else [
            self._is_blank(columns[name]) if was is None else columns[name] == _gap(f"w{at}")
            for at, (name, (was, _)) in enumerate(cells.items())
        ]  # fmt: skip
        new = {
            columns[name]: sqlalchemy.null() if now is None else _gap(f"n{at}")
            for at, (name, (_, now)) in enumerate(cells.items())
        }
        # (To the table's collation several keys may be one, such as ab-1 and AB-1: then none of them is changed.)
        as_expected = [sqlalchemy.func.count() == (0 if action == ADD else 1)]
        if were:
            was_so = sqlalchemy.case((sqlalchemy.and_(*were), 1), else_=0)
            as_expected.append(sqlalchemy.func.coalesce(sqlalchemy.func.sum(was_so), 0) == 1)
        counted = sqlalchemy.case((sqlalchemy.and_(*as_expected), 1), else_=0)
        looked = sqlalchemy.select(counted).select_from(self._items).where(*here)
        yield self._text(sqlalchemy.insert(self._guard).from_select([AS_EXPECTED], looked)) + ";\n"
        if action == CHANGE:
            yield self._text(sqlalchemy.update(self._items).where(*here).values(new)) + ";"
        elif action == REMOVE:
            yield self._text(sqlalchemy.delete(self._items).where(*here)) + ";"
        else:
            key_columns = {columns[name]: _gap(f"k{at}") for at, name in enumerate(self.key)}
            yield self._text(sqlalchemy.insert(self._items).values(key_columns | new)) + ";"

    def _text(self, statement: Any) -> str:
        """A statement on one line, with its gaps open."""
        text = str(statement.compile(dialect=self._dialect, compile_kwargs={"literal_binds": True}))
        return " ".join(text.split("\n")).replace(f"'{MARK}", MARK).replace(f"{MARK}'", MARK)

    def _literal(self, text: str) -> str:
        import sqlalchemy

        if "\x00" in text:
            raise WriteError("no database takes the sign NUL in a text", value=text, hint="Remove it from the value.")
        if self.output_format == STANDARD and "\\" in text:
            # To some databases it is a sign like any other, to some it changes the next one.
            raise WriteError(
                "a backslash cannot be written safely into a script for any database",
                value=text,
                hint="Choose the format sql-postgresql, sql-mysql or sql-sqlite.",
            )
        return str(self._compiler.render_literal_value(text, sqlalchemy.String()))

    def _is_blank(self, column: sqlalchemy.Column[Any]) -> Any:
        """Neither a number nor a date can be compared with a blank text by every database; their first sign can."""
        import sqlalchemy

        # (MySQL refuses to cut a text off where it writes.)
        first = sqlalchemy.cast(column, sqlalchemy.String(None if self.output_format == MYSQL else 1))
        blank = sqlalchemy.literal("", sqlalchemy.String())
        return sqlalchemy.func.coalesce(first, blank, type_=sqlalchemy.String()) == blank

    @cached_property
    def _dialect(self) -> Any:
        from sqlalchemy.dialects import mysql, postgresql, sqlite
        from sqlalchemy.engine.default import DefaultDialect

        kinds = {POSTGRESQL: postgresql.dialect, MYSQL: mysql.dialect, SQLITE: sqlite.dialect}
        made = kinds.get(self.output_format, DefaultDialect)(paramstyle="named")
        # Of PostgreSQL, a backslash is a sign like any other, as the standard has it and every release since 9.1.
        made._backslash_escapes = self.output_format == MYSQL
        return made

    @cached_property
    def _compiler(self) -> Any:
        import sqlalchemy

        return sqlalchemy.select(sqlalchemy.literal("")).compile(dialect=self._dialect)

    @cached_property
    def _items(self) -> sqlalchemy.Table:
        import sqlalchemy
        from sqlalchemy.sql import quoted_name

        def quoted(name: str) -> quoted_name:
            return quoted_name(name, quote=True)

        columns = [sqlalchemy.Column(quoted(name), sqlalchemy.String()) for name in self.columns]
        return sqlalchemy.Table(quoted(self.table), sqlalchemy.MetaData(), *columns)

    @cached_property
    def _guard(self) -> sqlalchemy.Table:
        import sqlalchemy

        holds = sqlalchemy.CheckConstraint(f"{AS_EXPECTED} = 1")
        column = sqlalchemy.Column(AS_EXPECTED, sqlalchemy.Integer, nullable=False)
        return sqlalchemy.Table(GUARD, sqlalchemy.MetaData(), column, holds, prefixes=["TEMPORARY"])


def _gap(name: str) -> Any:
    """A place in a template for the text of this name."""
    import sqlalchemy

    return sqlalchemy.literal(f"{MARK}{name}{MARK}", sqlalchemy.String())

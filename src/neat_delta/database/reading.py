"""A table of a database, or a query, as delimited text: streamed, so that it needs no more memory than its text."""

from __future__ import annotations

import csv
import io
from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import InvalidInput
from neat_delta.database.cell_values import SEPARATOR, NoCell, as_cell, as_read, is_single, single
from neat_delta.database.connection import connected, table_of
from neat_delta.files.content import gathered
from neat_delta.files.memory import largest_file_held

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    import sqlalchemy

    from neat_delta.database.address import DatabaseTable
    from neat_delta.files.content import Content

# The protocol's number of MySQL's FLOAT (MYSQL_TYPE_FLOAT).
FLOAT_CODE = 4
# So many rows are fetched and written at a time.
ROWS = 10_000


def read_database(address: DatabaseTable) -> Content:
    """All rows as CSV in UTF-8 with a header; a table in the order of its primary key. Nothing can be changed by it.

    Raises:
        NetworkError: the server cannot be reached, or refuses.
        InvalidInput: there is no such table, the query is none or would change something, or a column has values that
            no cell can hold.
    """
    with connected(address) as connection:
        select = _selection(connection, address)
        if address.scheme == "postgresql":
            return gathered(_copied(connection, select, address), address, largest_file_held())
        return gathered(_fetched(connection, select, address), address, largest_file_held())


def _selection(connection: sqlalchemy.Connection, address: DatabaseTable) -> str:
    """The query for all rows."""
    if address.query:
        # As a part of another query it can only read.
        return f"SELECT * FROM ({one_query(address)}\n) AS asked"
    import sqlalchemy

    table = table_of(connection, address)
    select = sqlalchemy.select(*map(as_read, table.columns)).order_by(*table.primary_key.columns)
    # (A percent sign in a name is doubled for drivers that put values into texts; this text goes as it is.)
    dialect: Any = type(connection.dialect)
    return str(select.compile(dialect=dialect(paramstyle="named")))


def one_query(address: DatabaseTable) -> str:
    """The query of an address, which must be a single one, with every bracket closed that it opens.

    Raises:
        InvalidInput: it is several statements, or would close the brackets that are put around it.
    """
    from sqlglot import TokenType, errors, tokenize

    query = (address.query or "").strip().rstrip(";").rstrip()
    dialect = {"postgresql": "postgres", "mariadb": "mysql"}.get(address.scheme, address.scheme)
    try:
        tokens = tokenize(query, read=dialect)
    except errors.SqlglotError:
        tokens = []
    depth, sound = 0, bool(tokens) and "/*!" not in query and "/*M!" not in query
    for token in tokens:
        depth += (token.token_type == TokenType.L_PAREN) - (token.token_type == TokenType.R_PAREN)
        sound = sound and depth >= 0 and token.token_type != TokenType.SEMICOLON
    if not sound or depth:
        raise InvalidInput(
            "the query must be one SELECT", file=address, hint="Write a single query, with all its brackets closed."
        )
    return query


def _copied(connection: sqlalchemy.Connection, select: str, address: DatabaseTable) -> Iterator[bytes]:
    """PostgreSQL's own CSV."""
    driver: Any = connection.connection.driver_connection
    with driver.cursor() as cursor:
        cursor.execute("SET datestyle TO ISO, YMD")
        # (What is prepared is one statement.)
        cursor.execute(f"SELECT * FROM ({select}\n) AS asked LIMIT 0", prepare=True)
        described = list(cursor.description)
        columns = [_as_text(cursor, column, select, address, driver) for column in described]
        query = f"SELECT {', '.join(columns)} FROM ({select}\n) AS asked"
        with cursor.copy(f"COPY ({query}) TO STDOUT WITH (FORMAT csv, HEADER)") as rows:
            for piece in rows:
                yield bytes(piece)


def _as_text(cursor: Any, column: Any, select: str, address: DatabaseTable, driver: Any) -> str:
    """A column as CSV should have it: truth values as 1 and 0, arrays parted, sums of money without their sign."""
    from psycopg import sql

    name = sql.Identifier(column.name).as_string(driver)
    kind = column.type_display
    if kind.startswith("bool") and not kind.endswith("[]"):
        return f"CAST({name} AS integer) AS {name}"
    if kind.startswith(("bpchar", "character(")) and not kind.endswith("[]"):
        return f"CAST({name} AS text) AS {name}"  # (without the spaces behind)
    if kind == "money":
        return f"CAST({name} AS numeric) AS {name}"
    if kind == "bytea":
        raise _no_cell(address, column.name, "the column holds bytes")
    if kind.endswith("[]"):
        cursor.execute(
            f"SELECT 1 FROM ({select}\n) AS asked, unnest({name}) AS one"
            f" WHERE one IS NULL OR CAST(one AS text) LIKE '%{SEPARATOR}%' LIMIT 1"
        )
        if cursor.fetchone():
            raise _no_cell(address, column.name, f"an array has NULL or the sign {SEPARATOR} in it")
        return f"array_to_string({name}, '{SEPARATOR}') AS {name}"
    return str(name)


def _fetched(connection: sqlalchemy.Connection, select: str, address: DatabaseTable) -> Iterator[bytes]:
    """Rows of any database, in batches."""
    streaming = connection.execution_options(stream_results=True, max_row_buffer=ROWS, no_parameters=True)
    select, singles = _with_whole_singles(connection, select, address)
    cursor = streaming.exec_driver_sql(select)
    names = list(cursor.keys())
    stream = io.StringIO(newline="")
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(names)
    for rows in cursor.partitions(ROWS):
        try:
            writer.writerows(
                [[as_cell(single(value) if at in singles else value) for at, value in enumerate(row)] for row in rows]
                if singles
                else [[as_cell(value) for value in row] for row in rows]
            )
        except NoCell as error:
            raise _no_cell(address, _first_bad(rows, names), str(error)) from error
        yield stream.getvalue().encode()
        stream.seek(0)
        stream.truncate()
    yield stream.getvalue().encode()


def _with_whole_singles(connection: sqlalchemy.Connection, select: str, address: DatabaseTable) -> tuple[str, set[int]]:
    """A query in which numbers of single precision have all their digits, and the places of these columns."""
    if address.scheme not in ("mysql", "mariadb"):
        return select, set()
    if address.table:
        columns = table_of(connection, address).columns
        return select, {at for at, column in enumerate(columns) if is_single(column)}
    asked = connection.execution_options(no_parameters=True).exec_driver_sql(f"{select} LIMIT 0")
    described = asked.cursor.description
    asked.close()
    singles = {at for at, column in enumerate(described) if column[1] == FLOAT_CODE}
    if not singles:
        return select, singles
    names = ["`" + column[0].replace("`", "``") + "`" for column in described]
    told = [f"{name} + 0e0 AS {name}" if at in singles else name for at, name in enumerate(names)]
    return f"SELECT {', '.join(told)} FROM ({select}) AS wide", singles


def _first_bad(rows: Sequence[Any], names: Sequence[str]) -> str:
    for row in rows:
        for name, value in zip(names, row, strict=True):
            try:
                as_cell(value)
            except NoCell:
                return name
    raise AssertionError


def _no_cell(address: DatabaseTable, column: str, what: str) -> InvalidInput:
    return InvalidInput(
        f"a cell cannot hold this: {what}", file=address, column=column, hint="Leave it out by ?query=."
    )

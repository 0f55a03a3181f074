"""Connections to databases, by SQLAlchemy; what goes wrong on them is named."""

from __future__ import annotations

from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import InvalidInput, InvalidOption, NetworkError
from neat_delta.base.extras import SQL, from_extra
from neat_delta.base.nearest import nearest_hint
from neat_delta.base.redact import redacted
from neat_delta.remote import secrets

if TYPE_CHECKING:
    from collections.abc import Iterator

    import sqlalchemy

    from neat_delta.database.address import DatabaseTable

DRIVERS = {"postgresql": "postgresql+psycopg", "mysql": "mysql+pymysql", "mariadb": "mysql+pymysql", "sqlite": "sqlite"}
# Seconds until a silent server is given up, and until a lock that another session holds is.
SILENCE_TIME = 30
LOCK_TIME = 30
LOCKED = ("lock wait timeout", "lock timeout", "database is locked", "database table is locked", "locked by")
LONGEST = 300


@contextmanager
def connected(address: DatabaseTable, *, write: bool = False) -> Iterator[sqlalchemy.Connection]:
    """A connection that is closed again; without ``write`` nothing can be changed on it.

    Raises:
        NotInstalled: the driver is missing.
        NetworkError: the server cannot be reached, or refuses.
        InvalidInput: SQLite's file is missing, or the database refuses what is asked of it.
    """
    with from_extra(SQL, "databases", file=address):
        import sqlalchemy
        from sqlalchemy import exc

    if address.is_file and not Path(address.database).is_file():
        raise InvalidInput("file not found", file=address, hint="Check the name and the folder.")
    try:
        with from_extra(SQL, "databases of this kind", file=address):
            engine = sqlalchemy.create_engine(
                _url(address, write=write), connect_args=_arguments(address), poolclass=sqlalchemy.NullPool
            )
    except (exc.ArgumentError, TypeError, ValueError) as error:
        raise InvalidOption(f"not a valid address ({plain(error)})", file=address) from error
    try:
        with engine.connect() as connection:
            for statement in _settings(address, write=write):
                connection.exec_driver_sql(statement)
            if not address.is_file:
                connection.commit()
            yield connection
    except (exc.DBAPIError, engine.dialect.dbapi.Error) as error:  # type: ignore[union-attr]
        raise _named(error, address) from error
    except exc.SQLAlchemyError as error:
        raise InvalidInput(f"the database refused ({plain(error)})", file=address) from error
    finally:
        engine.dispose()


def _settings(address: DatabaseTable, *, write: bool) -> list[str]:
    """What holds for a session: how long it waits for locks, that it only reads, that nothing is cut silently."""
    if address.is_file:
        return []
    if "mysql" in DRIVERS[address.scheme]:
        waits = [f"SET SESSION innodb_lock_wait_timeout = {LOCK_TIME}", f"SET SESSION lock_wait_timeout = {LOCK_TIME}"]
        strict = "SET SESSION sql_mode = CONCAT_WS(',', NULLIF(@@SESSION.sql_mode, ''), 'STRICT_ALL_TABLES')"
        return [*waits, strict if write else "SET SESSION TRANSACTION READ ONLY"]
    waits = [f"SET SESSION lock_timeout = '{LOCK_TIME}s'"]
    return waits if write else [*waits, "SET SESSION CHARACTERISTICS AS TRANSACTION READ ONLY"]


def table_of(connection: sqlalchemy.Connection, address: DatabaseTable) -> sqlalchemy.Table:
    """The table with its columns, as the database describes it.

    Raises:
        InvalidInput: the address names none, or there is no such table.
    """
    import sqlalchemy

    schema, _, name = (address.table or "").rpartition(".")
    inspector = sqlalchemy.inspect(connection)
    if name and not inspector.has_table(name, schema or None) and inspector.has_table(str(address.table)):
        schema, name = "", str(address.table)  # (a name with a point in it)
    if not name or not inspector.has_table(name, schema or None):
        names = [*inspector.get_table_names(schema or None), *inspector.get_view_names(schema or None)]
        hint = nearest_hint(name, sorted(names), "Tables")
        hint = hint if name else f"Write ?table=NAME behind the address. {hint}"
        raise InvalidInput(
            f"there is no table {name!r}" if name else "the address names no table", file=address, hint=hint
        )
    return sqlalchemy.Table(name, sqlalchemy.MetaData(), schema=schema or None, autoload_with=connection)


def plain(error: BaseException) -> str:
    """What a driver says, on one line and without secrets."""
    original = getattr(error, "orig", None) or error
    arguments: tuple[Any, ...] = getattr(original, "args", ())
    # (Some drivers give a number and a text.)
    said = arguments[-1] if len(arguments) > 1 and isinstance(arguments[0], int) else original
    return redacted(" ".join(str(said).split()))[:LONGEST]


def _url(address: DatabaseTable, *, write: bool) -> Any:
    from sqlalchemy import URL

    if address.is_file:
        mode = "rw" if write else "ro"
        path = Path(address.database).absolute().as_uri()
        return URL.create("sqlite", database=path, query={"mode": mode, "uri": "true"})
    password = secrets.password_of(address.user, address.host) if address.user else None
    return URL.create(
        DRIVERS[address.scheme],
        address.user,
        password,
        address.host,
        address.port,
        address.database,
        dict(address.options),
    )


def _arguments(address: DatabaseTable) -> dict[str, Any]:
    if address.is_file:
        return {"timeout": LOCK_TIME}
    if "mysql" in DRIVERS[address.scheme]:
        option_file = Path("~/.my.cnf").expanduser()
        file = {"read_default_file": str(option_file)} if option_file.is_file() else {}
        return {"connect_timeout": SILENCE_TIME, "charset": "utf8mb4"} | file
    return {"connect_timeout": SILENCE_TIME}


def _named(error: Any, address: DatabaseTable) -> InvalidInput:
    """The error for what a database or its driver refuses."""
    what = plain(error)
    if any(sign in what.lower() for sign in LOCKED):
        return NetworkError(
            f"another session holds a lock on this table ({what}); nothing was changed",
            file=address,
            hint="Try again when it has ended.",
            code="database-locked",
        )
    refused = ("password", "access denied", "authentication", "role ", "no pg_hba")
    if any(sign in what.lower() for sign in refused) and not address.is_file:
        hint = secrets.where_to_put(secrets.PASSWORD, address.user or "USER", address.host)
        return NetworkError(f"missing or wrong user or password ({what})", file=address, hint=hint)
    if getattr(error, "connection_invalidated", False) or (not address.is_file and _is_about_the_line(error, what)):
        return NetworkError(
            f"the database cannot be reached ({what})", file=address, hint="Check the host and the port."
        )
    return InvalidInput(f"the database refused ({what})", file=address, hint="Check the table, or the query.")


def _is_about_the_line(error: Any, what: str) -> bool:
    signs = ("connect", "timed out", "timeout", "closed", "gone away", "lost", "name or service", "getaddrinfo")
    return "OperationalError" in type(error).__name__ and any(sign in what.lower() for sign in signs)

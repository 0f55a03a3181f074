"""Addresses of tables in databases: ``postgresql://anna@db.example/shop?table=items``. Nothing heavy is loaded here."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING
from urllib.parse import parse_qsl, quote, unquote, urlsplit

from neat_delta.base.errors import InvalidOption
from neat_delta.base.path_text import path_text
from neat_delta.remote.address import has_password, without_secrets

if TYPE_CHECKING:
    from collections.abc import Sequence

# What an address of a database begins with, and the port it means where it names none; SQLite is a file.
PORTS = {"postgresql": 5432, "mysql": 3306, "mariadb": 3306, "sqlite": 0}
TABLE, QUERY = "table", "query"
# What the driver may be told in an address: how the line is encrypted, and how long it waits. Other options of drivers
# name another server than the address, run statements, or read files; they have no place in it.
ALLOWED = {
    "postgresql": (
        "sslmode", "sslrootcert", "sslcert", "sslkey", "sslcrl", "channel_binding", "connect_timeout",
        "application_name",
    ),
    "mysql": (
        "ssl_ca", "ssl_cert", "ssl_key", "ssl_verify_cert", "ssl_verify_identity", "connect_timeout", "read_timeout",
        "write_timeout",
    ),
    "sqlite": (),
}  # fmt: skip
ALLOWED["mariadb"] = ALLOWED["mysql"]
WHOLE_NUMBERS = ("connect_timeout", "read_timeout", "write_timeout")
EXAMPLE = "Example: postgresql://db.example/shop?table=items, or sqlite:///shop.db?table=items."


@dataclass(frozen=True)
class DatabaseTable:
    """A table of a database, or what a query gives there.

    ``database`` is its name, of SQLite the path of the file; ``table`` may have its schema in front, as ``shop.items``;
    ``options`` are what the driver is told besides.
    """

    scheme: str
    host: str
    port: int
    user: str | None
    database: str
    table: str | None
    query: str | None
    options: tuple[tuple[str, str], ...] = ()

    def __str__(self) -> str:
        what = "?query=…" if self.query else f"?table={self._table}" if self.table else ""
        return f"{self._start}{what}"

    @property
    def canonical(self) -> str:
        """The one spelling for a history: this machine by its number, no user; a file by its full path.

        The schema in which a table is looked for anyway is left out, and MariaDB is called as what it speaks. Names of
        tables are the same in capitals to SQLite (SQL As Understood By SQLite, keywords); to others that may differ.
        """
        if self.is_file:
            table = self._table_without("main").lower()
            return f"sqlite:///{path_text(Path(self.database).resolve())}?table={table}"
        host = "127.0.0.1" if self.host in ("localhost", "::1") else self.host.lower().rstrip(".")
        scheme = "mysql" if self.scheme == "mariadb" else self.scheme
        table = self._table_without("public" if scheme == "postgresql" else self.database)
        return f"{scheme}://{host}:{self.port}/{self.database}?table={table}"

    def _table_without(self, schema: str) -> str:
        return self._table.removeprefix(f"{schema}.")

    @property
    def name(self) -> str:
        """What it is called in messages: the table, or the database."""
        return self.table or (PurePosixPath(self.database).name or self.host)

    @property
    def suffix(self) -> str:
        """No end of a file's name."""
        return ""

    @property
    def is_file(self) -> bool:
        """Whether the database is a file of this machine."""
        return self.scheme == "sqlite"

    @property
    def _table(self) -> str:
        """The table's name as an address has it."""
        return (self.table or "").translate({ord(sign): quote(sign) for sign in "%&#+"})

    @property
    def _start(self) -> str:
        if self.is_file:
            return f"sqlite:///{self.database}"
        user = f"{self.user}@" if self.user else ""
        host = f"[{self.host}]" if ":" in self.host else self.host
        port = "" if self.port == PORTS[self.scheme] else f":{self.port}"
        return f"{self.scheme}://{user}{host}{port}/{self.database}"


def is_database(text: str) -> bool:
    """Whether a text begins like the address of a database."""
    return text.partition("://")[0].lower() in PORTS


def parse_database(text: str) -> DatabaseTable:
    """The table that an address means.

    Raises:
        InvalidOption: it has a password in it, names no database, or both a table and a query.
    """
    shown = without_secrets(text)
    scheme = text.partition("://")[0].lower()
    before, _, asked = text.partition("?")
    if has_password(before):
        raise InvalidOption(
            "never write a password into an address: others can see it, and it is written into logs",
            file=shown,
            hint="Put it into a variable, the system's keyring or the driver's own file; see docs/databases.md.",
        )
    try:
        parts = urlsplit(before)
        host, port = parts.hostname or "", parts.port
        given = _asked(asked)
    except ValueError as error:
        raise InvalidOption("not a valid address", file=shown, hint=EXAMPLE) from error
    if scheme == "sqlite":
        # As usual: three slashes and a path from here, four and one from the root.
        host, database = "", unquote(text.partition("://")[2].partition("?")[0]).removeprefix("/")
    else:
        database = unquote(parts.path).strip("/")
        if not host:
            raise InvalidOption("this address has no host name", file=shown, hint=EXAMPLE)
    if not database:
        raise InvalidOption("this address names no database", file=shown, hint=EXAMPLE)
    if TABLE in given and QUERY in given:
        raise InvalidOption("give a table or a query, not both", file=shown, hint=EXAMPLE)
    if "password" in given or "passwd" in given:
        raise InvalidOption(
            "never write a password into an address", file=shown, hint="Put it into a variable; see docs/databases.md."
        )
    options = tuple((name, value) for name, value in given.items() if name not in (TABLE, QUERY))
    _insist_on_allowed(scheme, options, shown)
    user = unquote(parts.username) if parts.username else None
    table, query = given.get(TABLE), given.get(QUERY)
    return DatabaseTable(scheme, host, port or PORTS[scheme], user, database, table, query, options)


def _insist_on_allowed(scheme: str, options: Sequence[tuple[str, str]], shown: str) -> None:
    for name, value in options:
        if name not in ALLOWED[scheme]:
            allowed = ", ".join(ALLOWED[scheme]) or "none"
            raise InvalidOption(
                f"an address of a database cannot have the option {name!r}",
                file=shown,
                hint=f"Write host, port and database in front of the question mark. Options: {allowed}.",
            )
        if name in WHOLE_NUMBERS and not re.fullmatch(r"[0-9]{1,6}", value):
            raise InvalidOption(f"the option {name} must be a whole number", file=shown, value=value)


def _asked(text: str) -> dict[str, str]:
    """What stands behind the question mark. A query comes last and is taken as it is, whatever signs are in it."""
    parts = re.match(r"(?:(?P<rest>.*?)&)?query=(?P<query>.*)", text, re.DOTALL)
    if parts:
        return _asked(parts["rest"] or "") | {QUERY: parts["query"]}
    return dict(parse_qsl(text, keep_blank_values=True, strict_parsing=True)) if text else {}

"""Real database servers of this machine's packages, each on loopback in a temporary folder of its own."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import tempfile
import time
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterator

USER, PASSWORD, DATABASE = "anna", "sec-honey", "shop"
PASSWORD_VARIABLE = "NEAT_DELTA_PASSWORD_127_0_0_1"
PG = next((path.parent for path in sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))), None)
INITDB = shutil.which("initdb", path=f"{PG}{os.pathsep}{os.environ['PATH']}")
MARIADB = shutil.which("mariadbd", path=f"/usr/sbin{os.pathsep}{os.environ['PATH']}")
MISSING = {
    "postgresql": None if INITDB else "no PostgreSQL on this machine: apt install postgresql",
    "mysql": None if MARIADB else "no MariaDB on this machine: apt install mariadb-server",
    "sqlite": None,
}


def _free_port() -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return int(free.getsockname()[1])


@contextmanager
def _home(prefix: str) -> Iterator[tuple[Path, dict[str, str]]]:
    """A folder, and whom a program there runs as: servers refuse to run as root."""
    home = Path(tempfile.mkdtemp(prefix=prefix))
    user = {"user": "nobody", "group": "nogroup"} if os.getuid() == 0 else {}
    if user:
        shutil.chown(home, "nobody", "nogroup")
    try:
        yield home, user
    finally:
        shutil.rmtree(home, ignore_errors=True)


@contextmanager
def postgresql() -> Iterator[str]:
    """A PostgreSQL server that wants a password: the address of its database."""
    assert INITDB is not None
    with _home("pg") as (home, user):
        tools, data, port = Path(INITDB).parent, home / "data", _free_port()
        quiet = {"check": True, "capture_output": True, "cwd": home, **user}
        (home / "password").write_text(PASSWORD)
        auth = ["-A", "scram-sha-256", "--pwfile", home / "password"]
        subprocess.run([INITDB, "-D", data, "-U", USER, *auth, "-E", "UTF8", "--locale=C"], **quiet)
        options = f"-k {home} -c listen_addresses=127.0.0.1 -p {port} -c fsync=off"
        subprocess.run([tools / "pg_ctl", "-D", data, "-l", home / "log", "-o", options, "-w", "start"], **quiet)
        made = [tools / "createdb", "-h", "127.0.0.1", "-p", str(port), "-U", USER, DATABASE]
        subprocess.run(made, env=os.environ | {"PGPASSWORD": PASSWORD}, **quiet)
        try:
            yield f"postgresql://{USER}@127.0.0.1:{port}/{DATABASE}"
        finally:
            subprocess.run([tools / "pg_ctl", "-D", data, "-m", "immediate", "stop"], **quiet)


@contextmanager
def mariadb() -> Iterator[str]:
    """A MariaDB server that wants a password: the address of its database."""
    assert MARIADB is not None
    with _home("mdb") as (home, user):
        port, data = _free_port(), home / "data"
        (home / "init.sql").write_text(
            f"CREATE DATABASE {DATABASE} CHARACTER SET utf8mb4;\n"
            f"CREATE USER '{USER}'@'127.0.0.1' IDENTIFIED BY '{PASSWORD}';\n"
            f"GRANT ALL ON {DATABASE}.* TO '{USER}'@'127.0.0.1';\n"
        )
        install = [
            "mariadb-install-db",
            "--no-defaults",
            f"--datadir={data}",
            "--auth-root-authentication-method=normal",
        ]
        subprocess.run(install, check=True, capture_output=True, cwd=home, **user)
        options = [f"--datadir={data}", f"--socket={home / 's'}", f"--port={port}", f"--init-file={home / 'init.sql'}"]
        more = [
            "--bind-address=127.0.0.1",
            "--skip-name-resolve",
            f"--pid-file={home / 'pid'}",
            "--innodb-flush-log-at-trx-commit=0",
        ]
        with (home / "log").open("wb") as log:
            server = subprocess.Popen(
                [MARIADB, "--no-defaults", *options, *more], stdout=log, stderr=log, cwd=home, **user
            )
        try:
            _wait_for(port, server, home / "log")
            yield f"mysql://{USER}@127.0.0.1:{port}/{DATABASE}"
        finally:
            server.kill()
            server.wait()


def _wait_for(port: int, server: subprocess.Popen[bytes], log: Path) -> None:
    for _ in range(300):
        assert server.poll() is None, log.read_text()
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
        except OSError:
            time.sleep(0.1)
        else:
            return
    raise AssertionError(log.read_text())


SERVERS = {"postgresql": postgresql, "mysql": mariadb}

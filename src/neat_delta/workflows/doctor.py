"""Whether a machine is ready: versions, folders, disk, clock, secrets, and the places of a run file."""

from __future__ import annotations

import os
import platform
import shutil
import tempfile
import time
from dataclasses import dataclass
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import NeatDeltaError
from neat_delta.base.version import __version__
from neat_delta.database.address import DatabaseTable
from neat_delta.delivery.destinations import destination_of
from neat_delta.delivery.history import History, default_history
from neat_delta.export_store import store_of
from neat_delta.files.atomic_write import temp_path
from neat_delta.files.memory import memory_limit
from neat_delta.files.user_data import data_folder, user_name
from neat_delta.locations.prefetch import read_bytes
from neat_delta.remote import secrets
from neat_delta.remote.address import Address
from neat_delta.workflows.scheduled.validate import mistakes_of

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from neat_delta.locations import Location, Place
    from neat_delta.tables.settings import Settings
    from neat_delta.workflows.scheduled.run_config import RunConfig

GOOD, LOOK, BAD = "good", "look", "bad"
# Less room than this on a disk is soon used up by exports and runs.
LEAST_FREE = 1 << 30
# A clock may be so far from that of a server, in seconds.
MOST_APART = 120
PACKAGES = ("polars", "click", "rich", "httpx", "xlsxwriter", "python-calamine")
# What only some need, by extra: what it is for, and its packages.
OPTIONAL = {
    "charts": ("charts", ("matplotlib",)),
    "remote": ("sftp and the keyring", ("paramiko", "keyring")),
    "sql": ("databases", ("sqlalchemy", "psycopg", "pymysql")),
    "s3": ("s3 stores", ("s3fs",)),
    "webdav": ("WebDAV", ("webdav4",)),
    "cluster": ("clusters", ("distributed",)),
}


@dataclass(frozen=True)
class Checked:
    """One thing that was looked at: its name, ``good``, ``look`` or ``bad``, what was seen, and what helps."""

    name: str
    state: str
    said: str
    fix: str = ""


def check_machine(settings: Settings) -> Iterator[Checked]:
    """What must be so on any machine on which this program works."""
    python = platform.python_version()
    yield Checked("version", GOOD, f"neat-delta {__version__}, Python {python}, {platform.platform(terse=True)}")
    yield Checked("packages", GOOD, ", ".join(f"{name} {version(name)}" for name in PACKAGES))
    lacking = [
        f"{what} ({extra})" for extra, (what, packages) in OPTIONAL.items() if not all(map(_installed, packages))
    ]
    yield Checked("optional", GOOD, f"extras not installed: {', '.join(lacking)}" if lacking else "all installed")
    yield Checked("user", GOOD, user_name() or "unknown; set NEAT_DELTA_USER")
    for name, folder in (("data", data_folder()), ("temporary", Path(tempfile.gettempdir()))):
        yield _folder(name, folder)
    yield _history(default_history())
    kept = store_of(settings.store)
    yield _tried("exports", lambda: f"{len(kept.exports())} kept in {kept.folder}")
    yield Checked("memory", GOOD, f"up to {memory_limit() / (1 << 30):.1f} GB may be used")
    yield _clock()
    if settings.send.rule is not None and settings.send.signers_file is None:
        yield _secret("approval secret", "APPROVAL_SECRET")


def check_run(config: RunConfig, *, online: bool) -> Iterator[Checked]:
    """What a run needs: its settings and files, and, ``online``, what it fetches, its destination, and its notices."""
    mistakes = mistakes_of(config)
    for mistake in mistakes:
        yield Checked("run file", BAD, mistake, "Correct it.")
    if not mistakes:
        yield Checked("run file", GOOD, f"{config.path}: no mistake found")
    yield _folder("runs", config.folder)
    yield _history(config.history_file)
    places: dict[str, Location | Place | None] = {
        "live": config.live, "edited": config.edited, "changes": config.changes, "to": config.to, "fresh": config.fresh,
    }  # fmt: skip
    for name, place in places.items():
        if isinstance(place, Address):
            yield _login(name, place)
    if config.mail and config.mail.server and config.mail.user:
        password = secrets.password_of(config.mail.user, config.mail.server)
        where = secrets.where_to_put(secrets.PASSWORD, config.mail.user, config.mail.server)
        yield Checked("mail", GOOD, "password found") if password else Checked("mail", BAD, "no password", where)
    if config.webhook is not None and secrets.named_secret("WEBHOOK_SECRET") is None:
        yield Checked("webhook", LOOK, "posted without a signature", "Set NEAT_DELTA_WEBHOOK_SECRET to sign it.")
    if not online:
        return
    for name in ("live", "edited", "changes"):
        place = places[name]
        if isinstance(place, Address | DatabaseTable | Path):
            yield _tried(name, lambda place=place: f"{place}: {len(read_bytes(place)):,} bytes")  # type: ignore[misc]
    if config.to is not None:
        yield _tried("to", lambda: _reached(config.to))
    if isinstance(config.live, Address) and config.live.scheme in ("http", "https"):
        yield _clock_of(config.live)


def _installed(package: str) -> bool:
    try:
        version(package)
    except PackageNotFoundError:
        return False
    return True


def _folder(name: str, folder: Path) -> Checked:
    """Whether files can be written there, and whether there is room."""
    existing = next((path for path in (folder, *folder.absolute().parents) if path.is_dir()), Path())
    probe = temp_path(existing / "neat-delta-doctor")
    try:
        probe.write_bytes(b"x")
        probe.unlink()
    except OSError as error:
        return Checked(name, BAD, f"{folder}: cannot write there ({error.strerror})", "Allow writing, or set another.")
    free = shutil.disk_usage(existing).free
    said = f"{folder}: {free / (1 << 30):.1f} GB free"
    return Checked(name, GOOD, said) if free >= LEAST_FREE else Checked(name, LOOK, said, "Make room on the disk.")


def _history(path: Path) -> Checked:
    if not path.exists():
        return Checked("history", GOOD, f"{path}: nothing sent yet")

    def said() -> str:
        entries = History(path).entries()
        open_ones = [str(entry.entry) for entry in entries if entry.state == "in progress"]
        note = f"; on their way: #{', #'.join(open_ones)}" if open_ones else ""
        return f"{path}: updates sent: {sum(entry.has_left for entry in entries):,}{note}"

    return _tried("history", said)


def _clock() -> Checked:
    """Whether the clock can be right: the program's own files were not made in the future."""
    made = datetime.fromtimestamp(Path(__file__).stat().st_mtime, UTC)
    now = datetime.now(UTC)
    zone = datetime.now().astimezone()
    said = f"{zone:%Y-%m-%d %H:%M:%S} {time.tzname[zone.dst() is not None and bool(zone.dst())]} (UTC{zone:%z})"
    if now < made:
        return Checked("clock", BAD, f"{said}: before this program was installed", "Set the clock of the machine.")
    return Checked("clock", GOOD, said)


def _clock_of(address: Address) -> Checked:
    """How far the clock is from that of a web server, as the head of its answer has it (RFC 9110, Date)."""
    import httpx

    try:
        answer = httpx.head(f"{address.scheme}://{address.host}:{address.port}/", timeout=10)
        apart = abs((datetime.now(UTC) - parsedate_to_datetime(answer.headers["Date"])).total_seconds())
    except (httpx.HTTPError, KeyError, ValueError, TypeError):
        return Checked("clock", GOOD, f"{address.host} does not say its time")
    said = f"{apart:.0f} s from that of {address.host}"
    if apart > MOST_APART:
        return Checked("clock", LOOK, said, "Set the clock of the machine; times decide what is newer.")
    return Checked("clock", GOOD, said)


def _login(name: str, address: Address) -> Checked:
    """Whether there is a secret for an address; one without a user may need none."""
    if address.user:
        token = secrets.password_of(address.user, address.host)
        where = secrets.where_to_put(secrets.PASSWORD, address.user, address.host)
        if not token and address.scheme == "sftp":
            return Checked(name, LOOK, f"no password for {address.user}@{address.host}; a key may do", where)
        return _found(name, f"the password for {address.user}@{address.host}", where, is_there=bool(token))
    token = secrets.from_env(secrets.TOKEN, address.host) or secrets.from_keyring("token", address.host)
    said = f"token for {address.host}" if token else f"{address.host}: no token; fine if it needs none"
    return Checked(name, GOOD, said)


def _secret(name: str, sort: str) -> Checked:
    return _found(name, "the secret", secrets.where_to_put_named(sort), is_there=secrets.named_secret(sort) is not None)


def _found(name: str, what: str, where: str, *, is_there: bool) -> Checked:
    return Checked(name, GOOD, f"{what} is there") if is_there else Checked(name, BAD, f"{what} is missing", where)


def _reached(place: Place | None) -> str:
    assert place is not None
    destination = destination_of(place)
    destination.check()
    if isinstance(place, Path) and not os.access(place, os.W_OK):
        raise PermissionError(f"{place}: cannot write there")
    return (
        f"{destination.name}: can be used"
        if isinstance(place, Path)
        else f"{destination.name}: shows when something is sent"
    )


def _tried(name: str, action: Callable[[], str]) -> Checked:
    try:
        return Checked(name, GOOD, action())
    except NeatDeltaError as error:
        return Checked(name, BAD, error.text(None, None), error.hint or "")
    except OSError as error:
        return Checked(name, BAD, str(error), "Check the name and the permissions.")

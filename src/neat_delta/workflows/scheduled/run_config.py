"""The file that says what a run does: where its tables come from, where the update goes, where a person is needed."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import MISSING, Field, dataclass, fields, replace
from datetime import datetime
from decimal import Decimal
from pathlib import Path
from typing import Annotated, Any

from neat_delta.base.errors import InvalidInput, InvalidSettings
from neat_delta.base.options import OPTION, options_of
from neat_delta.base.path_text import path_text
from neat_delta.delivery.history import default_history
from neat_delta.locations import FileSet, Location, Place, parse_location, place_beside
from neat_delta.remote.address import Address
from neat_delta.remote.mail import SECURITIES, STARTTLS
from neat_delta.tables.config_loader import load_config, read_toml, structured
from neat_delta.tables.constraints import (
    FIX,
    AsPlace,
    AtLeast,
    AtMost,
    Count,
    CountOrZero,
    InvalidSetting,
    Key,
    NotEmpty,
    NotInFile,
    OneOf,
)
from neat_delta.tables.settings import NAME as CATALOGUE
from neat_delta.workflows.base import KEPT_BASE, NO_BASE
from neat_delta.workflows.compare_options import ComparisonOptions, RoundingOptions
from neat_delta.workflows.option_groups import AllowOptions, StrictOption, UpdateForm
from neat_delta.workflows.requests import AdjustRequest

# RFC 5322, section 3.4.1, as far as every server takes it: ASCII, perhaps with a name in front.
WEB_SCHEMES = ("http", "https")
HOST = re.compile(r"[A-Za-z0-9]([A-Za-z0-9.\-]*[A-Za-z0-9])?|\[[0-9A-Fa-f:.]+\]")
MAIL_ADDRESS = re.compile(r"(?:[^<>@\x00-\x1f\x7f-\x9f]*<)?[!-;=?A-~]+@[A-Za-z0-9.\-\[\]:]+>?")


@dataclass(frozen=True)
class AsMailAddress:
    """A mail address that cannot break a mail's head."""

    def convert(self, value: str) -> str:
        """The address."""
        if not MAIL_ADDRESS.fullmatch(value):
            hint = "Example: shop@example.org; a domain with other letters in its form that begins with xn--."
            raise InvalidSetting("not a valid mail address", hint, value, key="to")
        return value


@dataclass(frozen=True)
class AsWebAddress:
    """An http or https address without a password."""

    written_as = str

    def convert(self, value: str) -> Address:
        """The address."""
        place = AsPlace().convert(value)
        if not isinstance(place, Address) or place.scheme not in WEB_SCHEMES:
            raise InvalidSetting("{key} must be an http or https address", FIX, value)
        return place


@dataclass(frozen=True)
class HostName:
    """The name of a machine, or its number, as RFC 1123 and RFC 5321 have them."""

    def convert(self, value: str) -> str:
        """The name."""
        if not HOST.fullmatch(value):
            raise InvalidSetting("not the name of a server", 'Example: "mail.shop.example".', value)
        return value


@dataclass(frozen=True)
class AsMoment:
    """A date with a time, which is local unless it says how far from UTC it is."""

    def convert(self, value: datetime) -> datetime:
        """The moment, with its zone."""
        return value.astimezone()


Moment = Annotated[datetime, AsMoment()]
MailAddress = Annotated[str, NotEmpty("a mail needs {key}", "Write it after [mail]."), AsMailAddress()]


@dataclass(frozen=True)
class Limits:
    """``[limits]``: above these, nothing is sent; ``None`` is no limit."""

    changed: CountOrZero | None = None
    """Items that change."""
    share: Annotated[Decimal, AtLeast(0)] | None = None
    """Items that change, as a share of all live items: 0.1 is 10 %."""
    errors: CountOrZero | None = None
    """Errors that are tolerated: the rest is sent. Without this, one error needs attention."""
    unknown: CountOrZero | None = None
    """Rows whose SKU is not in the shop."""


@dataclass(frozen=True)
class Waiting:
    """``[verify]``: how long to wait for the export after the import."""

    wait: CountOrZero = 0
    """Seconds to wait before each try."""
    tries: Count = 1
    """Number of tries until all changes are applied."""


SUCCESS, ATTENTION, FAILURE = OUTCOMES = ("success", "attention", "failure")
Outcomes = tuple[Annotated[str, OneOf(OUTCOMES)], ...]


@dataclass(frozen=True)
class Mail:
    """``[mail]``: who sends the summary, to whom, and by which server."""

    sender: Annotated[MailAddress, Key("from")] = ""
    """The sender's address."""
    receivers: Annotated[tuple[MailAddress, ...], Key("to")] = ()
    """The receivers' addresses."""
    server: Annotated[str, HostName()] | None = None
    """The mail server (SMTP); without it, the mail is only written to the run's folder."""
    port: Annotated[int, AtLeast(1), AtMost(65535)] | None = None
    """Its port; by default the usual one: 587 for starttls, 465 for tls, 25 for none."""
    security: Annotated[str, OneOf(SECURITIES)] = STARTTLS
    """How the line is encrypted: `starttls` (the default), `tls` from the start, or `none`."""
    user: str | None = None
    """The user; the password is in the environment or the keyring."""
    outcomes: Annotated[Outcomes, Key("when")] = (ATTENTION, FAILURE)
    """After which runs it is sent: `success`, `attention`, `failure`."""

    def mistakes(self) -> Iterator[InvalidSetting]:
        """A mail needs both."""
        for key, given in (("from", self.sender), ("to", self.receivers)):
            if not given:
                yield InvalidSetting(f"a mail needs {key}", "Write it after [mail].", key=key)


@dataclass(frozen=True)
class Webhook:
    """``[webhook]``: an address that gets the summary as JSON."""

    address: Annotated[Address, AsWebAddress()]
    """The http(s) address; a token for it is in the environment or the keyring."""
    outcomes: Annotated[Outcomes, Key("when")] = (ATTENTION, FAILURE)
    """After which runs it is called: `success`, `attention`, `failure`."""


@dataclass(frozen=True)
class EditedFile:
    """``[[edited_files]]``: one of several edited files, whose changes are combined."""

    file: Location
    """The edited file, here or at an address, or several."""
    profile: str | None = None
    """Its supplier profile."""
    formulas: Annotated[tuple[str, ...], Key("set")] = ()
    """Formulas for its values."""
    preferred: bool = False
    """Whether its values go on where the files differ; otherwise such cells are errors, not sent."""
    origin: Annotated[Path | None, NotInFile()] = None
    """Where the file is, of which a run reads a copy."""


@dataclass(frozen=True)
class Campaign:
    """``[campaign]``: changes that hold from one time until another; then what still is as sent is put back."""

    start: Annotated[Moment, Key("from")]
    """When the changes are sent: `2026-12-01T06:00:00`, local time, or with an offset such as `+01:00`."""
    end: Annotated[Moment, Key("until")]
    """When they are put back; what somebody has changed meanwhile stays as it is."""

    def mistakes(self) -> Iterator[InvalidSetting]:
        """It must end after it has started."""
        if self.end <= self.start:
            yield InvalidSetting("a campaign must end after it starts", "Correct from or until.", self.end, "until")


@dataclass(frozen=True, kw_only=True)
class RunConfig(ComparisonOptions, RoundingOptions, UpdateForm, StrictOption):
    """``[]``: what a run does, with the options of its jobs. Paths are meant from the folder in which the file lies."""

    live: Location
    """The live export: a file here or at an address, or several (a pattern, a folder, `newest:`, `a.csv + b.csv`)."""
    edited: Location | None = None
    """The edited file, likewise; without it, `set` must say what changes."""
    edited_files: tuple[EditedFile, ...] = ()
    """Several edited files instead of `edited`, each with its own profile: `[[edited_files]]`."""
    changes: Location | None = None
    """A saved change set instead of `edited`; it is brought up to date with the live export."""
    catalogue: Path | None = None
    """The settings file, if not catalogue.toml next to the run file."""
    folder: Path = Path("runs")
    """The folder in which each run makes its own folder."""
    history: Path | None = None
    """The history file, if not the one of this user."""
    to: Annotated[Place | None, AsPlace()] = None
    """The destination of the update; without it, nothing is sent."""
    fresh: Location | None = None
    """The export after the import; without it, nothing is verified."""
    limits: Limits = Limits()
    """Above these limits, nothing is sent."""
    waiting: Annotated[Waiting, Key("verify")] = Waiting()
    """How long to wait for the export after the import."""
    campaign: Campaign | None = None
    """From when until when the changes hold."""
    mail: Mail | None = None
    """Who gets the summary by mail."""
    webhook: Webhook | None = None
    """An address that gets the summary as JSON."""
    heartbeat: Location | None = None
    """A file that is written, or an http(s) address that is called, after each run that did not fail."""
    metrics: Path | None = None
    """A file with counts and times of the last run, in OpenMetrics text format."""
    keep_days: Count | None = None
    """Folders of runs older than so many days are deleted, but for those that still are needed."""
    path: Annotated[Path, NotInFile()] = Path()
    """The run's file itself."""

    def mistakes(self) -> Iterator[InvalidSetting]:
        """What does not go together."""
        sources = [name for name in ("edited", "edited_files", "changes") if getattr(self, name)]
        if not sources and not self.set:
            yield InvalidSetting("there is nothing to do", "Set edited, edited_files, changes or set.", key="edited")
        if len(sources) > 1:
            yield InvalidSetting(f"{' and '.join(sources)} do not go together", "Keep one.", key=sources[1])
        yield from self._without_effect()
        if sum(one.preferred for one in self.edited_files) > 1:
            yield InvalidSetting("only one of the files can be preferred", "Keep one.", key="edited_files")
        if self.heartbeat is not None and not (
            isinstance(self.heartbeat, Path)
            or (isinstance(self.heartbeat, Address) and self.heartbeat.scheme in WEB_SCHEMES)
        ):
            yield InvalidSetting("a heartbeat is a file or an http(s) address", FIX, self.heartbeat, "heartbeat")
        if self.fresh is not None and self.to is None:
            yield InvalidSetting("there is nothing to verify if nothing is sent", "Set to as well.", key="fresh")

    def _without_effect(self) -> Iterator[InvalidSetting]:
        """Settings that belong to another source than the one of this file."""
        given = [
            one.name for one in fields(self) if OPTION in one.metadata and getattr(self, one.name) != _default(one)
        ]
        if self.edited_files:
            for key in (key for key in given if key in ("profile", "set")):
                yield InvalidSetting(f"{key} belongs to each of edited_files", "Write it there.", key=key)
        of_update = {*options_of(UpdateForm), *options_of(StrictOption), *options_of(AllowOptions)}
        of_formulas = set(options_of(AdjustRequest))
        for key in given:
            if self.changes and key not in of_update:
                yield InvalidSetting(f"{key} has no effect on a saved change set", "Leave it out.", key=key)
            elif not (self.changes or self.edited or self.edited_files) and key not in of_formulas:
                yield InvalidSetting(f"{key} has no effect without an edited file", "Leave it out.", key=key)
            elif (self.edited or self.edited_files) and key in options_of(RoundingOptions):
                yield InvalidSetting(f"{key} has no effect on an edited file", "Leave it out.", key=key)

    @property
    def name(self) -> str:
        """The file's name without its end."""
        return path_text(self.path.stem)

    @property
    def history_file(self) -> Path:
        """The history of this run."""
        return self.history or default_history()


def _default(member: Field[Any]) -> Any:
    """What a member is where nothing is said of it."""
    return member.default if member.default_factory is MISSING else member.default_factory()


def told_anyway(path: Path) -> RunConfig | None:
    """Of a run file with mistakes, what says where its runs are and who is told of them, as far as that is good.

    ``None`` for a file that is no TOML, or is not there.
    """
    try:
        data, _ = read_toml(path, "")
    except InvalidInput:
        return None
    readable: dict[str, Any] = {"live": "live.csv", "edited": "edited.csv"}
    for name in ("folder", "history", "mail", "webhook", "metrics"):
        if name in data:
            with suppress(InvalidSettings):
                structured(RunConfig, readable | {name: data[name]}, path)
                readable[name] = data[name]
    return _from_its_folder(structured(RunConfig, readable, path), path)


def load_run(path: Path) -> RunConfig:
    """The configuration of a run.

    Raises:
        InvalidInput: file not found, or it is no TOML.
        InvalidSettings: every mistake, with its line and what is allowed.
    """
    return _from_its_folder(load_config(RunConfig, path, "docs/run-files.md shows one."), path)


def _from_its_folder(run: RunConfig, path: Path) -> RunConfig:
    """The configuration with its paths as they are meant: from the folder of the run file."""
    beside = path.parent

    def from_here(location: Location) -> Location:
        if isinstance(location, FileSet):
            return parse_location(location.text, beside)
        return parse_location(str(location), beside) if isinstance(location, Path) else place_beside(location, beside)

    table = beside / (run.catalogue or CATALOGUE)
    return replace(
        run,
        live=from_here(run.live),
        edited=run.edited and from_here(run.edited),
        edited_files=tuple(replace(one, file=from_here(one.file)) for one in run.edited_files),
        changes=run.changes and from_here(run.changes),
        catalogue=table if run.catalogue or table.is_file() else None,
        folder=beside / run.folder,
        history=run.history and beside / run.history,
        to=place_beside(run.to, beside) if run.to else None,
        fresh=run.fresh and from_here(run.fresh),
        base=run.base if str(run.base) in (NO_BASE, KEPT_BASE) else run.base and from_here(run.base),
        items=run.items and from_here(run.items),
        sku_changes=run.sku_changes and from_here(run.sku_changes),
        map_file=run.map_file and from_here(run.map_file),
        decisions=run.decisions and from_here(run.decisions),
        images=run.images and beside / run.images,
        table={name: file if "://" in file else str(beside / file) for name, file in run.table.items()},
        heartbeat=run.heartbeat and from_here(run.heartbeat),
        metrics=run.metrics and beside / run.metrics,
        path=path,
    )

"""The file that says what a run does: where its tables come from, where the update goes, where a person is needed."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from decimal import Decimal
from pathlib import Path
from typing import Annotated

from neat_delta.delivery.history import default_history
from neat_delta.errors import InvalidOption
from neat_delta.locations import FileSet, Location, Place, parse_location, parse_place, place_beside
from neat_delta.locations.dated_names import with_dates
from neat_delta.path_text import path_text
from neat_delta.tables.config_loader import load_config
from neat_delta.tables.constraints import (
    FIX,
    AtLeast,
    Count,
    CountOrZero,
    InvalidSetting,
    Key,
    NotEmpty,
    NotInFile,
    OneOf,
)
from neat_delta.tables.settings import NAME as CATALOGUE
from neat_delta.update.field_sets import FEWEST_CELLS, WAYS
from neat_delta.update.write import OUTPUT_FORMATS

# RFC 5322, section 3.4.1, as far as every server takes it: ASCII, perhaps with a name in front.
MAIL_ADDRESS = re.compile(r"(?:[^<>@\x00-\x1f\x7f-\x9f]*<)?[!-;=?A-~]+@[A-Za-z0-9.\-\[\]:]+>?")


@dataclass(frozen=True)
class AsLocation:
    """A path, or an address without a password."""

    written_as = str

    def convert(self, value: str) -> Location:
        """The path or the address."""
        try:
            return parse_location(with_dates(value))
        except InvalidOption as error:
            raise InvalidSetting(error.what, error.hint or FIX, error.file) from error


@dataclass(frozen=True)
class AsPlace:
    """A folder of this machine, or an address without a password."""

    written_as = str

    def convert(self, value: str) -> Place:
        """The folder or the address."""
        try:
            return parse_place(with_dates(value))
        except InvalidOption as error:
            raise InvalidSetting(error.what, error.hint or FIX, error.file) from error


@dataclass(frozen=True)
class AsPath:
    """A path of this machine."""

    written_as = str

    def convert(self, value: str) -> Path:
        """The path."""
        return Path(value)


@dataclass(frozen=True)
class AsMailAddress:
    """A mail address that cannot break a mail's head."""

    def convert(self, value: str) -> str:
        """The address."""
        if not MAIL_ADDRESS.fullmatch(value):
            hint = "Example: shop@example.org; a domain with other letters in its form that begins with xn--."
            raise InvalidSetting("not a valid mail address", hint, value, key="to")
        return value


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


@dataclass(frozen=True)
class Mail:
    """``[mail]``: who sends the summary, and to whom."""

    sender: Annotated[MailAddress, Key("from")] = ""
    """The sender's address."""
    receivers: Annotated[tuple[MailAddress, ...], Key("to")] = ()
    """The receivers' addresses."""

    def mistakes(self) -> Iterator[InvalidSetting]:
        """A mail needs both."""
        for key, given in (("from", self.sender), ("to", self.receivers)):
            if not given:
                yield InvalidSetting(f"a mail needs {key}", "Write it after [mail].", key=key)


@dataclass(frozen=True)
class RunConfig:
    """``[]``: what a run does. Paths in the file are meant from the folder in which it lies."""

    live: Annotated[Location, AsLocation()]
    """The live export: a file here or at an address, or several (a pattern, a folder, `newest:`, `a.csv + b.csv`)."""
    edited: Annotated[Location | None, AsLocation()] = None
    """The edited file, likewise; without it, `set` must say what changes."""
    formulas: Annotated[tuple[str, ...], Key("set")] = ()
    """Formulas (as `--set`): of the edited file, or of the live export alone, such as `"price = costs.net * 1.6"`."""
    profile: str | None = None
    """The supplier profile of the edited file."""
    catalogue: Annotated[Path | None, AsPath()] = None
    """The settings file, if not catalogue.toml next to the run file."""
    folder: Annotated[Path, AsPath()] = Path("runs")
    """The folder in which each run makes its own folder."""
    history: Annotated[Path | None, AsPath()] = None
    """The history file, if not the one of this user."""
    where: str | None = None
    """Only items that match this condition (as `--where`)."""
    items: Annotated[Location | None, AsLocation()] = None
    """Only the SKUs listed in this file, one per line (as `--items`)."""
    blanks: Annotated[str, OneOf(("leave", "clear"))] | None = None
    """What blank cells do (as `--blanks`)."""
    add_new: bool = False
    """Whether new rows are added as new items."""
    delete_missing: Count | None = None
    """Delete items that are not in the edited file, but stop if there are more than this."""
    repair_keys: Annotated[bool, Key("repair_skus")] = False
    """Whether damaged SKUs are repaired where only one item fits."""
    strategy: Annotated[str, OneOf(WAYS), Key("pack")] = FEWEST_CELLS
    """How the update is packed (as `--pack`)."""
    output_format: Annotated[str, OneOf(OUTPUT_FORMATS), Key("format")] = "delimited"
    """The format of the update files (as `--format`)."""
    to: Annotated[Place | None, AsPlace()] = None
    """The destination of the update; without it, nothing is sent."""
    fresh: Annotated[Location | None, AsLocation()] = None
    """The export after the import; without it, nothing is verified."""
    limits: Limits = Limits()
    """Above these limits, nothing is sent."""
    waiting: Annotated[Waiting, Key("verify")] = Waiting()
    """How long to wait for the export after the import."""
    mail: Mail | None = None
    """Who gets the summary by mail."""
    path: Annotated[Path, NotInFile()] = Path()
    """The run's file itself."""

    def mistakes(self) -> Iterator[InvalidSetting]:
        """What does not go together."""
        if self.edited is None and not self.formulas:
            yield InvalidSetting("there is nothing to do", "Set edited or set.", key="edited")
        if self.fresh is not None and self.to is None:
            yield InvalidSetting("there is nothing to verify if nothing is sent", "Set to as well.", key="fresh")

    @property
    def name(self) -> str:
        """The file's name without its end."""
        return path_text(self.path.stem)

    @property
    def history_file(self) -> Path:
        """The history of this run."""
        return self.history or default_history()


def load_run(path: Path) -> RunConfig:
    """The configuration of a run.

    Raises:
        InvalidInput: file not found, or it is no TOML.
        InvalidSettings: every mistake, with its line and what is allowed.
    """
    run = load_config(RunConfig, path, "docs/run-files.md shows one.")
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
        catalogue=table if run.catalogue or table.is_file() else None,
        folder=beside / run.folder,
        history=run.history and beside / run.history,
        to=place_beside(run.to, beside) if run.to else None,
        fresh=run.fresh and from_here(run.fresh),
        items=run.items and from_here(run.items),
        path=path,
    )

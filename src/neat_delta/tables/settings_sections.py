"""The smaller sections of catalogue.toml: money, refresh, the kept exports, approval, the page."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Annotated, Literal

from neat_delta.locations import Place
from neat_delta.tables.constraints import (
    AsPlace,
    AtLeast,
    AtMost,
    Count,
    FieldName,
    InvalidSetting,
    NotEmpty,
    NotInFile,
    OneOf,
)

# A machine by name with a path, or a path; with names of fields in braces behind the machine.
IMAGE_ADDRESS = re.compile(r"(https?://[A-Za-z0-9.\-]+(:[0-9]+)?/|(?!//)[^:;'\"\s\\\\]+$)[^;'\"\s\\\\]*")


@dataclass(frozen=True)
class MoneySettings:
    """``[money]``: what holds for amounts of money."""

    tax: Annotated[Decimal, AtLeast(0), AtMost(9)] = Decimal(0)
    """The tax that a price includes, as a share: 0.19."""


@dataclass(frozen=True)
class RefreshSettings:
    """``[refresh]``: a shop that moves on meanwhile."""

    difference: tuple[FieldName, ...] = ()
    """Fields that are sent as a difference, such as a stock that sells."""
    hours: Count | None = None
    """Maximum age of a live export, in hours, when an update is written or sent."""


@dataclass(frozen=True)
class StoreSettings:
    """``[store]``: the live exports that are kept, so that later commands find them."""

    keep: bool = True
    """Whether live exports are kept."""
    folder: str | None = None
    """Their folder; one for each shop is best. Default: the one of this user."""
    megabytes: Count = 2_000
    """Maximum size of all kept exports, compressed."""
    number: Count = 200
    """Maximum number of kept exports."""
    days: Count = 365
    """Exports that were not read for so many days are deleted."""


@dataclass(frozen=True)
class PageSettings:
    """``[page]``: the page of ``preview --page``."""

    image: Annotated[str, NotEmpty()] | None = None
    """Where the image of an item is, an https address or a path from the page's folder, with names of fields in
    braces: `"https://shop.example/media/{image}"`. Only then does a page load anything: these images."""

    def mistakes(self) -> Iterator[InvalidSetting]:
        """An address from which a page may load images, and nothing that breaks out of its policy."""
        if self.image and not IMAGE_ADDRESS.fullmatch(self.image):
            hint = "Example: https://shop.example/media/{image}"
            yield InvalidSetting("not an address of images", hint, self.image, "image")


@dataclass(frozen=True)
class SendSettings:
    """``[send]``: what must be so before anything is written or sent."""

    approval: Annotated[Literal["other", "any", "none"], OneOf(("other", "any", "none"))] | None = None
    """Whether a change set must be approved: by another person than made it (`other`), or by anybody (`any`). `none`:
    not any more, also for a destination to which approved updates have gone."""
    to: Annotated[Place | None, AsPlace()] = None
    """The destination of updates, if `--to` is not given; a folder is meant from this file's. A change set made here is
    approved for this destination only."""
    approval_days: Count = 14
    """Days for which an approval may be used."""
    signers: str | None = None
    """Who has which SSH key, as a file that OpenSSH reads (`allowed_signers`); then only these keys approve."""
    signers_file: Annotated[Path | None, NotInFile()] = None
    """Where that file is."""

    @property
    def rule(self) -> Literal["other", "any"] | None:
        """Who has to approve a change set; ``None``: nobody."""
        return None if self.approval == "none" else self.approval

"""The ways of a practice shop: how it takes imports, each as real shops do in one way or another."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field, fields
from typing import TYPE_CHECKING, Any

from neat_delta.errors import Unreadable

if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path

FILE = "shop.toml"
DRAFT = """\
# The ways of this practice shop. Change them, and see what becomes of an import.
key = "{key}"
blank = "empties"          # what a blank cell does: it "empties" the field, or "leaves" it as it is
# marker = "[clear]"       # what empties a field where a blank does not
takes = "both"             # "change", "add", or "both"
# required = ["name"]      # columns that every file must have
# limited = ["colour"]     # fields that take no value which no item has yet
# known_categories = "category"   # the field whose categories must exist
# rows = 5000              # the most rows of one file, the header among them
# decimals = {{price = 2}}   # numbers are rounded to so many decimals when they are stored
# length = {{name = 60}}     # longer texts are cut
# trims = true             # spaces around values are taken off when they are stored
# breaks_off_after = 100   # an import stops half way after so many rows
# seconds = 0.0            # how long a job waits before its turn
"""


@dataclass(frozen=True)
class Ways:
    """How a practice shop takes its imports; see the comments of the draft."""

    key: str = "sku"
    blank: str = "empties"
    marker: str | None = None
    takes: str = "both"
    required: tuple[str, ...] = ()
    limited: tuple[str, ...] = ()
    known_categories: str | None = None
    rows: int | None = None
    decimals: Mapping[str, int] = field(default_factory=dict)
    length: Mapping[str, int] = field(default_factory=dict)
    trims: bool = False
    breaks_off_after: int | None = None
    seconds: float = 0.0


def load_ways(folder: Path) -> Ways:
    """The ways that a shop's folder settles.

    Raises:
        Unreadable: the file is not there, is no TOML, or holds a setting that there is not.
    """
    path = folder / FILE
    try:
        told: dict[str, Any] = tomllib.loads(path.read_text("utf-8"))
    except FileNotFoundError as error:
        remedy = "Open one with: neat-delta shop open DIR"
        raise Unreadable("there is no practice shop here", file=folder, remedy=remedy) from error
    except tomllib.TOMLDecodeError as error:
        raise Unreadable(f"this is no TOML: {error}", file=path) from error
    known = {one.name for one in fields(Ways)}
    for name in told:
        if name not in known:
            raise Unreadable(
                f"there is no setting {name!r}", file=path, remedy="Allowed: " + ", ".join(sorted(known)) + "."
            )
    for name, allowed in (("blank", ("empties", "leaves")), ("takes", ("both", "change", "add"))):
        if told.get(name, allowed[0]) not in allowed:
            raise Unreadable(
                f"no such {name}", file=path, value=str(told[name]), remedy="Allowed: " + ", ".join(allowed) + "."
            )
    lists = {name: tuple(value) for name, value in told.items() if isinstance(value, list)}
    return Ways(**told | lists)

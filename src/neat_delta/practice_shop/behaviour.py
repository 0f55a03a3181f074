"""How a practice shop takes imports: each way as real shops do in one or another."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated

from neat_delta.base.errors import InvalidInput
from neat_delta.tables import DELIMITERS
from neat_delta.tables.config_loader import load_config
from neat_delta.tables.constraints import AsEncoding, AtLeast, Count, CountOrZero, OneOf

if TYPE_CHECKING:
    from pathlib import Path

FILE = "shop.toml"
DELIMITER_NAMES = {name: sign for sign, name in DELIMITERS.items()}
DRAFT = """\
# Settings of this practice shop. Change them and see how imports behave.
key = "{key}"
blank = "empties"          # what a blank cell does: it "empties" the field, or "leaves" it as it is
# marker = "[clear]"       # what empties a field where a blank does not
# delimiter = "semicolon"  # how its exports and imports are written: comma, semicolon, tab or pipe
# encoding = "windows-1252"
# decimal = ","            # of the fields in decimals, in exports and imports
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
class StoreBehaviour:
    """How a practice shop takes its imports; see the comments of the draft."""

    key: str = "sku"
    blank: Annotated[str, OneOf(("empties", "leaves"))] = "empties"
    marker: str | None = None
    delimiter: Annotated[str, OneOf(tuple(DELIMITER_NAMES))] = "comma"
    encoding: Annotated[str, AsEncoding()] = "utf-8"
    decimal: Annotated[str, OneOf((".", ","))] = "."
    takes: Annotated[str, OneOf(("both", "change", "add"))] = "both"
    required: tuple[str, ...] = ()
    limited: tuple[str, ...] = ()
    known_categories: str | None = None
    rows: Count | None = None
    decimals: Mapping[str, CountOrZero] = field(default_factory=dict)
    length: Mapping[str, CountOrZero] = field(default_factory=dict)
    trims: bool = False
    breaks_off_after: CountOrZero | None = None
    seconds: Annotated[float, AtLeast(0)] = 0.0

    @property
    def separator(self) -> str:
        """The sign between cells."""
        return DELIMITER_NAMES[self.delimiter]

    def as_stored(self, name: str, cell: str) -> str:
        """A cell of an import as it is stored: numbers with a point."""
        return cell.replace(",", ".") if self.decimal == "," and name in self.decimals else cell

    def as_exported(self, name: str, cell: str) -> str:
        """A stored cell as an export has it."""
        return cell.replace(".", ",") if self.decimal == "," and name in self.decimals else cell


def load_behaviour(folder: Path) -> StoreBehaviour:
    """The behaviour that a shop's folder configures.

    Raises:
        InvalidInput: the file is not there, or is no TOML.
        InvalidSettings: every mistake, with its line and what is allowed.
    """
    path = folder / FILE
    if not path.is_file():
        hint = "Make one with: neat-delta shop open DIR"
        raise InvalidInput("this folder is not a practice shop", file=folder, hint=hint)
    return load_config(StoreBehaviour, path, "Make one with: neat-delta shop open DIR")

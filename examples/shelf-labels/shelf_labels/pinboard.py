"""A destination: a folder of this machine, in which files get numbers in the order in which they come."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.plugin_api import DeliveryError, DeliveryResult

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.plugin_api import Address


class Pinboard:
    """``pinboard://hall``: the folder ``hall`` in the folder that PINBOARDS names.

    A run may be killed between any two steps. Each step can be taken again: under one ``mark`` a file is one file.
    """

    takes_changes = False

    def __init__(self, address: Address, message: Callable[[str], None]) -> None:
        self.name = str(address)
        self.folder = Path(os.environ.get("PINBOARDS", ".")) / address.host
        self.message = message

    def check(self) -> None:
        """See that there is such a folder, before anything is written down about it."""
        if not self.folder.is_dir():
            raise DeliveryError("there is no such pinboard", file=self.name, hint="Create its folder.")

    def upload(self, name: str, data: bytes, mark: str) -> None:
        """Nothing to bring beforehand."""

    def submit(self, name: str, data: bytes, action: str, mark: str) -> str | None:
        """Pin the file, unless it hangs there already; returns its number."""
        pinned = sorted(path.name for path in self.folder.iterdir())
        there = next((one for one in pinned if (self.folder / one).read_bytes() == data and one.endswith(name)), None)
        if there is None:
            there = f"{len(pinned) + 1:03} {name}"
            (self.folder / there).write_bytes(data)
        return there.split()[0]

    def wait_for_result(self, job: str | None) -> DeliveryResult:
        """A pinboard tells nothing more."""
        return DeliveryResult(job)

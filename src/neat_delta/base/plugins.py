"""Plug-ins: types of fields, checks, formats of update files and destinations from other packages.

A package announces what it brings as entry points (Python packaging, "Entry points specification") of the groups
``neat_delta.field_types``, ``neat_delta.checks``, ``neat_delta.formats`` and ``neat_delta.destinations``. They are
loaded when they are first needed; what each must be is in docs/plug-ins.md.
"""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING, Any, Protocol

from neat_delta.base.errors import InvalidOption

if TYPE_CHECKING:
    from importlib.metadata import EntryPoint

PREFIX = "neat_delta."
FIELD_TYPES, CHECKS, FORMATS, DESTINATIONS = "field_types", "checks", "formats", "destinations"


class RecordFormat(Protocol):
    """A format of update files made of records: each item's key and its changed columns.

    A record has the columns of the export as texts; null empties a field. Of an item to be deleted it has the key
    only. What is written is read back for the proof, so ``read(write(records))`` must give the same records.
    """

    @property
    def suffix(self) -> str:
        """The end of the files' names, such as ``.ini``."""

    def write(self, records: list[dict[str, str | None]]) -> bytes:
        """The file of some records, in their order."""

    def read(self, data: bytes) -> list[dict[str, str | None]]:
        """The records of such a file; ``ValueError`` for what is none."""


@cache
def plugins(group: str) -> dict[str, Any]:
    """What other packages bring of a group, by the names under which they announce it.

    Raises:
        InvalidOption: one of them cannot be loaded.
    """
    loaded = {}
    for point in _announced(group):
        try:
            loaded[point.name] = point.load()
        except Exception as error:  # (whatever a package of somebody else's raises)
            package = point.dist.name if point.dist else point.value
            raise InvalidOption(
                f"the plug-in {point.name} of {package} cannot be loaded ({type(error).__name__}: {error})",
                hint=f"Repair it, or remove it: pip uninstall {package}",
            ) from error
    return loaded


def plugin_names(group: str) -> list[str]:
    """The names of what other packages bring of a group; nothing of it is loaded."""
    return sorted({point.name for point in _announced(group)})


@cache
def _announced(group: str) -> tuple[EntryPoint, ...]:
    """What other packages announce; looking through all that is installed takes a while, so it is done once."""
    from importlib.metadata import entry_points

    return tuple(entry_points(group=f"{PREFIX}{group}"))

"""What a shop has answered: which rows it has accepted, which not, and of which it has said nothing."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.delivery.history import REJECTED
from neat_delta.reconcile.import_report import is_accepted

if TYPE_CHECKING:
    from neat_delta.delivery.history import Entry, FileEntry


def not_accepted(entry: Entry) -> list[dict[str, Any]]:
    """The rows that the shop has not accepted (line, code, result, reason)."""
    return [row for file in entry.files for row in file.results if not is_accepted(row["result"])]


def may_be_in_the_shop(entry: Entry) -> bool:
    """Whether anything of an update may have been applied: all but what the shop refused whole."""
    return any(
        file.state not in (None, REJECTED) or any(is_accepted(row["result"]) for row in file.results)
        for file in entry.files
    )


def unreported(file: FileEntry) -> int:
    """Of how many rows of a file with an import report the shop has said nothing."""
    if not file.reported:
        return 0
    said = {(row["line"], row["code"]) for row in file.results}
    return max(0, file.rows - len(said))


def unreported_in(entry: Entry) -> int:
    """Of how many rows of an update the shop has said nothing, where it gave import reports."""
    return sum(map(unreported, entry.files))


def needs_attention(entry: Entry) -> str | None:
    """What a person has to look at in the shop's answer; ``None``: nothing."""
    bad, silent = len(not_accepted(entry)), unreported_in(entry)
    parts = [f"{bad:,} {'row was' if bad == 1 else 'rows were'} not accepted"] if bad else []
    parts += [f"the import report says nothing of {silent:,} {'row' if silent == 1 else 'rows'}"] if silent else []
    return "; ".join(parts) or None

"""Column names to fields."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.errors import WrongChoice

if TYPE_CHECKING:
    from neat_delta.catalogue import Catalogue


@dataclass(frozen=True)
class Matched:
    """Which fields both files have, in the live export's order, and what stays out of the comparison."""

    shared: tuple[str, ...]
    only_edited: tuple[str, ...]
    only_live: tuple[str, ...]


def match_columns(live: Catalogue, edited: Catalogue) -> Matched:
    """Match columns by field name (case, spaces and punctuation of the header do not matter).

    Raises:
        WrongChoice: the two files share no column.
    """
    shared = tuple(name for name in live.names if name in set(edited.names))
    if not shared:
        raise WrongChoice(
            f"no column name occurs in {live.source.name} too: {', '.join(edited.names)}",
            file=edited.source.path,
            line=1,
            remedy="Give its columns the live export's names: " + ", ".join(live.names) + ".",
        )
    return Matched(
        shared,
        only_edited=tuple(name for name in edited.names if name not in set(shared)),
        only_live=tuple(name for name in live.names if name not in set(shared)),
    )

"""Column names to fields."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption
from neat_delta.matching.value_mapping import mapping_data
from neat_delta.tables.field import ADD, TAKE

if TYPE_CHECKING:
    from neat_delta.tables import Table


@dataclass(frozen=True)
class ColumnMapping:
    """Which fields both files have, in the live export's order, and what stays out of the comparison.

    ``signed`` are columns of the sheet that add values to a live field or take some from it ("tags+", "tags-").
    """

    shared: tuple[str, ...]
    only_edited: tuple[str, ...]
    only_live: tuple[str, ...]
    append_remove_columns: tuple[str, ...] = ()

    @property
    def compared(self) -> tuple[str, ...]:
        """The fields that the sheet says anything about, in the live export's order of the shared ones."""
        return tuple(dict.fromkeys([*self.shared, *(column[:-1] for column in self.append_remove_columns)]))


def match_columns(live: Table, edited: Table) -> ColumnMapping:
    """Match columns by field name (case, spaces and punctuation of the header do not matter).

    Raises:
        InvalidOption: the two files share no column.
    """
    shared = tuple(name for name in live.names if name in set(edited.names))
    if not shared:
        raise InvalidOption(
            f"no column name matches {live.source.name}: {', '.join(edited.names)}",
            file=edited.source.path,
            line=edited.format.header_line or None,
            hint="Map a column to a field; fields: " + ", ".join(live.names) + ".",
            code="no-common-column",
            fields=", ".join(live.names),
            **mapping_data(live, edited, edited.names, live.names),
        )
    signed = tuple(
        name for name in edited.names if name not in shared and name[-1:] in (ADD, TAKE) and name[:-1] in live.names
    )
    taking_part = {*shared, *(column[:-1] for column in signed)}
    return ColumnMapping(
        shared,
        only_edited=tuple(name for name in edited.names if name not in {*shared, *signed}),
        only_live=tuple(name for name in live.names if name not in taking_part),
        append_remove_columns=signed,
    )

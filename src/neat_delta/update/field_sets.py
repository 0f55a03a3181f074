"""Sets of fields: which items change in which fields together, and what may become of holes.

Two items that change different fields leave holes in one table, and a shop that takes a blank for "empty this"
would destroy what is there. So files are planned without holes. Where the shop leaves a field alone when a cell is
blank, one table does, its holes blank. Only if somebody asks for it are holes filled with what the live export has:
such cells would undo what a colleague changes meanwhile.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.schemas import CHANGE, RECODE
from neat_delta.matching import KEY_SEPARATOR

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet

EXACT, ONE_FILE = WAYS = ("exact", "one-file")
# So many fields have a bit of one number each.
BITS = 60


@dataclass(frozen=True)
class FieldSets:
    """The items that change, distinguished by the fields in which they do.

    keys:   the key of each item, in the change set's order.
    cells:  item (its place among the keys), field, was, now.
    names:  the sets, each as the names of its fields joined.
    number: for each item the place of its set among the names.
    """

    keys: pl.Series
    cells: pl.DataFrame
    names: list[str]
    number: pl.Series

    @property
    def sizes(self) -> dict[str, int]:
        """How many items each set has."""
        counts = dict(self.number.value_counts().iter_rows())
        return {name: counts[at] for at, name in enumerate(self.names)}

    def inverted(self) -> FieldSets:
        """The sets of the way back, where items keep their keys and every cell can be put back."""
        return replace(self, cells=self.cells.select("item", "field", was="now", now="was"))


def field_sets(changes: ChangeSet) -> FieldSets:
    """The sets of fields of a change set's changes."""
    cells: pl.DataFrame = changes.cells
    of_item = changes.item_of_cell
    is_sent = changes.items["action"].is_in([CHANGE, RECODE]).gather(of_item)
    if not is_sent.all():
        cells, of_item = cells.filter(is_sent), of_item.filter(is_sent)
    if not of_item.is_sorted():
        order = of_item.arg_sort()
        cells, of_item = cells[order], of_item.gather(order)
    # From here on the cells of one item stand together.
    first = of_item != of_item.shift(fill_value=len(changes.items))
    keys, item = changes.items["key"].gather(of_item.filter(first)), of_item.rle_id().alias("item")
    last = first.shift(-1, fill_value=True).arg_true()
    fields = list(changes.head.fields)
    codes = cells["field"].cast(pl.Enum(fields)).to_physical()
    bit = pl.Series([1 << at for at in range(BITS)], dtype=pl.UInt64).gather(codes % BITS)
    words = []
    for word in range(-(-len(fields) // BITS)):
        # The sum of an item's bits is what the sum of all has grown by, which may run over and back.
        grown = (bit * (codes // BITS == word)).cum_sum().gather(last)
        words.append((grown - grown.shift(fill_value=0)).alias(f"word {word}"))
    masks = pl.DataFrame(words)
    sets = masks.unique(maintain_order=True)
    number = masks.join(sets.with_row_index("number"), on=masks.columns, how="left", maintain_order="left")["number"]
    names = [
        KEY_SEPARATOR.join(name for at, name in enumerate(fields) if row[at // BITS] >> at % BITS & 1)
        for row in sets.iter_rows()
    ]
    return FieldSets(keys, cells.select(item, "field", "was", "now"), names, number)


@dataclass(frozen=True)
class FillRules:
    """What may become of a hole, where an item of a table does not change in one of its fields.

    ``leaves`` says that the shop's import leaves a field alone where a cell is blank, so that holes stay blank.
    ``never`` are fields of which no value is sent that nobody changed, for the shop may have another one by now.
    """

    leaves: bool = False
    never: frozenset[str] = frozenset()


NO_FILL_RULES = FillRules()

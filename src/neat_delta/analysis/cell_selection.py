"""Which cells of a change set are meant: by field, by item, or by a condition over the live export."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.schemas import CHANGE, RECODE, REMOVE
from neat_delta.changeset.subset import ALL
from neat_delta.matching.selection import condition
from neat_delta.tables import field_name
from neat_delta.tables.typed_values import cast_cells

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings


@dataclass(frozen=True)
class Selection:
    """Which part of a change set is meant; everything without any of these.

    ``only`` and ``leave`` are fields, ``where`` a condition in SQL over an item's fields as they are in the shop (those
    of a new one as they will be), ``items`` the keys of items.
    """

    only: tuple[str, ...] = ()
    leave: tuple[str, ...] = ()
    where: str | None = None
    items: tuple[str, ...] | None = None

    def __bool__(self) -> bool:
        """Whether it is less than the whole."""
        return bool(self.only or self.leave or self.where is not None or self.items is not None)


def cells_in(changes: ChangeSet, selection: Selection, live: Table | None, settings: Settings) -> pl.DataFrame:
    """What of a change set a part holds (frame of key, field): cells, and with a null field items as a whole.

    Items to be added or removed and code changes are such wholes, and are in no part by fields.

    Raises:
        InvalidOption: a field or an item is not in the change set, or the condition is none.
    """
    only, leave = (_known_fields(changes, names) for names in (selection.only, selection.leave))
    items = changes.items.filter(pl.col("action").is_in(ALL)).select("key", "action")
    if selection.where is not None:
        items = items.join(
            _items_where(changes, live, selection.where, settings), on="key", how="semi", maintain_order="left"
        )
    if selection.items is not None:
        items = items.join(_known_items(changes, selection.items), on="key", how="semi", maintain_order="left")
    cells = changes.cells_with_action(CHANGE, RECODE).select("key", "field")
    cells = cells.join(items, on="key", how="semi", maintain_order="left").filter(~pl.col("field").is_in(leave))
    cells = cells.filter(pl.col("field").is_in(only)) if only else cells
    whole = items.filter(pl.col("action") != CHANGE).select("key", pl.lit(None, pl.String).alias("field"))
    return cells if only else pl.concat([cells, whole])


def _known_fields(changes: ChangeSet, names: Sequence[str]) -> list[str]:
    fields = list(changes.head.fields)
    for name in names:
        if field_name(name) not in fields:
            raise InvalidOption(
                f"{name}: no change of this field in this change set", hint="Fields: " + ", ".join(fields) + "."
            )
    return [field_name(name) for name in names]


def _known_items(changes: ChangeSet, keys: Sequence[str]) -> pl.DataFrame:
    asked = pl.DataFrame({"key": list(keys)}, schema={"key": pl.String}).unique(maintain_order=True)
    strange = asked.join(changes.items, on="key", how="anti")
    if len(strange) == len(asked):
        raise InvalidOption(
            f"{strange['key'].head(1).to_list()[0] if len(strange) else 'no SKU'}: this SKU is not in the change set",
            hint="Use the exact SKU, including leading zeros.",
        )
    return asked


def _items_where(changes: ChangeSet, live: Table | None, where: str, settings: Settings) -> pl.DataFrame:
    """The items (frame of key) for which a condition holds."""
    if live is None:
        raise InvalidOption(
            "this condition needs the live export, which was not found",
            option="where",
            value=repr(where),
            hint="Say where that is.",
            code="live-export-missing",
        )
    both = BeforeAfter(changes, live)
    gone = changes.keys_with_action(REMOVE)
    cells = changes.cells_with_action(REMOVE)

    def field(name: str) -> pl.Series:
        texts = both.texts(name).select("key", cell=pl.col("was").fill_null(pl.col("now")))
        left = gone.join(
            cells.filter(field=name).select("key", cell="was"), on="key", how="left", maintain_order="left"
        )
        return cast_cells(live, name, pl.concat([texts, left])["cell"].fill_null(""), settings.field(name))

    keys = pl.concat([both.affected_items.select("key"), gone])
    return keys.filter(condition(where, live.names, field, len(keys)))

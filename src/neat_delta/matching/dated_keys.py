"""New keys that nobody typed so: turned into dates or times (14-04-11 into 2014-04-11), or without their zeros."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.schemas import ReadKeys
from neat_delta.replay import explain
from neat_delta.replay.dates import DATE_SHAPES, TIME_SHAPES, is_shown_date
from neat_delta.replay.typed_texts import LiveForms, losses_of, readings_of

if TYPE_CHECKING:
    from neat_delta.matching.key import Key
    from neat_delta.tables import Table


def dated_keys(live: Table, edited: Table, key: Key, rows: pl.Series) -> pl.Series:
    """Of these rows of the edited file, whose keys no item has, those whose key has the shape of a date or a time.

    Only shapes count that no key of the shop has.
    """
    is_dated = pl.repeat(value=False, n=len(rows), dtype=pl.Boolean, eager=True)
    if rows.is_empty():
        return rows
    cells = edited.cells(key.fields, rows)
    for name in key.fields:
        keys = cells[name].str.strip_chars()
        for shape in (*DATE_SHAPES, *TIME_SHAPES):
            hit = keys.str.contains(shape).fill_null(value=False)
            hit = hit.scatter(hit.arg_true(), [is_shown_date(one) for one in keys.filter(hit)])
            if hit.any() and not live.distinct_values(name).str.strip_chars().str.contains(shape).any():
                is_dated = is_dated | hit
    return rows.filter(is_dated)


def keys_in_doubt(live: Table, edited: Table, key: Key, rows: pl.Series, repaired: pl.DataFrame) -> pl.DataFrame:
    """Of these rows, whose keys no item has, those whose key may have been typed otherwise (edited, meant).

    ``repaired``: the keys that a spreadsheet program has changed (frame of key, value: as it was written).
    """
    changed = repaired.select(was="key", now="value").drop_nulls()
    if rows.is_empty() or changed.is_empty() or len(key.fields) != 1:
        return ReadKeys.none()
    forms = LiveForms(live.distinct_values(key.fields[0]))
    codes = key.values(edited, rows)
    losses = set(losses_of(forms, lambda: codes, set(explain(changed).drop_nulls())))
    meant = [" or ".join((*readings_of(code, forms, losses).texts, code)) for code in codes]
    return ReadKeys.checked(pl.DataFrame({"edited": rows, "meant": meant}).filter(pl.col("meant") != codes))

"""Fields of the items that a change set touches, before and after, whether they change or not."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.metrics import EXACT
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE
from neat_delta.matching import Key
from neat_delta.matching.key import key_parts
from neat_delta.matching.positions import positions_of
from neat_delta.tables.field_types.field_type import FormatOverrides
from neat_delta.tables.field_types.number_parsing import (
    UNDECIDED,
    NumberFormat,
    infer_number_format,
    normalize_numbers,
)

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table


@dataclass(frozen=True)
class BeforeAfter:
    """The items that are changed or added, beside what the live export has of them."""

    changes: ChangeSet
    live: Table
    # The same field is asked for several times.
    _seen: dict[tuple[str, str], pl.DataFrame] = field(default_factory=dict, compare=False, repr=False)

    @cached_property
    def outgoing_cells(self) -> pl.DataFrame:
        """The cells (key, field, was, now) of items that are changed or added."""
        return self.changes.cells_with_action(CHANGE, RECODE, ADD)

    @cached_property
    def affected_items(self) -> pl.DataFrame:
        """The items that are changed or added (key, line, row: in the live export, null for a new one)."""
        items = self.changes.items.filter(pl.col("action").is_in([CHANGE, RECODE, ADD])).select("key", "line")
        key = Key(self.changes.head.key, explicit=True)
        codes = key.values(self.live)
        rows = positions_of(codes, items["key"], ascends=key.is_sorted_by(self.live))
        lost = items.filter(rows.is_null())
        if len(lost):  # new ones, and those whose code is in a newer export twice, where the first one counts
            in_export = (
                codes.to_frame("key").with_row_index("row").join(lost, on="key", how="semi", maintain_order="left")
            )
            first = lost.join(in_export.unique("key", keep="first"), on="key", how="left", maintain_order="left")["row"]
            rows = rows.scatter(rows.is_null().arg_true(), first)
        return items.with_columns(rows.alias("row"))

    @cached_property
    def outgoing_cells_of(self) -> pl.Series:
        """For each cell that is sent the position of its item among the touched ones."""
        return positions_of(self.affected_items["key"], self.outgoing_cells["key"])

    def changed(self, name: str) -> pl.Series:
        """Which of the touched items are sent a cell of a field."""
        at = self.outgoing_cells_of.filter(self.outgoing_cells["field"] == name)
        return pl.repeat(False, len(self.affected_items), dtype=pl.Boolean, eager=True).scatter(at, True)

    def texts(self, name: str) -> pl.DataFrame:
        """A field of all touched items before and after (key, was, now), changed or not; blanks are null."""
        if ("text", name) not in self._seen:
            self._seen["text", name] = self._texts(name)
        return self._seen["text", name]

    def _texts(self, name: str) -> pl.DataFrame:
        if name in self.changes.head.key:
            codes = key_parts(self.affected_items["key"], self.changes.head.key)[name]
            texts = self.affected_items.select("key", "row").with_columns(codes.alias("now"))
            return texts.select("key", was=pl.when(pl.col("row").is_not_null()).then("now"), now="now")
        rows = self.affected_items["row"]
        shop_values = self.live.cells([name], rows.drop_nulls())[name]
        was = pl.repeat(None, len(rows), dtype=pl.String, eager=True).scatter(
            rows.is_not_null().arg_true(), shop_values
        )
        both = self.affected_items.select("key", was.alias("was")).with_columns(
            was=pl.when(pl.col("was") != "").then("was")
        )
        sent = self.outgoing_cells["field"] == name
        # (To scatter changes a series in place.)
        now = both["was"].clone().scatter(self.outgoing_cells_of.filter(sent), self.outgoing_cells["now"].filter(sent))
        return both.with_columns(now.alias("now"))

    def numbers(self, name: str) -> pl.DataFrame:
        """A numeric field of all touched items before and after (key, was, now), as exact decimals."""
        if ("number", name) not in self._seen:
            self._seen["number", name] = self._numbers(name)
        return self._seen["number", name]

    def _numbers(self, name: str) -> pl.DataFrame:
        both, form = self.texts(name), self.form(name)
        # What did not change need not be read twice. (To scatter changes a series in place.)
        differ = both["was"].ne_missing(both["now"])
        was, now = (exact(texts, form) for texts in (both["was"], both["now"].filter(differ)))
        return both.with_columns(was=was, now=was.clone().scatter(differ.arg_true(), now))

    def form(self, name: str) -> NumberFormat:
        """How the numbers of a field are written; whether 1.234 is a small number, the whole live column tells."""
        note = self.changes.head.fields.get(name)
        separator = (note.decimal_separator if note else None) or self.live.format.decimal_separator or "."
        live = self.live.distinct_values(name)
        in_doubt = any(texts.str.contains(UNDECIDED).any() for texts in (live, self.texts(name)["now"]))
        shown = infer_number_format(live, FormatOverrides(decimal_separator=separator)) if in_doubt else None
        return NumberFormat(separator, three_decimals=shown is None or shown.three_decimals)


def exact(texts: pl.Series, form: NumberFormat) -> pl.Series:
    """Texts as exact decimals, null where they are no numbers; plain ones, as nearly all are, without a long look."""
    plain = (
        texts.cast(EXACT, strict=False)
        if form.decimal_separator == "."
        else pl.Series([None] * len(texts), dtype=EXACT)
    )
    rest = plain.is_null() & texts.is_not_null()
    if not rest.any():
        return plain
    others = normalize_numbers(texts.filter(rest).str.strip_chars_end("% \u00a0\u202f"), form)
    return plain.scatter(rest.arg_true(), others.cast(EXACT, strict=False))

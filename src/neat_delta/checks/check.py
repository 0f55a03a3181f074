"""What a check is, and what it looks at."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue.kinds.numerals import NumberForm, read_numbers
from neat_delta.changes.changeset import ADD, CHANGE, RECODE, Allowed, findings_frame, no_findings
from neat_delta.changes.measure import EXACT
from neat_delta.matching import Key

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from neat_delta.catalogue import Catalogue
    from neat_delta.catalogue.settings import FieldSettings, Settings
    from neat_delta.changes import ChangeSet

UNLOCK, NEW_VALUES, AS_TYPED, LET = "--unlock FIELD", "--allow-new-values FIELD", "--as-typed FIELD", "--let"


@dataclass(frozen=True)
class Check:
    """One check: the name of its findings, their level, the function that finds them, and what opens it for a run.

    ``find`` takes a Trial and gives findings; the first line of its docstring says what it looks for. A check that
    nothing opens is about what the shop cannot take.
    """

    name: str
    level: str
    find: Callable[[Trial], pl.DataFrame]
    opens: str = ""

    @property
    def about(self) -> str:
        """What it looks for, in a sentence."""
        return str(self.find.__doc__).split("\n", 1)[0]

    @property
    def opened_by(self) -> str:
        """The option that lets what it finds through in one run; nothing if there is none."""
        return f'--let "{self.name}"' if self.opens == LET else self.opens


@dataclass(frozen=True)
class Trial:
    """What a check looks at: the change set, the live export, what is settled, and what this run allows.

    ``pictures`` are the names of the picture files that there are, if somebody said where they lie.
    """

    changes: ChangeSet
    live: Catalogue
    settled: Settings
    allowed: Allowed = field(default_factory=Allowed)
    pictures: frozenset[str] | None = None
    # Several checks ask for the same field.
    _seen: dict[tuple[str, str], pl.DataFrame] = field(default_factory=dict, compare=False, repr=False)

    @cached_property
    def sent(self) -> pl.DataFrame:
        """The cells (key, field, was, now) of items that are changed or added."""
        return self.changes.cells_to(CHANGE, RECODE, ADD)

    @cached_property
    def touched(self) -> pl.DataFrame:
        """The items that are changed or added (key, line, row: in the live export, null for a new one)."""
        items = self.changes.items.filter(pl.col("do").is_in([CHANGE, RECODE, ADD])).select("key", "line")
        codes = pl.DataFrame({"key": Key(self.changes.head.key, told=True).values(self.live)}).with_row_index("row")
        codes = codes.join(items, on="key", how="semi", maintain_order="left").unique("key", keep="first")
        return items.join(codes, on="key", how="left", maintain_order="left")

    def cells(self) -> list[tuple[str, FieldSettings, pl.DataFrame]]:
        """The cells that are sent, by field, with what is settled of it."""
        parts = self.sent.partition_by("field", as_dict=True, maintain_order=True)
        return [(str(name), self.settled.of(str(name)), cells) for (name,), cells in parts.items()]

    def kind(self, name: str) -> str:
        """The kind of a field that changes."""
        return self.changes.head.fields[name].kind

    def beside(self, name: str) -> pl.DataFrame:
        """A field of all touched items before and after (key, was, now), changed or not; blanks are null."""
        if ("text", name) not in self._seen:
            self._seen["text", name] = self._beside(name)
        return self._seen["text", name]

    def _beside(self, name: str) -> pl.DataFrame:
        rows = self.touched["row"]
        there = self.live.cells([name], rows.drop_nulls())[name].replace("", None)
        was = pl.DataFrame({"row": rows.drop_nulls(), "was": there})
        both = self.touched.select("key", "row").join(was, on="row", how="left", maintain_order="left")
        cells = self.sent.filter(field=name).select("key", "now", changed=pl.lit(value=True))
        both = both.join(cells, on="key", how="left", maintain_order="left")
        return both.select("key", "was", now=pl.when("changed").then("now").otherwise("was"))

    def numbers(self, name: str) -> pl.DataFrame:
        """A numeric field of all touched items before and after (key, was, now), as exact decimals."""
        if ("number", name) not in self._seen:
            self._seen["number", name] = self._numbers(name)
        return self._seen["number", name]

    def _numbers(self, name: str) -> pl.DataFrame:
        note = self.changes.head.fields.get(name)
        form = NumberForm((note.mark if note else None) or self.live.form.mark or ".", fine=True)
        both = self.beside(name)
        # What did not change need not be read twice. (To scatter changes a series in place.)
        differ = both["was"].ne_missing(both["now"])
        was, now = (_exact(texts, form) for texts in (both["was"], both["now"].filter(differ)))
        return both.with_columns(was=was, now=was.clone().scatter(differ.arg_true(), now))

    def found(self, cells: pl.DataFrame, check: str, level: str, say: str | pl.Series) -> pl.DataFrame:
        """Findings on these cells (key, field, now), each with the line of its row in the sheet."""
        lines = self.changes.items.select("key", "line")
        at = cells.join(lines, on="key", how="left", maintain_order="left")
        said = say if isinstance(say, pl.Series) else pl.repeat(say, len(at), dtype=pl.String, eager=True)
        return findings_frame(
            check, level, key=at["key"], field=at["field"], line=at["line"], value=at["now"], say=said
        )


def together(found: Iterable[pl.DataFrame]) -> pl.DataFrame:
    """The findings of several places in one frame."""
    return pl.concat([no_findings(), *found])


def _exact(texts: pl.Series, form: NumberForm) -> pl.Series:
    """Texts as exact decimals, null where they are no numbers; plain ones, as nearly all are, without a long look."""
    plain = texts.cast(EXACT, strict=False) if form.mark == "." else pl.Series([None] * len(texts), dtype=EXACT)
    rest = plain.is_null() & texts.is_not_null()
    if not rest.any():
        return plain
    others = read_numbers(texts.filter(rest).str.strip_chars_end("% \u00a0\u202f"), form)
    return plain.scatter(rest.arg_true(), others.cast(EXACT, strict=False))

"""What was typed into a column that a spreadsheet program changed has gone the same way, and is read back.

590888888888 among barcodes that lost their zeros is 0590888888888. Where the width of the column or a value of the shop
leaves one reading, it is sent and told; where it leaves several, nothing is sent.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import as_data, findings_frame, no_findings
from neat_delta.changeset.problems import DOUBTFUL_VALUE, RESTORED_VALUE
from neat_delta.replay import explain
from neat_delta.replay.typed_texts import SHOWN, ZERO_IN_FRONT, LiveForms, Readings, losses_of, readings_of

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.tables import Table

IN_DOUBT = "typed into a column that a spreadsheet program has changed: {}? Set the column to text, and type it again"
RESTORED = "typed into a column that a spreadsheet program has changed; {} is sent as {}, as the column has it"
ALONE = "{} or {}? Other cells of the column kept their form, so somebody may have typed it"
# What has lost something, and what of the kind has not, by what it lost.
WITH_FORM = {
    "leading zeros lost": (r"^-?0[0-9]+([.,][0-9]*)?$",),
    "plus sign lost": (r"^\+[0-9]+([.,][0-9]*)?$",),
    "trailing zeros lost": (r"^-?[0-9]+\.[0-9]*0$", r"^-?[0-9]+,[0-9]*0$"),
}
# So many cells of a column that kept their form, and so many times those that did not, show no program at work.
FEWEST_KEPT, TIMES_KEPT = 3, 4
# A value of the shop decides where values are used by several items each.
USED_TWICE = 2
# One value with zeros among others shows no column of such.
FEWEST_WITH_ZEROS = 2


@dataclass(frozen=True)
class TypedCells:
    """Typed texts of one field (frame of pair, was, now), and what a program has done to other cells of it."""

    cells: pl.DataFrame
    lost: frozenset[str]


@dataclass(frozen=True)
class ReadBack:
    """Texts as they were typed (pair, now), and findings on these and on what is in doubt (pair, finding's columns)."""

    restored: pl.DataFrame
    doubtful: pl.Series
    findings: pl.DataFrame


def typed_cells(cells: pl.DataFrame, lost: pl.Series) -> TypedCells:
    """Of a field's changed texts (pair, was, now) those that a program may show, but for what a program explains."""
    shown = cells.filter(pl.col("now").str.contains(SHOWN).fill_null(value=False))
    effects = explain(shown.select("was", "now")) if len(shown) else shown["now"].clear()
    names = frozenset({*lost.unique(), *effects.drop_nulls().unique()})
    return TypedCells(shown.filter(effects.is_null()) if len(shown) else shown, names)


def read_back(live: Table, edited: Table, typed: Mapping[str, TypedCells]) -> dict[str, ReadBack]:
    """The typed texts of each field, read as their column was."""
    happened = {name for one in typed.values() for name in one.lost}
    read = {name: _read_field(live, edited, name, one, happened) for name, one in typed.items() if len(one.cells)}
    return {name: one for name, one in read.items() if one is not None}


def _read_field(live: Table, edited: Table, name: str, typed: TypedCells, happened: set[str]) -> ReadBack | None:
    forms = LiveForms(live.distinct_values(name))

    def shown() -> pl.Series:
        return edited.distinct_values(name) if name in edited.names else typed.cells["now"]

    losses = set(losses_of(forms, shown, {*happened, *_seen_by_zeros(typed.cells, forms)}))
    if not losses:
        return None
    texts = typed.cells["now"].unique(maintain_order=True)
    meant = {text: _decided(text, readings_of(text, forms, losses), live, name) for text in texts}
    in_doubt = {text: one for text, one in meant.items() if len(one) > 1}
    sure = {text: one[0] for text, one in meant.items() if len(one) == 1 and one[0] != text}
    doubtful = typed.cells.filter(pl.col("now").is_in(list(in_doubt)))
    restored = typed.cells.filter(pl.col("now").is_in(list(sure)))
    restored = restored.select("pair", typed="now", now=pl.col("now").replace(sure))
    either = doubtful["now"].replace({text: " or ".join(one) for text, one in in_doubt.items()})
    findings: list[pl.DataFrame] = [
        no_findings().insert_column(0, typed.cells["pair"].clear()),
        _findings(DOUBTFUL_VALUE, doubtful, name, pl.select(pl.format(IN_DOUBT, either)).to_series()),
        _findings(RESTORED_VALUE, restored, name, restored.select(pl.format(RESTORED, "typed", "now")).to_series()),
    ]
    return ReadBack(restored.select("pair", "now"), doubtful["pair"], pl.concat(findings))


def rewritten_alone(edited: Table, name: str, restored: pl.DataFrame) -> tuple[pl.Series, pl.DataFrame]:
    """Of texts that came back in another form (pair, was, what, now) those that did so nearly alone: their pairs.

    A program that takes the zeros of one number takes those of all; where others kept them, 1.1 for 1.10 was typed, or
    a cell was entered once more. With findings on them (pair, finding's columns).
    """
    shown: pl.Series | None = None
    alone = restored.clear()
    for what, patterns in WITH_FORM.items():
        for pattern in patterns:
            lost = restored.filter(pl.col("what") == what, pl.col("was").str.contains(pattern))
            if lost.is_empty():
                continue
            shown = edited.cells([name])[name].str.strip_chars() if shown is None else shown
            kept = int(shown.str.contains(pattern).sum())
            alone = pl.concat([alone, lost]) if kept >= max(FEWEST_KEPT, TIMES_KEPT * len(lost)) else alone
    message = alone.select(pl.format(ALONE, "now", "was")).to_series()
    return alone["pair"], _findings(DOUBTFUL_VALUE, alone, name, message)


def _findings(problem: str, cells: pl.DataFrame, field: str, message: pl.Series) -> pl.DataFrame:
    about: pl.DataFrame = findings_frame(problem, pair=cells["pair"], field=field, value=cells["now"], message=message)
    if "typed" in cells.columns and len(cells):
        about = about.with_columns(data=as_data(cells.select("typed", "now")))
    return about.insert_column(0, cells["pair"])


def _seen_by_zeros(cells: pl.DataFrame, forms: LiveForms) -> set[str]:
    """That zeros were lost, where only cells show it that were edited: they had zeros themselves."""
    had = cells["was"].fill_null("").str.contains(ZERO_IN_FRONT).any()
    return {"leading zeros lost"} if had and len(forms.like(ZERO_IN_FRONT)) >= FEWEST_WITH_ZEROS else set()


def _decided(text: str, readings: Readings, live: Table, name: str) -> tuple[str, ...]:
    """What was typed: one text, or several between which nothing decides."""
    options = (*readings.texts, *((text,) if readings.as_it_stands else ()))
    if len(options) < 2:
        return options or (text,)
    values = live.distinct_values(name)
    in_use = values.filter(values.is_in(list(options)))
    if len(in_use) == 1 and len(values) * USED_TWICE <= int((live.cells([name])[name].str.strip_chars() != "").sum()):
        return (str(in_use[0]),)
    return options

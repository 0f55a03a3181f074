"""Keys that became dates or times in a spreadsheet program, of whatever language: 14-04-11 came back as 2014-04-11."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from neat_delta.matching.key import Key
    from neat_delta.tables import Table

# The months' names of many languages, each as far as it is cut.
MONTHS = (
    "jan|feb|mar|mär|mrz|mrt|märz|apr|may|mai|maj|maio|mei|jun|jul|aug|sep|oct|okt|out|nov|dec|dez|des|ene|abr|ago|dic|"
    "gen|mag|giu|lug|set|ott|fev|fév|avr|jui|juin|juil|aoû|déc|sty|lut|kwi|cze|lip|sie|wrz|paź|lis|gru|led|úno|bře|"
    "dub|kvě|čer|srp|zář|říj|oca|şub|nis|haz|tem|ağu|eyl|eki|kas|ara|янв|фев|мар|апр|май|мая|июн|июл|авг|сен|окт|ноя|"
    "дек|ian|iun|iul|maalis|huhti|touko|kesä|heinä|elo|syys|loka|marras|joulu|tammi|helmi|márc|ápr|máj|jún|júl|szept"
)
_NAME = rf"(?:{MONTHS})\p{{L}}*\.?"
_AT = r"(?:上午|下午|午前|午後|오전|오후|AM|PM|am|pm|a\.? ?m\.?|p\.? ?m\.?)"
# Shapes of dates and times. A shop whose own keys have a shape has no date where a key has it.
SHAPES = (
    r"^[0-9]{4}[-/.][0-9]{1,2}[-/.][0-9]{1,2}\.?$",
    r"^[0-9]{1,2}[/.-][0-9]{1,2}[/.-][0-9]{4}\.?$",
    r"^[0-9]{1,2}/[0-9]{1,2}/[0-9]{2}$",
    r"^[0-9]{1,2}\.[0-9]{1,2}\.[0-9]{2}\.?$",
    r"^[0-9]{1,2}-[0-9]{1,2}-[0-9]{2}$",
    r"^[0-9]{2}\. [0-9]{1,2}\.( [0-9]{2,4}\.?)?$",
    rf"(?i)^[0-9]{{1,2}}[-. /]{{0,2}}{_NAME}([-. /]{{0,2}}[0-9]{{2,4}})?\.?$",
    rf"(?i)^{_NAME}[-. /]{{0,2}}[0-9]{{1,4}}$",
    r"^([0-9]{2,4} ?[年년] ?)?[0-9]{1,2} ?[月월] ?[0-9]{1,2} ?[日일]$",
    rf"^({_AT} ?)?[0-9]{{1,2}}:[0-9]{{2}}(:[0-9]{{2}})?( ?{_AT})?$",
    r"^[0-9]{4}-[0-9]{2}-[0-9]{2}[ T][0-9]{2}:[0-9]{2}(:[0-9]{2}(\.0+)?)?$",
)


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
        for shape in SHAPES:
            hit = keys.str.contains(shape).fill_null(value=False)
            if hit.any() and not live.distinct_values(name).str.strip_chars().str.contains(shape).any():
                is_dated = is_dated | hit
    return rows.filter(is_dated)

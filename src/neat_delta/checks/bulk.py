"""What became of the numbers of a whole column at once, and signs that nobody types.

A file opened with the wrong decimal separator multiplies a column by a thousand; one saved as it is shown is rounded; a
share changes places with its hundredfold.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.checks.check import Check, Override, cells_of, concat_findings
from neat_delta.replay import read_numbers
from neat_delta.tables.field_types import type_named

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.checks.check import CheckContext

WAS, NOW, OLD, NEW = (pl.col(name) for name in ("was", "now", "old", "new"))
FACTORS = (10, 100, 1000)
# So many cells of a column at least, and so large a share of those that change, went one and the same way.
FEWEST_ALIKE, SHARE_ALIKE = 5, 0.8
# So many cells of a column that is filled at least, and more than so large a share, are emptied.
FEWEST_EMPTIED, MOST_EMPTIED = 5, 0.5
MOST_DECIMALS = 4
THREE_DECIMALS, THOUSANDS = r"^[+-]?[0-9]{1,3}[.,][0-9]{3}$", r"^[+-]?[0-9]{1,3}([.,' \u00a0\u202f\u2019][0-9]{3})+"
# Of a column that a program misread, so many cells at most are none of those that it misreads.
MOST_MISREAD = 0.1
# Prices below it lose much when they are rounded to whole ones; where so many are such, nobody does it on purpose.
SMALL, MOST_SMALL = 5, 0.2
FRACTION = r"[.,][0-9]+$"
# What no keyboard writes into a cell: all controls (ECMA-48) but tab and line ends.
CONTROL = r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x{9f}]"


def multiplied_alike(context: CheckContext) -> pl.DataFrame:
    """All numbers of a column changed by the same factor of 10, 100 or 1,000."""
    findings, check = [], "column multiplied"
    for name, cells, both in _numbers_typed(context):
        for factor, hit in _multiplied(both):
            message = f"the whole column changed by a factor of {factor:,}: wrong decimal separator?"
            if _other_unit(context, name, cells, hit, factor):
                message = f"the whole column changed by a factor of {factor:,}. Another unit?"
                findings.append(context.findings_for(cells_of(cells, hit), check, "warning", message))
            elif _without_separator(context, name, cells, both) is None:  # (or else that says it)
                findings.append(context.findings_for(cells_of(cells, hit), check, "error", message))
                findings.append(_misread_as_well(context, name, hit, check))
    return concat_findings(findings)


def _multiplied(both: pl.DataFrame) -> Iterator[tuple[int, pl.DataFrame]]:
    """The factors by which nearly all numbers of a column changed, with these numbers."""
    for factor in FACTORS:
        times = pl.lit(factor).cast(pl.Decimal(38, 0))
        for hit in (both.filter(WAS * times == NOW), both.filter(NOW * times == WAS)):
            if _alike(hit, both):
                yield factor, hit


def _other_unit(context: CheckContext, name: str, cells: pl.DataFrame, hit: pl.DataFrame, factor: int) -> bool:
    """Whether somebody meant another unit, such as grams: numbers changed that no program misreads.

    It takes 1.234 for 1,234, and 1,234 for 1.234; it makes nothing of 2 or 1.5. Money has no such units.
    """
    if factor != max(FACTORS) or context.type_of(name) == "price":
        return False
    texts = cells_of(cells, hit)["was"].str.strip_chars()
    misread = texts.str.contains(THREE_DECIMALS) | texts.str.contains(THOUSANDS)
    return int((~misread).sum()) > MOST_MISREAD * len(texts)


def separator_dropped(context: CheckContext) -> pl.DataFrame:
    """All numbers of a column lost their decimal separator: 1250 for 12.50, 430 for 0.430."""
    findings, check = [], "separator lost"
    for name, cells, both in _numbers_typed(context):
        if any(_other_unit(context, name, cells, hit, factor) for factor, hit in _multiplied(both)):
            continue
        hit = _without_separator(context, name, cells, both)
        if hit is None:
            message = "a thousand times the current value, as a program reads it that has another decimal separator"
            findings.append(context.findings_for(_read_as_thousands(cells, both), check, "error", message))
            continue
        message = "the whole column lost its decimal separator: opened with the wrong one?"
        findings.append(context.findings_for(cells_of(cells, hit), check, "error", message))
        findings.append(_misread_as_well(context, name, cells_of(both, hit), check))
    return concat_findings(findings)


def _without_separator(
    context: CheckContext, name: str, cells: pl.DataFrame, both: pl.DataFrame
) -> pl.DataFrame | None:
    """The cells of a column nearly all of which have just the digits that they had; ``None`` if only some have."""
    texts = cells.join(both.select("key"), on="key", how="semi", maintain_order="left").drop_nulls(["was", "now"])
    fine = texts.filter(WAS.str.contains(FRACTION))
    digits = WAS.str.replace_all("[^0-9]", "").str.strip_chars_start("0")
    separator = context.changes.head.fields[name].decimal_separator or "."
    now = read_numbers(fine["now"], separator).str.strip_chars_start("-")
    hit = fine.filter(fine.select(digits).to_series() == now)
    return hit if _alike(hit, fine) else None


def _read_as_thousands(cells: pl.DataFrame, both: pl.DataFrame) -> pl.DataFrame:
    """Cells that became a thousandfold, or a thousandth, of numbers with three digits behind a separator.

    Of numbers that have three decimals but for zeros at their end, one is enough; of others, several.
    """
    three = cells.filter(WAS.str.strip_chars().str.contains(THREE_DECIMALS))
    thousand = pl.lit(max(FACTORS)).cast(pl.Decimal(38, 0))
    hit = cells_of(three, both.filter((WAS * thousand == NOW) | (NOW * thousand == WAS)))
    sure = hit.filter(WAS.str.contains("[1-9]$"))
    return hit if len(hit) >= FEWEST_ALIKE else sure


def rounded_alike(context: CheckContext) -> pl.DataFrame:
    """All numbers of a column were rounded to the same decimals."""
    findings, check = [], "column rounded"
    for name, cells, both in _numbers_typed(context):
        finer = both.filter(WAS != NOW)
        for decimals in range(MOST_DECIMALS):
            hit = finer.filter((WAS.round(decimals, mode="half_away_from_zero") == NOW) | (WAS.round(decimals) == NOW))
            if _alike(hit, both):
                level = "error" if _as_displayed(context, name, hit, decimals) else "warning"
                message = "the whole column was rounded: saved as displayed? Current values kept"
                message = message if level == "error" else "the whole column was rounded. Intended?"
                findings.append(context.findings_for(cells_of(cells, hit), check, level, message))
                others = _others(context, name, hit).filter(_decimals(NEW) <= decimals)
                message = "all other values of the column were rounded: this one too? Write it with its decimals"
                if level == "error":
                    findings.append(context.findings_for(others, check, "error", message))
                break
    return concat_findings(findings)


def _as_displayed(context: CheckContext, name: str, hit: pl.DataFrame, decimals: int) -> bool:
    """Whether numbers look as if they were saved as a program displays them.

    It shows all with so many decimals; a person who wants 12.30 for 12.34 has other forms. To round to whole numbers is
    common, but not where little is left of them.
    """
    shown = context.changes.head.fields[name].decimals_shown
    if shown is not None and shown != decimals:
        return False
    if decimals:
        return shown is not None
    return bool(hit.select((WAS.abs() < SMALL).mean() >= MOST_SMALL).item()) or context.type_of(name) != "price"


def share_slip(context: CheckContext) -> pl.DataFrame:
    """A percentage became 100 times larger or smaller, or is unlike all others of the column."""
    findings = []
    for name, cells in context.typed.items():
        if context.type_of(name) != "percent":
            continue
        both = context.numbers(name).join(cells.select("key"), on="key", how="semi", maintain_order="left")
        hundred, one = (pl.lit(number).cast(pl.Decimal(38, 0)) for number in (100, 1))
        slip = (WAS * hundred == NOW) | (NOW * hundred == WAS)
        beyond = (hundred < NOW) & (hundred >= WAS)
        below = (NOW > 0) & (one > NOW) & (one <= WAS)
        hit = both.filter((WAS != 0) & (slip | beyond | below))
        message = "100 times too large or too small? Write the percent sign, such as 7 %"
        findings.append(context.findings_for(cells_of(cells, hit), "percent slip", "error", message))
    return concat_findings(findings)


def column_emptied(context: CheckContext) -> pl.DataFrame:
    """Most of a column that is filled would be emptied."""
    findings, rows = [], context.changes.head.edited.rows
    ends_sales = context.settings.roles.found(context.live)["sale_price"]
    for name, cells in context.typed.items():
        if name in ends_sales:  # as at the end of any sale
            continue
        emptied = cells.filter(NOW.is_null() & WAS.is_not_null())
        if len(emptied) < FEWEST_EMPTIED:
            continue
        filled = int((context.live.cells([name])[name].str.strip_chars() != "").sum())
        if len(emptied) > MOST_EMPTIED * min(filled, rows):
            message = f"{len(emptied):,} of {filled:,} filled cells of this column would be emptied. Intended?"
            findings.append(context.findings_for(emptied, "column emptied", "error", message))
    return concat_findings(findings)


def control_character(context: CheckContext) -> pl.DataFrame:
    """A value has a control character."""
    cells = context.outgoing_cells.drop_nulls("now").filter(NOW.str.contains(CONTROL))
    new = cells.filter(~WAS.str.contains(CONTROL).fill_null(value=False))
    message = "contains a control character. Retype the value"
    return context.findings_for(new, "control character", "error", message)


def _numbers_typed(context: CheckContext) -> Iterator[tuple[str, pl.DataFrame, pl.DataFrame]]:
    """Each numeric field with its typed cells, and their numbers."""
    for name, cells in context.typed.items():
        if not type_named(context.type_of(name)).numeric:
            continue
        both = context.numbers(name).join(cells.select("key"), on="key", how="semi", maintain_order="left")
        yield name, cells, both.drop_nulls(["was", "now"]).filter((WAS != 0) & (NOW != 0))


def _misread_as_well(context: CheckContext, name: str, hit: pl.DataFrame, check: str) -> pl.DataFrame:
    """The other cells of a column that a program misread, which it misread as well.

    What was typed into it stands on one of two scales. It stands on the current one if it is nearer to the current
    value (for want of one: to the middle of all) than to what that one became, and has no finer decimals than any
    current value. A 2.5 in a stock of thousands is a 2,500.
    """
    was, now = (pl.col(one).cast(pl.Float64).abs() for one in ("was", "now"))
    scales = hit.select(middle=was.median(), factor=(now / was).median(), finest=_decimals(WAS).max())
    others = _others(context, name, hit).join(scales, how="cross")
    old = pl.when(OLD != 0).then(OLD.cast(pl.Float64).abs()).otherwise("middle")
    away = (NEW.cast(pl.Float64).abs() / old).log()
    nearer = away.abs() <= (away - pl.col("factor").log()).abs()
    misread = others.filter((NEW != 0) & ~(nearer & (_decimals(NEW) <= pl.col("finest"))))
    message = "the rest of the column was misread: this value too? Open the export with the right decimal separator"
    return context.findings_for(misread, check, "error", message)


def _others(context: CheckContext, name: str, hit: pl.DataFrame) -> pl.DataFrame:
    """The typed cells of a field that are not hit, of new items too, with their numbers (old, new)."""
    cells = context.typed_cells.filter(field=name).join(hit, on="key", how="anti", maintain_order="left")
    numbers = context.numbers(name).rename({"was": "old", "now": "new"})
    return cells.join(numbers, on="key", how="left", maintain_order="left").drop_nulls("new")


def _decimals(number: pl.Expr) -> pl.Expr:
    """How many decimals a number has, but for zeros at its end."""
    return number.cast(pl.String).str.strip_chars_end("0").str.extract(r"\.([0-9]*)$").fill_null("").str.len_chars()


def _alike(hit: pl.DataFrame, both: pl.DataFrame) -> bool:
    return len(hit) >= max(FEWEST_ALIKE, SHARE_ALIKE * len(both))


CHECKS = (
    Check("column multiplied", "error", multiplied_alike, Override.IGNORE),
    Check("separator lost", "error", separator_dropped, Override.IGNORE),
    Check("column rounded", "error", rounded_alike, Override.IGNORE),
    Check("percent slip", "error", share_slip, Override.IGNORE),
    Check("column emptied", "error", column_emptied, Override.IGNORE),
    Check("control character", "error", control_character, Override.IGNORE),
)

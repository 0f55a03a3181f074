"""Findings as frames: what was noticed, how heavy it weighs, and what it does to a change set."""

from __future__ import annotations

import polars as pl

from neat_delta.changeset.problems import COMPUTED, LOST_BASE, OLDER_VALUES, STOP, UNUSED_COLUMN, Problem
from neat_delta.changeset.schemas import FindingFrame, Findings

FINDINGS = Findings.dtypes()
# A finding blocks the cell that it names, or its whole item; or it gives the cell its live value back; or nothing.
BLOCK, REPAIR, NO_EFFECT = "block", "repair", "none"
# Warnings that end with exit code 1, as errors do: something that a person has typed may not be sent, or something may
# be sent that nobody has typed. Each with what the verdict says of it.
TAX_NOT_SET = "tax not set"
TO_ANSWER = {
    OLDER_VALUES: "maybe older values of the shop",
    LOST_BASE: "maybe older values of the shop",
    TAX_NOT_SET: "prices with tax, costs without",
    UNUSED_COLUMN: "a column with values of the shop is not used",
}


def findings_frame(code: str, level: str | None = None, effect: str | None = None, **columns: object) -> FindingFrame:
    """A frame of findings of one check or problem; columns that are not given are null.

    Args:
        code: the name of the check, or the problem.
        level: "error", "warning" or "note"; a problem has one of its own.
        effect: "block", "repair" or "none"; if it is not given, what stops blocks and the rest does nothing.
        columns: the other columns, each one value or a Series.
    """
    if level is None:
        assert isinstance(code, Problem)
        level = code.level
    weights = {"code": code, "level": level, "effect": effect or (BLOCK if level == STOP else NO_EFFECT)}
    data = weights | columns
    given = {name: value for name, value in data.items() if isinstance(value, pl.Series)}
    return Findings.checked(
        pl.DataFrame(given).select(
            pl.col(name).cast(dtype) if name in given else pl.lit(data.get(name)).cast(dtype).alias(name)
            for name, dtype in FINDINGS.items()
        )
    )


def as_data(frame: pl.DataFrame) -> pl.Series:
    """What findings are about, for programs: each row of a frame as a JSON object."""
    return frame.select(pl.struct(pl.all()).struct.json_encode()).to_series()


def data_of(member: str) -> pl.Expr:
    """A member of the findings' data as text; null where a finding has none of that name."""
    return pl.col("data").str.json_path_match(f"$.{member}")


def is_about_columns() -> pl.Expr:
    """Whether a finding is about what columns the file has, rather than about a row or a cell."""
    return data_of("difference").is_not_null()


def questions_in(findings: pl.DataFrame) -> list[str]:
    """What a person has to answer before a change set is surely what was meant, as the verdict says it; each once."""
    codes = findings["code"].unique(maintain_order=True)
    return list(dict.fromkeys(TO_ANSWER[code] for code in codes if code in TO_ANSWER))


def computed_from(findings: pl.DataFrame) -> dict[tuple[str, str], str]:
    """What the values that formulas computed were computed from, by key and field."""
    computed = findings.filter(code=COMPUTED).select("key", "field", "value")
    return {(key, field): value for key, field, value in computed.iter_rows()}


_NO_FINDINGS = pl.DataFrame(schema=FINDINGS)


def no_findings() -> pl.DataFrame:
    """An empty frame of findings."""
    return _NO_FINDINGS.clone()

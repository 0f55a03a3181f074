"""Barcodes: check digits, and lengths that zeros in front have changed."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.checks.check import Check, Override, concat_findings
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.tables.field_types.gtin import PARTED, is_barcode, normalize

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

LENGTHS = (8, 12, 13, 14)
LAST_SIGNS = "0123456789X"


def wrong_barcode(context: CheckContext) -> pl.DataFrame:
    """A barcode has a wrong check digit, or a wrong length."""
    findings = []
    for _, cells in _barcodes(context):
        others = cells.filter(~_same_number())
        advice = {code: _advice(code) for code in others["code"].unique() if not is_barcode(code)}
        hit = others.filter(pl.col("code").is_in(list(advice))).unique(
            ["key", "field"], keep="first", maintain_order=True
        )
        message = hit["code"].replace_strict(advice, return_dtype=pl.String)
        findings.append(context.findings_for(hit, "wrong barcode", "error", message))
    return concat_findings(findings)


def padded_barcode(context: CheckContext) -> pl.DataFrame:
    """A barcode is the live one with extra zeros in front."""
    message = "same barcode with extra zeros; shops and scanners may read it as another one"
    longer = pl.col("code").str.len_chars() > pl.col("was").str.len_chars()
    return concat_findings(
        context.findings_for(cells.filter(_same_number() & longer), "extra zeros", "warning", message)
        for _, cells in _barcodes(context)
    )


def _barcodes(context: CheckContext) -> list[tuple[str, pl.DataFrame]]:
    """The new barcodes by field, one a row, with what counts of them as code.

    Powers of ten and failed formulas are damage of another sort, and said there.
    """
    written = pl.col("single").str.contains(rf"{PARTED}|^[0-9]$|[A-DF-Za-df-z]")
    barcodes = []
    for name, configured, cells in context.cells():
        if context.type_of(name) == "barcode":
            single = pl.col("now").str.split(configured.separator or KEY_SEPARATOR)
            codes = cells.with_columns(single=single).explode("single").drop_nulls("single")
            codes = codes.with_columns(pl.col("single").str.strip_chars()).filter(written)
            barcodes.append((name, codes.with_columns(code=normalize(codes["single"]))))
    return barcodes


def _same_number() -> pl.Expr:
    """Whether nothing but zeros in front tells the new barcode from the live one."""
    was, code = (pl.col(side).str.strip_chars_start("0") for side in ("was", "code"))
    return (was == code).fill_null(value=False)


def _advice(code: str) -> str:
    for length in LENGTHS:
        if len(code) < length and is_barcode(code.zfill(length)):
            return f"leading zeros are missing: {code.zfill(length)}. Write that, as text"
    if len(code) not in (*LENGTHS, 10) or not code[:-1].isdecimal():
        return "a barcode has 8, 12, 13 or 14 digits, an ISBN 10 or 13. Correct it"
    right = next((code[:-1] + sign for sign in LAST_SIGNS if is_barcode(code[:-1] + sign)), None)
    fits = f"should be {right}, or" if right else "look:"
    return f"wrong check digit: {fits} another digit is wrong"


CHECKS = (
    Check("wrong barcode", "error", wrong_barcode, Override.IGNORE),
    Check("extra zeros", "warning", padded_barcode, Override.IGNORE),
)

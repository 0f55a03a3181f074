"""What the shop's import can take: characters, and ways to empty a field."""

from __future__ import annotations

import codecs
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.checks.check import Check, Override
from neat_delta.tables import ASCII
from neat_delta.tables.formula_text import FORMULA_START, runs_as_formula

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext

UNTOLD = (
    "the live export has only plain ASCII, so the shop's encoding is unknown; this is written as UTF-8: "
    "check it in the shop after the import"
)


def character(context: CheckContext) -> pl.DataFrame:
    """A value has a character that the encoding of the shop does not have."""
    charset = _charset(context)
    cells = context.outgoing_cells
    # UTF-8 and UTF-16 lack none, and ASCII may be any.
    if charset.startswith("utf") or charset == ASCII:
        return context.findings_for(cells.clear(), "unsupported character", "error", "")
    lacking = cells.filter(
        pl.col("now").map_elements(lambda cell: not _encodes(cell, charset), return_dtype=pl.Boolean).fill_null(False)
    )
    message = "the shop's encoding ({}) does not have this character. Write it differently, or use UTF-8 in the shop"
    return context.findings_for(lacking, "unsupported character", "error", message.format(charset))


def untold_characters(context: CheckContext) -> pl.DataFrame:
    """A value needs more than ASCII, and the encoding of the shop is unknown."""
    cells = context.outgoing_cells
    if _charset(context) != ASCII:
        return context.findings_for(cells.clear(), "unknown encoding", "warning", "")
    return context.findings_for(
        cells.filter(pl.col("now").str.contains(r"[^\x00-\x7f]")), "unknown encoding", "warning", UNTOLD
    )


def cannot_be_emptied(context: CheckContext) -> pl.DataFrame:
    """A field would be emptied, but no file can do that in this shop."""
    emptied = context.outgoing_cells.filter(pl.col("now").is_null() & (not context.settings.imports.can_empty))
    message = (
        "the shop ignores blank cells, so no file can empty this field. Empty it in the shop, "
        "or set marker in [import] of catalogue.toml"
    )
    return context.findings_for(emptied, "cannot be emptied", "error", message)


def reads_as_marker(context: CheckContext) -> pl.DataFrame:
    """A value is exactly the text that empties a field in this shop."""
    marker = context.settings.imports.marker
    message = f"for the shop, {marker!r} means: empty this field. Write another value, or leave it blank"
    return context.findings_for(
        context.outgoing_cells.filter(pl.col("now") == (marker or "")), "import marker", "error", message
    )


def formula_start(context: CheckContext) -> pl.DataFrame:
    """A value begins as a formula does, and the update is sent with it as it is."""
    cells = context.outgoing_cells.drop_nulls("now").filter(pl.col("now").str.contains(FORMULA_START))
    new = cells.filter(runs_as_formula(pl.col("now")) & ~runs_as_formula(pl.col("was").fill_null("")))
    message = "begins like a formula, and a spreadsheet program that opens the update may run it. Intended?"
    return context.findings_for(new, "formula in value", "warning", message)


def _charset(context: CheckContext) -> str:
    charset = context.settings.imports.encoding
    return codecs.lookup(charset).name if charset else context.live.format.encoding


def _encodes(cell: str, charset: str) -> bool:
    try:
        cell.encode(charset)
    except UnicodeEncodeError:
        return False
    return True


CHECKS = (
    Check("unsupported character", "error", character),
    Check("unknown encoding", "warning", untold_characters, Override.IGNORE),
    Check("cannot be emptied", "error", cannot_be_emptied),
    Check("import marker", "error", reads_as_marker),
    Check("formula in value", "warning", formula_start, Override.IGNORE),
)

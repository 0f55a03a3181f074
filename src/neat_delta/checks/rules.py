"""The catalogue's own rules: what catalogue.toml settles must hold for each new value and each new item."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.changeset.findings import no_findings
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE
from neat_delta.checks.check import Check, Override, concat_findings
from neat_delta.expressions import ExpressionError, parse_expression
from neat_delta.tables.typed_values import cast_cells

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext
    from neat_delta.tables.settings import Condition


def locked(context: CheckContext) -> pl.DataFrame:
    """A locked field changes."""
    message = "locked field (catalogue.toml)"
    changing = context.changes.keys_with_action(CHANGE, RECODE)
    return concat_findings(
        context.findings_for(
            cells.join(changing, on="key", how="semi", maintain_order="left"), "locked field", "error", message
        )
        for name, configured, cells in context.cells()
        if configured.locked and name not in context.overrides.unlock
    )


def required(context: CheckContext) -> pl.DataFrame:
    """A required field would be emptied, or a new item does not have it."""
    key = context.changes.head.key
    needed = [name for name, configured in context.settings.fields.items() if configured.required and name not in key]
    emptied = context.outgoing_cells.filter(pl.col("now").is_null() & pl.col("field").is_in(needed))
    fields = pl.DataFrame({"field": needed}, schema={"field": pl.String})
    all_of_new = context.changes.keys_with_action(ADD).join(fields, how="cross")
    lacking = all_of_new.join(context.outgoing_cells, on=["key", "field"], how="anti", maintain_order="left")
    return pl.concat(
        [
            context.findings_for(
                emptied,
                "required field",
                "error",
                "required field cannot be empty",
            ),
            context.findings_for(
                lacking.with_columns(now=pl.lit(None, pl.String)),
                "required field",
                "error",
                "required for new items. Fill it, or give a formula for new items",
            ),
        ]
    )


def too_long(context: CheckContext) -> pl.DataFrame:
    """A text is longer than the maximum."""
    message = "max. {} characters. Shorten the text"
    return concat_findings(
        context.findings_for(
            cells.filter(pl.col("now").str.len_chars() > configured.length),
            "too long",
            "error",
            message.format(configured.length),
        )
        for _, configured, cells in context.cells()
        if configured.length is not None
    )


def too_fine(context: CheckContext) -> pl.DataFrame:
    """A number has more decimals than the maximum; the shop would round it."""
    message = "max. {} decimals. Round it"
    return concat_findings(
        context.findings_for(
            cells.filter(_decimals(context, name) > configured.decimals),
            "too many decimals",
            "error",
            message.format(configured.decimals),
        )
        for name, configured, cells in context.cells()
        if configured.decimals is not None
    )


def _decimals(context: CheckContext, name: str) -> pl.Expr:
    """How many digits stand behind the decimal separator of the field's new values."""
    separator = context.changes.head.fields[name].decimal_separator or "."
    return pl.col("now").str.extract(rf"[{separator}]([0-9]+)\D*$").str.len_chars()


def condition(context: CheckContext) -> pl.DataFrame:
    """A rule of [checks] was true before and is not true any more."""
    return concat_findings(_broken(context, one) for one in context.settings.checks.conditions)


def _broken(context: CheckContext, one: Condition) -> pl.DataFrame:
    try:
        must = parse_expression(one.must)
    except ExpressionError as error:
        raise _wrong(one, error) from error
    names = list(must.names)
    for name in names:
        if name not in context.live.names:
            raise InvalidOption(
                f"rule {one.must!r} in catalogue.toml: there is no field {name}",
                hint=nearest_hint(name, context.live.names),
            )
    moved = [name for name in names if name in context.changes.head.fields]
    if not moved or context.affected_items.is_empty():
        return no_findings()
    both = {name: context.beside(name) for name in names}
    try:
        held, holds = (
            must.over(
                pl.DataFrame(
                    [cast_cells(context.live, name, both[name][side], context.settings.field(name)) for name in names]
                )
            )
            for side in ("was", "now")
        )
    except (ExpressionError, pl.exceptions.PolarsError) as error:
        raise _wrong(one, error) from error
    if not {held.dtype, holds.dtype} <= {pl.Boolean(), pl.Null()}:
        raise _wrong(one, None)
    held, holds = held.cast(pl.Boolean), holds.cast(pl.Boolean)
    bad = context.affected_items.select("key").filter(holds.not_() & held.fill_null(value=True))
    cells = context.outgoing_cells.filter(pl.col("field").is_in(moved)).join(
        bad, on="key", how="semi", maintain_order="left"
    )
    return context.findings_for(cells, "validation rule", one.level, one.message or f"rule broken: {one.must}")


def _wrong(one: Condition, error: Exception | None) -> InvalidOption:
    what = error.what if isinstance(error, ExpressionError) else "not a condition, which is true or false for each item"
    hint = getattr(error, "hint", None) or "Write one such as: sale_price < price"
    return InvalidOption(f"rule {one.must!r} in catalogue.toml: {what}", hint=hint)


CHECKS = (
    Check("locked field", "error", locked, Override.UNLOCK),
    Check("required field", "error", required),
    Check("too long", "error", too_long),
    Check("too many decimals", "error", too_fine),
    Check("validation rule", "as configured", condition),
)

"""The catalogue's own rules: what catalogue.toml settles must hold for each new value and each new item."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import ADD, CHANGE, RECODE
from neat_delta.changeset.findings import no_findings
from neat_delta.checks.check import UNLOCK, Check, concat_findings
from neat_delta.errors import InvalidOption
from neat_delta.expressions import ExpressionError, parse_expression
from neat_delta.tables.typed_values import cast_cells

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext
    from neat_delta.tables.settings import Condition


def locked(trial: CheckContext) -> pl.DataFrame:
    """A field whose change has wide effects changes, and this run does not unlock it."""
    say = "this field is locked in catalogue.toml; --unlock {} lets it change in this run"
    known = trial.changes.keys_with_action(CHANGE, RECODE)
    return concat_findings(
        trial.findings_for(
            cells.join(known, on="key", how="semi", maintain_order="left"), "locked field", "stop", say.format(name)
        )
        for name, told, cells in trial.cells()
        if told.locked and name not in trial.overrides.unlock
    )


def required(trial: CheckContext) -> pl.DataFrame:
    """A required field would be emptied, or a new item lacks it."""
    key = trial.changes.head.key
    wanted = [name for name, told in trial.settings.fields.items() if told.required and name not in key]
    emptied = trial.outgoing_cells.filter(pl.col("now").is_null() & pl.col("field").is_in(wanted))
    fields = pl.DataFrame({"field": wanted}, schema={"field": pl.String})
    all_of_new = trial.changes.keys_with_action(ADD).join(fields, how="cross")
    lacking = all_of_new.join(trial.outgoing_cells, on=["key", "field"], how="anti", maintain_order="left")
    return pl.concat(
        [
            trial.findings_for(
                emptied,
                "required field",
                "stop",
                "this field must not be empty; leave the value, or write another one",
            ),
            trial.findings_for(
                lacking.with_columns(now=pl.lit(None, pl.String)),
                "required field",
                "stop",
                "a new item must have this field; fill it, or say with a rule what new items have",
            ),
        ]
    )


def too_long(trial: CheckContext) -> pl.DataFrame:
    """A text is longer than the field holds."""
    say = "the field holds {} characters; shorten the text"
    return concat_findings(
        trial.findings_for(
            cells.filter(pl.col("now").str.len_chars() > told.length), "too long", "stop", say.format(told.length)
        )
        for _, told, cells in trial.cells()
        if told.length is not None
    )


def too_fine(trial: CheckContext) -> pl.DataFrame:
    """A number has more decimals than the field holds; the shop would round it."""
    say = "the field holds {} decimals, and the shop would round this; round it yourself"
    return concat_findings(
        trial.findings_for(
            cells.filter(_decimals(trial, name) > told.decimals),
            "too many decimals",
            "stop",
            say.format(told.decimals),
        )
        for name, told, cells in trial.cells()
        if told.decimals is not None
    )


def _decimals(trial: CheckContext, name: str) -> pl.Expr:
    """How many digits stand behind the decimal mark of the field's new values."""
    mark = trial.changes.head.fields[name].decimal_separator or "."
    return pl.col("now").str.extract(rf"[{mark}]([0-9]+)\D*$").str.len_chars()


def condition(trial: CheckContext) -> pl.DataFrame:
    """A condition between fields, settled in [checks], held before and does not hold any more."""
    return concat_findings(_broken(trial, one) for one in trial.settings.checks.conditions)


def _broken(trial: CheckContext, one: Condition) -> pl.DataFrame:
    try:
        must = parse_expression(one.must)
    except ExpressionError as error:
        raise _wrong(one, error) from error
    names = list(must.names)
    for name in names:
        if name not in trial.live.names:
            raise InvalidOption(
                f"the condition {one.must!r} in catalogue.toml: there is no field {name}",
                hint="Fields: " + ", ".join(trial.live.names) + ".",
            )
    moved = [name for name in names if name in trial.changes.head.fields]
    if not moved or trial.affected_items.is_empty():
        return no_findings()
    both = {name: trial.beside(name) for name in names}
    try:
        held, holds = (
            must.over(
                pl.DataFrame(
                    [cast_cells(trial.live, name, both[name][side], trial.settings.field(name)) for name in names]
                )
            ).cast(pl.Boolean)
            for side in ("was", "now")
        )
    except (ExpressionError, pl.exceptions.PolarsError) as error:
        raise _wrong(one, error) from error
    bad = trial.affected_items.select("key").filter(holds.not_() & held.fill_null(value=True))
    cells = trial.outgoing_cells.filter(pl.col("field").is_in(moved)).join(
        bad, on="key", how="semi", maintain_order="left"
    )
    return trial.findings_for(cells, "condition", one.level, one.say or f"this must hold: {one.must}")


def _wrong(one: Condition, error: Exception) -> InvalidOption:
    what = error.what if isinstance(error, ExpressionError) else "it is neither true nor false"
    hint = getattr(error, "hint", None) or "Write one such as: sale_price < price"
    return InvalidOption(f"the condition {one.must!r} in catalogue.toml: {what}", hint=hint)


CHECKS = (
    Check("locked field", "stop", locked, UNLOCK),
    Check("required field", "stop", required),
    Check("too long", "stop", too_long),
    Check("too many decimals", "stop", too_fine),
    Check("condition", "as settled", condition),
)

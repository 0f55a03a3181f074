"""The catalogue's own rules: what catalogue.toml settles for a field must hold for each of its new values."""

from __future__ import annotations

import difflib
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue.fieldkind import single_values
from neat_delta.changes.changeset import ADD, CHANGE, no_findings

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from neat_delta.catalogue.settings import FieldSettings
    from neat_delta.checks.trial import Trial

SOME_VALUES = 12
NEAR = 0.75


def locked(trial: Trial) -> pl.DataFrame:
    """A field whose change has wide effects changes, and this run does not unlock it."""
    say = "this field is locked in catalogue.toml; --unlock {} lets it change in this run"
    return _concat(
        trial.found(
            cells.join(trial.changes.keys_to(CHANGE), on="key", how="semi"), "locked field", "stop", say.format(name)
        )
        for name, told, cells in trial.cells()
        if told.locked and name not in trial.unlocked
    )


def required(trial: Trial) -> pl.DataFrame:
    """A required field would be emptied, or a new item lacks it."""
    emptied = trial.sent.filter(pl.col("now").is_null())
    wanted = [
        name for name, told in trial.settled.fields.items() if told.required and name not in trial.changes.head.key
    ]
    fields = pl.DataFrame({"field": wanted}, schema={"field": pl.String})
    all_of_new = trial.changes.keys_to(ADD).join(fields, how="cross")
    lacking = all_of_new.join(trial.changes.cells, on=["key", "field"], how="anti", maintain_order="left")
    return pl.concat(
        [
            trial.found(
                emptied.filter(pl.col("field").is_in(wanted)),
                "required field",
                "stop",
                "this field must not be empty; leave the value, or write another one",
            ),
            trial.found(
                lacking.with_columns(now=pl.lit(None, pl.String)),
                "required field",
                "stop",
                "a new item must have this field; fill it, or say with a rule what new items have",
            ),
        ]
    )


def too_long(trial: Trial) -> pl.DataFrame:
    """A text is longer than the field holds."""
    say = "the field holds {} characters; shorten the text"
    return _concat(
        trial.found(
            cells.filter(pl.col("now").str.len_chars() > told.length), "too long", "stop", say.format(told.length)
        )
        for _, told, cells in trial.cells()
        if told.length is not None
    )


def too_fine(trial: Trial) -> pl.DataFrame:
    """A number has more decimals than the field holds; the shop would round it."""
    say = "the field holds {} decimals, and the shop would round this; round it yourself"
    return _concat(
        trial.found(
            cells.filter(_decimals(trial, name) > told.decimals),
            "too many decimals",
            "stop",
            say.format(told.decimals),
        )
        for name, told, cells in trial.cells()
        if told.decimals is not None
    )


def _decimals(trial: Trial, name: str) -> pl.Expr:
    """How many digits stand behind the decimal mark of the field's new values."""
    mark = trial.changes.head.fields[name].mark or "."
    return pl.col("now").str.extract(rf"[{mark}](\d+)\D*$").str.len_chars()


def unknown_value(trial: Trial) -> pl.DataFrame:
    """A limited field would take a value that it does not know: none of the settled ones, or of those in use."""
    found = []
    for name, told, cells in trial.cells():
        known = _known_values(trial, name, told)
        if known is None or name in trial.new_values:
            continue
        new = cells.drop_nulls("now").with_columns(single=pl.col("now").str.split(told.separator or "\x1f"))
        new = new.explode("single").with_columns(pl.col("single").str.strip_chars())
        there = pl.col("was").fill_null("").str.split(told.separator or "\x1f")
        strange = new.filter(
            ~pl.col("single").is_in(known.implode()) & (pl.col("single") != "") & ~pl.col("single").is_in(there)
        )
        strange = strange.unique(["key", "field"], keep="first", maintain_order=True)
        labels = told.labels
        choices = [labels.get(value, value) for value in known.to_list()]
        advice = {value: _advice(value, choices, name, open_=not told.limited) for value in strange["single"].unique()}
        say = strange["single"].replace_strict(advice, return_dtype=pl.String)
        found.append(trial.found(strange, "no such choice", "stop", say))
    return _concat(found)


def _known_values(trial: Trial, name: str, told: FieldSettings) -> pl.Series | None:
    """The values of a limited field; ``None`` for an open one."""
    if told.limited:
        return pl.Series(told.limited)
    if told.kind == "choice":
        return single_values(trial.live.cells([name])[name], told.separator).sort()
    return None


def _advice(value: str, choices: list[str], name: str, *, open_: bool) -> str:
    plain = {" ".join(choice.split()).casefold(): choice for choice in reversed(choices)}
    near = difflib.get_close_matches(" ".join(value.split()).casefold(), plain, 1, NEAR)
    if near:
        meant = f"did you mean {plain[near[0]]!r}?"
    else:
        meant = "write one of: " + ", ".join(choices[:SOME_VALUES]) + (" …" if len(choices) > SOME_VALUES else "")
    what = "no item has this value yet" if open_ else "this is none of the field's values"
    return f"{what}; {meant} (--allow-new-values {name} takes new ones in this run)"


def _concat(found: Iterable[pl.DataFrame]) -> pl.DataFrame:
    return pl.concat([no_findings(), *found])


CHECKS: tuple[Callable[[Trial], pl.DataFrame], ...] = (locked, required, too_long, too_fine, unknown_value)

"""neat-delta adjust."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_output import (
    DisplayChoice,
    Outcome,
    OverrideOptions,
    output_targets,
    override_options,
    render_result,
)
from neat_delta.cli.common import (
    ITEMS,
    KEY,
    WHERE,
    OutputOptions,
    catalogue_file,
    load_config,
    output_options,
    show_progress,
)
from neat_delta.cli.help import VALUES, command, option
from neat_delta.cli.param_types import SOURCE
from neat_delta.cli.table_options import TableOptions, table_options

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.diff.compare import CompareResult
    from neat_delta.diff.formulas import Formula
    from neat_delta.locations import Location
    from neat_delta.workflows.targets import Targets


@command(
    "adjust",
    'neat-delta adjust live.csv --set "price = price * 1.05" --ending .95',
    'neat-delta adjust live.csv --set "stock_main = 0" --where "active = 0" -o stock.changes.jsonl',
)
@click.argument("live", type=SOURCE)
@option(
    VALUES,
    "--set",
    "rules",
    common=True,
    multiple=True,
    required=True,
    metavar="FORMULA",
    help='Calculate a field, such as "price = price * 1.05". Repeatable.',
)
@WHERE
@ITEMS
@option(
    VALUES, "--ending", common=True, metavar="END", help="Round calculated prices to this ending, such as .95 or 9.90."
)
@option(VALUES, "--multiple-of", metavar="N", help="Round calculated numbers to a multiple of N, such as 5.")
@option(
    VALUES,
    "--rounding",
    type=click.Choice(["nearest", "up", "down"]),
    default="nearest",
    show_default=True,
    help="Rounding direction for --ending and --multiple-of.",
)
@KEY
@table_options
@output_targets
@override_options
@catalogue_file
@output_options
def adjust_command(
    live: Location,
    rules: tuple[str, ...],
    where: str | None,
    items: Location | None,
    ending: str | None,
    multiple_of: str | None,
    rounding: str,
    key: tuple[str, ...],
    tables: TableOptions,
    targets: Targets,
    display: DisplayChoice,
    override: OverrideOptions,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Change the LIVE catalogue by formula, without an edited file.

    A formula is "field = expression", in standard SQL over the fields. All formulas read the values as they were
    before. "field = NULL" empties a field.
    """
    from neat_delta.diff.compare import CompareOptions
    from neat_delta.diff.formulas import parse_formula
    from neat_delta.expressions.ending import rounding_of
    from neat_delta.workflows.inputs import read_live
    from neat_delta.workflows.plan import PlanOptions, context_of, plan_adjustment
    from neat_delta.workflows.publish import publish

    if ending and multiple_of:
        raise click.UsageError("use --ending or --multiple-of, not both")
    finish = None
    if ending or multiple_of:
        finish = rounding_of("ending" if ending else "multiple", ending or multiple_of or "", rounding)
    formulas = [parse_formula(text, finish) for text in rules]
    settings = tables.over(load_config(config))
    targets.check()
    with show_progress(output) as progress:
        context = context_of(read_live(live, settings, progress), settings, key)
        targets.check_folder()
        compare = CompareOptions(settings=settings, as_typed=override.as_typed)
        options = PlanOptions(compare, overrides=override.overrides(), images=override.images)
        result, unknown = plan_adjustment(context, formulas, where, items, options, progress)
        targets.check()
        receipt = publish(result, settings, targets, progress)

    def head(width: int) -> Iterator[Text]:
        return _head(result, formulas, where, unknown, width)

    return render_result(Outcome(result, receipt, settings, targets, display), output, head)


def _head(
    result: CompareResult, rules: list[Formula], where: str | None, unknown: list[str], width: int
) -> Iterator[Text]:
    """The live export, which items were chosen, and the rules."""
    from neat_delta.views.file_format import catalogue_view
    from neat_delta.views.formatting import count, pluralize
    from neat_delta.views.lines import sentence

    yield from catalogue_view("live", result.live, "item", width)
    chosen = f"{count(len(result.edited))} of {pluralize(len(result.live), 'item')}" + (
        f", where {where}" if where else ""
    )
    yield from sentence("selected", chosen, width)
    for at, rule in enumerate(rules):
        end = ""
        if rule.rounding is not None and not rule.empties:
            finish = rule.rounding
            end = f"   ({finish.function} {finish.amount}, {finish.way})"
        yield from sentence("" if at else "formulas", rule.text + end, width)
    if unknown:
        some = ", ".join(unknown[:10]) + (" …" if len(unknown) > 10 else "")
        yield from sentence("unknown", f"{pluralize(len(unknown), 'SKU')} not in the shop: {some}", width, "warning")

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
    SOURCE,
    OutputOptions,
    catalogue_file,
    load_config,
    output_options,
    show_progress,
)

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.diff.compare import CompareResult
    from neat_delta.diff.formulas import Formula
    from neat_delta.remote import Location
    from neat_delta.workflows.targets import Targets


@click.command("adjust")
@click.argument("live", type=SOURCE)
@click.option(
    "--set", "rules", multiple=True, required=True, metavar="RULE", help='Such as "price = price * 1.05"; repeatable.'
)
@click.option("--where", metavar="SQL", help="Only items for which this holds, such as \"maker = 'Thrumhive'\".")
@click.option("--items", type=SOURCE, metavar="FILE", help="Only the items whose codes stand in this file, one a line.")
@click.option("--ending", metavar="END", help="Give computed numbers this ending, such as .95 or 9.90.")
@click.option("--multiple-of", metavar="N", help="Make computed numbers multiples of this, such as 5.")
@click.option(
    "--way",
    type=click.Choice(["nearest", "up", "down"]),
    default="nearest",
    show_default=True,
    help="Which way to go for --ending and --multiple-of.",
)
@click.option("--key", multiple=True, metavar="FIELD", help="What names an item; repeat for a key of several fields.")
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
    way: str,
    key: tuple[str, ...],
    targets: Targets,
    display: DisplayChoice,
    override: OverrideOptions,
    config: Path | None,
    output: OutputOptions,
) -> int:
    """Change the LIVE catalogue by rules alone, without an edited sheet.

    A rule is "field = expression", the expression in standard SQL over the fields. All rules see the values as they
    were before; a value set to what it is drops out. "field = NULL" empties a field.
    """
    from neat_delta.diff.compare import CompareOptions
    from neat_delta.diff.formulas import parse_formula
    from neat_delta.expressions.ending import rounding_of
    from neat_delta.workflows.inputs import read_live
    from neat_delta.workflows.plan import PlanOptions, context_of, plan_adjustment
    from neat_delta.workflows.publish import publish

    if ending and multiple_of:
        raise click.UsageError("--ending and --multiple-of do not go together.")
    rounding = None
    if ending or multiple_of:
        rounding = rounding_of("ending" if ending else "multiple", ending or multiple_of or "", way)
    formulas = [parse_formula(text, rounding) for text in rules]
    settings = load_config(config)
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
    yield from sentence("chosen", chosen, width)
    for at, rule in enumerate(rules):
        end = ""
        if rule.rounding is not None and not rule.empties:
            finish = rule.rounding
            end = f"   ({finish.function} {finish.amount}, {finish.way})"
        yield from sentence("" if at else "rules", rule.text + end, width)
    if unknown:
        some = ", ".join(unknown[:10]) + (" …" if len(unknown) > 10 else "")
        yield from sentence("unknown", f"{pluralize(len(unknown), 'code')} no item has: {some}", width, "warn")

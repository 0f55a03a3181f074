"""neat-delta adjust."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from neat_delta.cli.changeset_output import (
    RULES,
    OutputTargets,
    OverrideOptions,
    finished,
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
    wanted: OutputTargets,
    opened: OverrideOptions,
    settings: Path | None,
    spoken: OutputOptions,
) -> int:
    """Change the LIVE catalogue by rules alone, without an edited sheet.

    A rule is "field = expression", the expression in standard SQL over the fields. All rules see the values as they
    were before; a value set to what it is drops out. "field = NULL" empties a field.
    """
    from neat_delta.diff.adjust import adjust
    from neat_delta.diff.compare import CompareOptions
    from neat_delta.diff.formulas import parse_formula
    from neat_delta.expressions.ending import rounding_of
    from neat_delta.matching import choose_key
    from neat_delta.matching.selection import chosen_rows
    from neat_delta.reading import read_table

    if ending and multiple_of:
        raise click.UsageError("--ending and --multiple-of do not go together.")
    finish = None
    if ending or multiple_of:
        finish = rounding_of("ending" if ending else "multiple", ending or multiple_of or "", way)
    parsed = [parse_formula(text, finish) for text in rules]
    settled = load_config(settings)
    wanted.check_places()
    with show_progress(spoken) as voice:
        ours = read_table(live, voice, settled.export).renamed(settled.names())
        named = choose_key(ours, ours.names, key or settled.key)
        rows, unknown = chosen_rows(ours, named, where, items, settled)
        voice.step("working out the rules")
        seen = adjust(ours, named, parsed, rows, CompareOptions(settings=settled, as_typed=opened.as_typed), RULES)
        seen, receipt = finished(seen, settled, wanted, opened, voice)

    def head(width: int) -> Iterator[Text]:
        return _head(seen, parsed, where, unknown, width)

    return render_result(seen, receipt, settled, wanted, spoken, head)


def _head(
    seen: CompareResult, rules: list[Formula], where: str | None, unknown: list[str], width: int
) -> Iterator[Text]:
    """The live export, which items were chosen, and the rules."""
    from neat_delta.views.file_format import catalogue_view
    from neat_delta.views.formatting import count, pluralize
    from neat_delta.views.lines import sentence

    yield from catalogue_view("live", seen.live, "item", width)
    chosen = f"{count(len(seen.edited))} of {pluralize(len(seen.live), 'item')}" + (f", where {where}" if where else "")
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

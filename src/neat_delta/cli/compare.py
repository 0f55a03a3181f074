"""neat-delta compare."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from neat_delta.cli.changeset_output import (
    DisplayChoice,
    Outcome,
    OverrideOptions,
    output_targets,
    override_options,
    preload,
    render_result,
)
from neat_delta.cli.common import (
    SOURCE,
    OutputOptions,
    catalogue_file,
    load_config,
    output_options,
    read_options,
    show_progress,
)
from neat_delta.cli.supplier_options import SupplierOptions, save_profile, saved_view, supplier_options

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.remote import Location
    from neat_delta.tables import Table
    from neat_delta.tables.read_options import ReadOptions
    from neat_delta.workflows.targets import Targets


def _kinds(_context: click.Context, _option: click.Parameter, pairs_told: tuple[str, ...]) -> dict[str, str]:
    pairs = {}
    for text in pairs_told:
        field, equals, kind = text.partition("=")
        if not (field and equals and kind):
            raise click.BadParameter(f"{text!r} is not FIELD=KIND, such as size=text")
        pairs[field.strip()] = kind.strip()
    return pairs


@click.command("compare")
@click.argument("live", type=SOURCE)
@click.argument("edited", type=SOURCE)
@click.option("--key", multiple=True, metavar="FIELD", help="Match rows on this field; repeat for a key of several.")
@click.option(
    "--blanks",
    type=click.Choice(["leave", "clear"]),
    help="What a blank cell means: leave the live value (so it is if nothing is settled), or clear it.",
)
@click.option(
    "--kind",
    "types",
    multiple=True,
    metavar="FIELD=KIND",
    callback=_kinds,
    help="Read a field as this kind instead of the one its live values show (text, code, gtin, money, number, "
    "count, share, flag, date, choice, path, picture, itemref).",
)
@click.option(
    "--rescue-codes",
    "repair_keys",
    is_flag=True,
    help="Give rows whose code lost zeros, spaces or digits to the one item it can be; each is listed.",
)
@click.option(
    "--include",
    multiple=True,
    type=click.Choice(["new", "gone"]),
    help="Send new rows as new items; remove the items that EDITED no longer has (with --at-most).",
)
@click.option(
    "--accept-codes", type=SOURCE, metavar="FILE", help="Take these new rows (old and new code) for code changes."
)
@click.option("--at-most", type=click.IntRange(min=1), metavar="N", help="The most items that may be removed.")
@click.option("--where", metavar="SQL", help="Only live items for which this holds, such as \"maker = 'Thrumhive'\".")
@click.option("--items", type=SOURCE, metavar="FILE", help="Only the items whose codes stand in this file, one a line.")
@supplier_options
@output_targets
@override_options
@catalogue_file
@read_options
@output_options
def compare_command(
    live: Location,
    edited: Location,
    key: tuple[str, ...],
    blanks: str | None,
    types: dict[str, str],
    repair_keys: bool,
    include: tuple[str, ...],
    accept_codes: Location | None,
    at_most: int | None,
    where: str | None,
    items: Location | None,
    supplier: SupplierOptions,
    targets: Targets,
    display: DisplayChoice,
    override: OverrideOptions,
    config: Path | None,
    format_given: ReadOptions,
    output: OutputOptions,
) -> int:
    """Compare the LIVE export with the EDITED sheet, or a supplier's list: what changed, item by item.

    Nothing is sent and no input is touched. Only items that exist change; new and missing rows are counted and
    left out unless --include says otherwise, and a blank cell leaves the live value as it is.

    Both may be delimited text, XLSX, ODS, JSON Lines or XML, also packed with gzip or zip; one may be "-" for standard
    input. --delimiter, --encoding, --decimal, --header-line and --sheet are about EDITED, and so are --list, --match,
    --leave-out, --match-on, --assume, --set and --remember, for files of other people.
    """
    if ("gone" in include) != (at_most is not None):
        raise click.UsageError("--include gone and --at-most N go together: say how many items may be removed at most.")
    from concurrent.futures import ThreadPoolExecutor

    from neat_delta.prefetch import FilePrefetch

    targets.check()
    prefetch = FilePrefetch(live, edited)
    # Now that the files are on their way, there is time to load what is needed to read them, and then to compare them.
    import neat_delta.reading  # noqa: F401

    settings = load_config(config)
    profile = supplier.over(settings, format_given)
    with show_progress(output) as progress, ThreadPoolExecutor(max_workers=1) as reader:
        reading = reader.submit(_read, live, edited, settings, profile, progress, prefetch)
        preload(targets)
        from neat_delta.diff.compare import CompareOptions
        from neat_delta.matching.column_drift import column_natures
        from neat_delta.tables import field_name
        from neat_delta.workflows.plan import PlanOptions, plan_comparison
        from neat_delta.workflows.publish import publish

        compare = CompareOptions(
            key,
            None if blanks is None else blanks == "clear",
            types,
            repair_keys=repair_keys,
            where=where,
            items=items,
            add_new="new" in include,
            delete_at_most=at_most,
            settings=settings,
            as_typed=override.as_typed,
        )
        options = PlanOptions(compare, profile, accept_codes, override.overrides(), override.images)
        live_table, edited_table = reading.result()
        targets.check_folder()
        result, matches = plan_comparison(live_table, edited_table, options, progress)
        targets.check()
        receipt = publish(result, settings, targets, progress)
        if supplier.save_as:
            save_profile(config, supplier.save_as, profile, column_natures(edited_table))

    def head(width: int) -> Iterator[Text]:
        from neat_delta.views.comparison import files_view
        from neat_delta.views.supplier_views import supplier_view

        as_list = profile.is_configured or any(
            match.field and field_name(match.column) != match.field for match in matches
        )
        yield from files_view(result, width, columns=not as_list)
        if as_list:
            yield from supplier_view(matches, profile, result.changes, width)
        if supplier.save_as:
            yield from saved_view(supplier.save_as, config, width)

    return render_result(Outcome(result, receipt, settings, targets, display), output, head, matches)


def _read(*inputs: Any) -> tuple[Table, Table]:
    from neat_delta.workflows.inputs import read_inputs

    return read_inputs(*inputs)

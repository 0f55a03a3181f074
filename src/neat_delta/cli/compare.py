"""neat-delta compare."""

from __future__ import annotations

from dataclasses import replace
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
from neat_delta.cli.combine import PREFER
from neat_delta.cli.common import (
    ITEMS,
    KEY,
    WHERE,
    OutputOptions,
    catalogue_file,
    load_config,
    output_options,
    read_options,
    show_progress,
)
from neat_delta.cli.conflict_options import ConflictOptions, conflict_options
from neat_delta.cli.help import MATCHING, SCOPE, VALUES, command, option
from neat_delta.cli.param_types import SOURCE, WholeNumber
from neat_delta.cli.supplier_options import SupplierOptions, save_profile, saved_view, supplier_options
from neat_delta.cli.table_options import TableOptions, table_options

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.diff.compare import CompareResult
    from neat_delta.locations import Location
    from neat_delta.matching.supplier_mapping import ColumnMatch
    from neat_delta.tables import Table
    from neat_delta.tables.read_options import ReadOptions
    from neat_delta.workflows.targets import Targets


def _types(_context: click.Context, _option: click.Parameter, given: tuple[str, ...]) -> dict[str, str]:
    pairs = {}
    for text in given:
        field, equals, name = text.partition("=")
        if not (field and equals and name):
            raise click.BadParameter(f"{text!r} is not FIELD=TYPE, such as size=text")
        pairs[field.strip()] = name.strip()
    return pairs


@command(
    "compare",
    "neat-delta compare live.csv edited.csv -o tuesday.changes.jsonl",
    "neat-delta compare live.csv edited.csv --write updates --problems problems.xlsx",
    "neat-delta compare live.csv anna.xlsx bo.xlsx -o both.changes.jsonl",
    "neat-delta compare live.csv waxwendle.csv --catalogue waxwendle.toml --profile waxwendle",
)
@click.argument("live", type=SOURCE)
@click.argument("edited", type=SOURCE, nargs=-1, required=True, metavar="EDITED…")
@KEY
@option(
    VALUES,
    "--blanks",
    common=True,
    type=click.Choice(["leave", "clear"]),
    help="What blank cells do: leave = keep the shop's value (default), clear = empty it.",
)
@option(
    VALUES,
    "--type",
    "types",
    multiple=True,
    metavar="FIELD=TYPE",
    callback=_types,
    help="Set a field's type (default: detected from the export): text, code, barcode, price, number, quantity, "
    "percent, yes/no, date, choice, category, image, item link.",
)
@option(
    MATCHING,
    "--repair-skus",
    "repair_keys",
    common=True,
    is_flag=True,
    help="Repair damaged SKUs also where the rest of the row does not agree, if only one item fits.",
)
@option(SCOPE, "--add-new", common=True, is_flag=True, help="Add new rows as new items.")
@option(
    SCOPE,
    "--delete-missing",
    type=WholeNumber(1),
    metavar="N",
    help="Delete items that are not in EDITED, but stop if there are more than N.",
)
@option(
    MATCHING, "--sku-changes", type=SOURCE, metavar="FILE", help="File of confirmed SKU changes (columns old, new)."
)
@WHERE
@ITEMS
@option(
    MATCHING,
    "--base",
    type=SOURCE,
    metavar="FILE",
    help="The export that EDITED was made from, if LIVE is newer; none: compare with LIVE only; kept: the kept export "
    "that EDITED looks like.  [default: as the sheet knows]",
)
@conflict_options
@PREFER
@supplier_options
@table_options
@output_targets
@override_options
@catalogue_file
@read_options
@output_options
def compare_command(
    live: Location,
    edited: tuple[Location, ...],
    key: tuple[str, ...],
    blanks: str | None,
    types: dict[str, str],
    repair_keys: bool,
    add_new: bool,
    delete_missing: int | None,
    sku_changes: Location | None,
    where: str | None,
    items: Location | None,
    base: Location | None,
    conflict: ConflictOptions,
    prefer: str | None,
    supplier: SupplierOptions,
    tables: TableOptions,
    targets: Targets,
    display: DisplayChoice,
    override: OverrideOptions,
    config: Path | None,
    format_given: ReadOptions,
    output: OutputOptions,
) -> int:
    """Compare the LIVE export with the EDITED file: what changed, SKU by SKU.

    Nothing is sent, and LIVE and EDITED are not touched. Only items that exist in the shop change: new rows and missing
    items are counted, not sent, unless you ask for it. A blank cell keeps the shop's value. If LIVE is newer than the
    export that EDITED was made from, only what you have typed is a change. Several EDITED files are combined.

    Both may be delimited text, XLSX, ODS, JSON Lines, XML or Parquet, also packed; several files ("items-*.csv", a
    folder, prices.csv+stock.csv, newest:FOLDER); an address; or a table of a database. One may be "-" (standard
    input). The options for reading a file are about EDITED.
    """
    from concurrent.futures import ThreadPoolExecutor
    from contextvars import copy_context

    from neat_delta.cli.compare_several import insist_on_one_file, publish_several, render_several
    from neat_delta.locations.prefetch import FilePrefetch

    targets = replace(targets, conflicts_file=conflict.conflicts_file)
    targets.check()
    if len(edited) > 1:
        insist_on_one_file({"problems": targets.problems_file is not None, "save_profile": bool(supplier.save_as)})
    prefetch = FilePrefetch(live, edited[0])
    # Now that the files are on their way, there is time to load what is needed to read them, and then to compare them.
    import neat_delta.reading  # noqa: F401

    settings = tables.over(load_config(config))
    profile = supplier.over(settings, format_given)
    # Where several files disagree with each other, the workbook of decisions is about that.
    policy = (conflict if len(edited) == 1 else conflict._replace(decisions=None)).policy()
    with show_progress(output) as progress, ThreadPoolExecutor(max_workers=1) as reader:
        reading = reader.submit(copy_context().run, _read, live, edited[0], settings, profile, progress, prefetch)
        preload(targets)
        from neat_delta.diff.compare import CompareOptions
        from neat_delta.matching.column_drift import column_natures
        from neat_delta.matching.value_mapping import mapped_by_values
        from neat_delta.tables import field_name
        from neat_delta.workflows.base import BaseWish
        from neat_delta.workflows.plan import PlanOptions, plan_comparison
        from neat_delta.workflows.publish import publish

        compare = CompareOptions(
            key,
            None if blanks is None else blanks == "clear",
            types,
            repair_keys=repair_keys,
            where=where,
            items=items,
            add_new=add_new,
            delete_at_most=delete_missing,
            settings=settings,
            as_typed=override.as_typed,
        )

        def plan(both: tuple[Table, Table]) -> tuple[CompareResult, list[ColumnMatch]]:
            nonlocal profile
            if supplier.map_by_values:
                profile = mapped_by_values(*both, settings, profile)
            said = BaseWish(base)
            options = PlanOptions(compare, profile, sku_changes, override.overrides(), override.images, said, policy)
            return plan_comparison(*both, options, progress)

        pair = reading.result()
        targets.check_folder()
        result, matches = plan(pair)
        if len(edited) > 1:
            others = [plan(_read(live, one, settings, profile, progress))[0] for one in edited[1:]]
            results = [result, *others]
            combined, receipt = publish_several(results, edited, prefer, conflict, settings, targets, progress)
        else:
            targets.check()
            receipt = publish(result, settings, targets, progress)
            if result.base is not None:
                conflict.save(result.base.conflicts, result.changes, overwrite=targets.overwrite)
            if supplier.save_as:
                save_profile(config, supplier.save_as, profile, column_natures(pair[1]))
    if len(edited) > 1:
        return render_several(results, combined, receipt, targets, display, output)

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

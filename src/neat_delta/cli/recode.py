"""neat-delta recode."""

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
    KEY,
    OutputOptions,
    catalogue_file,
    load_config,
    output_options,
    read_options,
    show_progress,
)
from neat_delta.cli.help import MATCHING, VALUES, command, option
from neat_delta.cli.param_types import SOURCE

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from rich.text import Text

    from neat_delta.locations import Location
    from neat_delta.tables.read_options import ReadOptions
    from neat_delta.workflows.targets import Targets


@command(
    "recode",
    "neat-delta recode live.csv codes.csv",
    "neat-delta recode live.csv codes.csv --rename-images --write updates",
)
@click.argument("live", type=SOURCE)
@click.argument("codes", type=SOURCE)
@option(MATCHING, "--old", common=True, metavar="COLUMN", help="Column of CODES with the old SKUs.")
@option(MATCHING, "--new", common=True, metavar="COLUMN", help="Column of CODES with the new SKUs.")
@option(VALUES, "--rename-images", is_flag=True, help="Also rename image files that contain the SKU.")
@KEY
@output_targets
@override_options
@catalogue_file
@read_options
@output_options
def recode_command(
    live: Location,
    codes: Location,
    old: str | None,
    new: str | None,
    rename_images: bool,
    key: tuple[str, ...],
    targets: Targets,
    display: DisplayChoice,
    override: OverrideOptions,
    config: Path | None,
    format_given: ReadOptions,
    output: OutputOptions,
) -> int:
    """Change SKUs of the LIVE catalogue, from a list of old and new SKUs (CODES).

    Fields that link to items follow. Unknown SKUs, SKUs in use, and duplicates are errors, found before anything is
    written. Swaps and chains are written in steps, so that no two items share a SKU at any time.
    """
    from neat_delta.diff.compare import CompareOptions
    from neat_delta.workflows.inputs import read_live
    from neat_delta.workflows.plan import PlanOptions, RekeyFile, plan_rekeys
    from neat_delta.workflows.publish import publish

    settings = load_config(config)
    targets.check()
    with show_progress(output) as progress:
        live_table = read_live(live, settings, progress)
        targets.check_folder()
        options = PlanOptions(CompareOptions(settings=settings), overrides=override.overrides(), images=override.images)
        file = RekeyFile(codes, format_given, old, new, rename_images=rename_images)
        result, codes_table = plan_rekeys(live_table, key, file, options, progress)
        targets.check()
        receipt = publish(result, settings, targets, progress)

    def head(width: int) -> Iterator[Text]:
        from neat_delta.views.file_format import catalogue_view

        widest = max(len(live_table.source.name), len(codes_table.source.name))
        yield from catalogue_view("live", live_table, "item", width, widest)
        yield from catalogue_view("codes", codes_table, "row", width, widest)

    return render_result(Outcome(result, receipt, settings, targets, display), output, head)

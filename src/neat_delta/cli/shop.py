"""neat-delta shop: the practice shop."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING

import click

from neat_delta.base.exit_codes import Exit
from neat_delta.base.options import MATCHING, OUTPUT, READING, VALUES
from neat_delta.cli.common import OVERWRITE, OutputOptions, print_lines, show
from neat_delta.cli.help import HelpfulGroup, option
from neat_delta.cli.param_types import FILE, SOURCE, WholeNumber

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.locations import Location, Place
    from neat_delta.practice_shop.shop import Result

SHOP_TOKEN = "NEAT_DELTA_SHOP_TOKEN"


@click.group("shop", cls=HelpfulGroup)
def shop_command() -> None:
    """The practice shop: a test store on your own disk, to try everything on."""


@shop_command.command("open")
@click.argument("folder", type=FILE, metavar="DIR")
@option(READING, "--from", "export", type=SOURCE, metavar="FILE", help="Export to start with.  [default: the demo's]")
@option(MATCHING, "--key", default="sku", show_default=True, metavar="COLUMN", help="Column with the SKU.")
@option(OUTPUT, "--overwrite", is_flag=True, help="Replace an existing practice shop.")
def open_command(folder: Path, export: Location | None, key: str, overwrite: bool) -> int:
    """Make a new practice shop in DIR; its settings are in DIR/shop.toml."""
    from importlib.resources import as_file, files

    from neat_delta.practice_shop.shop import make_shop
    from neat_delta.reading import read_strict

    if export is not None:
        shop = make_shop(folder, read_strict(export), key, replace=overwrite)
    else:
        with as_file(files("neat_delta.demo_shop") / "live.csv") as source:
            shop = make_shop(folder, read_strict(source), key, replace=overwrite)
    print_lines(f"  settings    {folder}/shop.toml")
    _end(f"practice shop made in {folder}: {len(shop.items()):,} items", ["export", str(folder), "-o"], "live.csv")
    return Exit.DONE


@shop_command.command("export")
@click.argument("folder", type=FILE, metavar="DIR")
@option(OUTPUT, "-o", "--out", type=FILE, required=True, metavar="FILE", help="Save the export here.")
@OVERWRITE
def export_command(folder: Path, out: Path, overwrite: bool) -> int:
    """Export all items of the practice shop."""
    from neat_delta.files.atomic_write import write_atomic
    from neat_delta.files.output_paths import check_outputs
    from neat_delta.practice_shop import open_shop

    shop = open_shop(folder)  # whose files are inputs from now on
    check_outputs(out, replace=overwrite)
    write_atomic(out, shop.export(), replace=overwrite)
    _end(f"{len(shop.items()):,} items in {out}")
    return Exit.DONE


@shop_command.command("import")
@click.argument("folder", type=FILE, metavar="DIR")
@click.argument("files", type=SOURCE, nargs=-1, required=True)
@option(OUTPUT, "--import-report", type=FILE, metavar="FILE", help="Save the import report (CSV).")
@OVERWRITE
def import_command(folder: Path, files: tuple[Location, ...], import_report: Path | None, overwrite: bool) -> int:
    """Import files into the practice shop, one after another. The file name says what a file does.

    The folder of an update means its files, in their order.
    """
    from neat_delta.files.atomic_write import write_atomic
    from neat_delta.files.output_paths import check_outputs
    from neat_delta.practice_shop import open_shop
    from neat_delta.practice_shop.shop import does_of, results_csv
    from neat_delta.reading import read_bytes
    from neat_delta.views.formatting import pluralize

    check_outputs(import_report, replace=overwrite)
    shop = open_shop(folder)
    every: list[Result] = []
    for path in (one for given in files for one in _each_of(given)):
        taken = shop.import_file(read_bytes(path), does_of(path.name))
        every += taken.results
        bad = [result for result in taken.results if result.result in ("failed", "skipped")]
        message = "; the import stopped half way" if taken.broken_off else ""
        print_lines(
            f"{path.name}: {pluralize(len(taken.results) - len(bad), 'row')} accepted, {len(bad):,} not{message}"
        )
        for result in bad[:5]:
            print_lines(f"  line {result.line}, {result.code}: {result.result}, {result.reason}")
    if import_report is not None:
        write_atomic(import_report, results_csv(every), replace=overwrite)
    bad = [result for result in every if result.result in ("failed", "skipped")]
    rows = f"{len(every) - len(bad):,} of {pluralize(len(every), 'row')} accepted"
    _end(rows, ["export", str(folder), "-o"], "after.csv")
    return Exit.ATTENTION if bad else Exit.DONE


def _each_of(given: Location) -> list[Place]:
    """The files that are meant: of an update those in its receipt, of a pattern those that fit it."""
    from neat_delta.locations import FileSet
    from neat_delta.locations.listing import members_of
    from neat_delta.update.receipt import load_receipt

    if not isinstance(given, FileSet):
        return [given]
    if given.is_folder:
        return [Path(given.text) / file.name for file in load_receipt(Path(given.text)).files]
    return [member.location for member in members_of(given)]


def _end(result: str, command: Sequence[str] = (), out: str = "") -> None:
    """Print the verdict of a command, and the next command, which writes a new file."""
    from neat_delta.base.shell import free_name
    from neat_delta.cli.common import console
    from neat_delta.views.verdict import next_command, verdict_view

    output = OutputOptions(as_json=False, quiet=False, no_colour=False)
    width = console(output).width
    show(verdict_view([result], width), output)
    if command:
        show(next_command(["neat-delta", "shop", *command, free_name(out)], width), output)


@shop_command.command("sell")
@click.argument("folder", type=FILE, metavar="DIR")
@option(VALUES, "--orders", type=WholeNumber(1), default=20, show_default=True, help="Number of orders.")
@option(VALUES, "--seed", type=WholeNumber(0), default=1, show_default=True, help="The same seed gives the same sales.")
def sell_command(folder: Path, orders: int, seed: int) -> int:
    """Sell some stock and change some prices, as happens in a shop while you edit."""
    from neat_delta.practice_shop import open_shop

    for line in open_shop(folder).sell(seed, orders):
        print_lines(line)
    return Exit.DONE


@shop_command.command("serve")
@click.argument("folder", type=FILE, metavar="DIR")
@option(
    OUTPUT, "--port", type=click.IntRange(0, 65535), default=8017, show_default=True, help="Port; 0 = any free one."
)
@option(OUTPUT, "--host", default="127.0.0.1", show_default=True, help="Address to listen on; 0.0.0.0 = all.")
def serve_command(folder: Path, port: int, host: str) -> int:
    """Serve the practice shop over HTTP until you press Ctrl+C: export, imports, jobs, import reports.

    /openapi.json describes the interface. If NEAT_DELTA_SHOP_TOKEN is set, requests must send this token.
    """
    from neat_delta.practice_shop import open_shop
    from neat_delta.practice_shop.server import ShopServer

    with ShopServer(open_shop(folder), port, host, os.environ.get(SHOP_TOKEN)) as server:
        print_lines(f"The practice shop runs at http://{host}:{server.server_port} (press Ctrl+C to stop)")
        try:
            server.serve_forever()
        except KeyboardInterrupt:
            print_lines("The practice shop has stopped.")
    return Exit.DONE

"""What the command shop does."""

from __future__ import annotations

import os
from importlib.resources import as_file, files
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.exit_codes import Exit
from neat_delta.base.shell import free_name
from neat_delta.cli.actions.screen import console, show
from neat_delta.cli.common import OutputOptions, print_lines
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.output_paths import check_outputs
from neat_delta.locations import FileSet
from neat_delta.locations.listing import members_of
from neat_delta.practice_shop import open_shop
from neat_delta.practice_shop.server import ShopServer
from neat_delta.practice_shop.shop import does_of, make_shop, results_csv
from neat_delta.reading import read_bytes, read_strict
from neat_delta.update.receipt import load_receipt_of
from neat_delta.views.formatting import pluralize
from neat_delta.views.verdict import next_command, verdict_view

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.locations import Location, Place
    from neat_delta.practice_shop.shop import Result

SHOP_TOKEN = "NEAT_DELTA_SHOP_TOKEN"


def open_command(folder: Path, export: Location | None, key: str, overwrite: bool) -> int:
    """Make a new practice shop in DIR; its settings are in DIR/shop.toml."""
    if export is not None:
        shop = make_shop(folder, read_strict(export), key, replace=overwrite)
    else:
        with as_file(files("neat_delta.demo_shop") / "live.csv") as source:
            shop = make_shop(folder, read_strict(source), key, replace=overwrite)
    print_lines(f"  settings    {folder}/shop.toml")
    _end(f"practice shop made in {folder}: {len(shop.items()):,} items", ["export", str(folder), "-o"], "live.csv")
    return Exit.DONE


def export_command(folder: Path, out: Path, overwrite: bool) -> int:
    """Export all items of the practice shop."""
    shop = open_shop(folder)  # whose files are inputs from now on
    check_outputs(out, replace=overwrite)
    write_atomic(out, shop.export(), replace=overwrite)
    _end(f"{len(shop.items()):,} items in {out}")
    return Exit.DONE


def import_command(folder: Path, files: tuple[Location, ...], import_report: Path | None, overwrite: bool) -> int:
    """Import files into the practice shop, one after another. The file name says what a file does."""
    check_outputs(import_report, replace=overwrite)
    shop = open_shop(folder)
    every: list[Result] = []
    for path in (one for given in files for one in _each_of(given)):
        taken = shop.import_file(read_bytes(path), does_of(path.name))
        every += taken.results
        bad = [answer for answer in taken.results if answer.result in ("failed", "skipped")]
        message = "; the import stopped half way" if taken.broken_off else ""
        print_lines(
            f"{path.name}: {pluralize(len(taken.results) - len(bad), 'row')} accepted, {len(bad):,} not{message}"
        )
        for answer in bad[:5]:
            print_lines(f"  line {answer.line}, {answer.code}: {answer.result}, {answer.reason}")
    if import_report is not None:
        write_atomic(import_report, results_csv(every), replace=overwrite)
    bad = [answer for answer in every if answer.result in ("failed", "skipped")]
    rows = f"{len(every) - len(bad):,} of {pluralize(len(every), 'row')} accepted"
    _end(rows, ["export", str(folder), "-o"], "after.csv")
    return Exit.ATTENTION if bad else Exit.DONE


def _each_of(given: Location) -> list[Place]:
    """The files that are meant: of an update those in its receipt, of a pattern those that fit it."""
    if not isinstance(given, FileSet):
        return [given]
    if given.is_folder:
        return [Path(given.text) / file.name for file in load_receipt_of(Path(given.text)).files]
    return [member.location for member in members_of(given)]


def _end(verdict: str, command: Sequence[str] = (), out: str = "") -> None:
    """Print the verdict of a command, and the next command, which writes a new file."""
    output = OutputOptions(as_json=False, quiet=False, no_colour=False)
    width = console(output).width
    show(verdict_view([verdict], width), output)
    if command:
        show(next_command(["neat-delta", "shop", *command, free_name(out)], width), output)


def sell_command(folder: Path, orders: int, seed: int) -> int:
    """Sell some stock and change some prices, as happens in a shop while you edit."""
    for line in open_shop(folder).sell(seed, orders):
        print_lines(line)
    return Exit.DONE


def serve_command(folder: Path, port: int, host: str) -> int:
    """Serve the practice shop over HTTP until you press Ctrl+C: export, imports, jobs, import reports."""
    with ShopServer(open_shop(folder), port, host, os.environ.get(SHOP_TOKEN)) as server:
        print_lines(f"The practice shop runs at http://{host}:{server.server_port} (press Ctrl+C to stop)")
        try:
            server.serve_forever()
        except KeyboardInterrupt:
            print_lines("The practice shop has stopped.")
    return Exit.DONE

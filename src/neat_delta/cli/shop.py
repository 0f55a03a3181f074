"""neat-delta shop: the practice shop."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

import click

from neat_delta.cli.common import FILE, REPLACE, SOURCE, print_lines
from neat_delta.cli.exits import Exit

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.practice_shop.shop import Result
    from neat_delta.remote import Location

SHOP_TOKEN = "NEAT_DELTA_SHOP_TOKEN"


@click.group("shop")
def shop_command() -> None:
    """The practice shop: a stand-in store on your own disk, with the ways of real ones, to try everything on."""


@shop_command.command("open")
@click.argument("folder", type=FILE, metavar="DIR")
@click.option("--from", "export", type=SOURCE, metavar="FILE", help="Fill it with this export; else with the demo's.")
@click.option("--key", default="sku", show_default=True, metavar="COLUMN", help="The column that names its items.")
@click.option("--replace", is_flag=True, help="Let a practice shop that is there begin anew.")
def open_command(folder: Path, export: Location | None, key: str, replace: bool) -> int:
    """Open a new practice shop in DIR; its ways are in DIR/shop.toml, to be changed at will."""
    from importlib.resources import as_file, files

    from neat_delta.practice_shop.shop import make_shop
    from neat_delta.reading import read_strict

    if export is not None:
        shop = make_shop(folder, read_strict(export), key, replace=replace)
    else:
        with as_file(files("neat_delta.demo_shop") / "live.csv") as source:
            shop = make_shop(folder, read_strict(source), key, replace=replace)
    print_lines(
        f"A practice shop with {len(shop.items()):,} items is open in {folder}; its ways are in {folder}/shop.toml."
    )
    return Exit.DONE


@shop_command.command("export")
@click.argument("folder", type=FILE, metavar="DIR")
@click.option("-o", "--out", type=FILE, required=True, metavar="FILE", help="Where the export goes.")
@REPLACE
def export_command(folder: Path, out: Path, replace: bool) -> int:
    """Export all items of the practice shop, as shops do."""
    from neat_delta.atomic_write import write_atomic
    from neat_delta.output_paths import check_outputs
    from neat_delta.practice_shop import open_shop

    shop = open_shop(folder)  # whose files are inputs from now on
    check_outputs(out, replace=replace)
    write_atomic(out, shop.export(), replace=replace)
    print_lines(f"{len(shop.items()):,} items in {out}")
    return Exit.DONE


@shop_command.command("import")
@click.argument("folder", type=FILE, metavar="DIR")
@click.argument("files", type=SOURCE, nargs=-1, required=True)
@click.option("--results", type=FILE, metavar="FILE", help="Put the result list into this file (CSV).")
@REPLACE
def import_command(folder: Path, files: tuple[Location, ...], results: Path | None, replace: bool) -> int:
    """Import files into the practice shop, one after another; what a file does is told by its name."""
    from neat_delta.atomic_write import write_atomic
    from neat_delta.output_paths import check_outputs
    from neat_delta.practice_shop import open_shop
    from neat_delta.practice_shop.shop import does_of, results_csv
    from neat_delta.reading import read_bytes

    check_outputs(results, replace=replace)
    shop = open_shop(folder)
    every: list[Result] = []
    for path in files:
        taken = shop.import_file(read_bytes(path), does_of(path.name))
        every += taken.results
        bad = [result for result in taken.results if result.result in ("failed", "skipped")]
        message = "; the import broke off half way" if taken.broken_off else ""
        print_lines(f"{path.name}: {len(taken.results) - len(bad):,} rows taken, {len(bad):,} not{message}")
        for result in bad[:5]:
            print_lines(f"  line {result.line}, {result.code}: {result.result}, {result.reason}")
    if results is not None:
        write_atomic(results, results_csv(every), replace=replace)
    return Exit.ATTENTION if any(result.result in ("failed", "skipped") for result in every) else Exit.DONE


@shop_command.command("sell")
@click.argument("folder", type=FILE, metavar="DIR")
@click.option("--orders", type=click.IntRange(min=1), default=20, show_default=True, help="How many orders come in.")
@click.option("--seed", type=int, default=1, show_default=True, help="The same seed sells the same things.")
def sell_command(folder: Path, orders: int, seed: int) -> int:
    """Let stock be sold and a colleague change some prices, so that the shop moves on while you edit."""
    from neat_delta.practice_shop import open_shop

    for line in open_shop(folder).sell(seed, orders):
        print_lines(line)
    return Exit.DONE


@shop_command.command("serve")
@click.argument("folder", type=FILE, metavar="DIR")
@click.option("--port", type=click.IntRange(0, 65535), default=8017, show_default=True, help="0: any that is free.")
@click.option("--host", default="127.0.0.1", show_default=True, help="On which address; others reach 0.0.0.0.")
def serve_command(folder: Path, port: int, host: str) -> int:
    """Serve the practice shop over HTTP until it is stopped (Ctrl+C): export, imports, jobs, result lists.

    /openapi.json tells how. If the variable NEAT_DELTA_SHOP_TOKEN is set, requests must carry it.
    """
    from neat_delta.practice_shop import open_shop
    from neat_delta.practice_shop.server import ShopServer

    with ShopServer(open_shop(folder), port, host, os.environ.get(SHOP_TOKEN)) as server:
        print_lines(f"The practice shop is open at http://{host}:{server.server_port} (stop it with Ctrl+C)")
        try:
            server.serve_forever()
        except KeyboardInterrupt:
            print_lines("The practice shop is closed.")
    return Exit.DONE

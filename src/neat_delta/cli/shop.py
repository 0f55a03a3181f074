"""neat-delta shop: the practice shop."""

from __future__ import annotations

import click

from neat_delta.base.options import MATCHING, OUTPUT, READING, VALUES
from neat_delta.cli.common import OVERWRITE
from neat_delta.cli.help import HelpfulGroup, done_in, option
from neat_delta.cli.param_types import FILE, SOURCE, WholeNumber


@click.group("shop", cls=HelpfulGroup)
def shop_command() -> None:
    """The practice shop: a test store on your own disk, to try everything on."""


@shop_command.command("open")
@click.argument("folder", type=FILE, metavar="DIR")
@option(READING, "--from", "export", type=SOURCE, metavar="FILE", help="Export to start with.  [default: the demo's]")
@option(MATCHING, "--key", default="sku", show_default=True, metavar="COLUMN", help="Column with the SKU.")
@option(OUTPUT, "--overwrite", is_flag=True, help="Replace an existing practice shop.")
@done_in("shop")
def open_command() -> None:
    """Make a new practice shop in DIR; its settings are in DIR/shop.toml."""


@shop_command.command("export")
@click.argument("folder", type=FILE, metavar="DIR")
@option(OUTPUT, "-o", "--out", type=FILE, required=True, metavar="FILE", help="Save the export here.")
@OVERWRITE
@done_in("shop")
def export_command() -> None:
    """Export all items of the practice shop."""


@shop_command.command("import")
@click.argument("folder", type=FILE, metavar="DIR")
@click.argument("files", type=SOURCE, nargs=-1, required=True)
@option(OUTPUT, "--import-report", type=FILE, metavar="FILE", help="Save the import report (CSV).")
@OVERWRITE
@done_in("shop")
def import_command() -> None:
    """Import files into the practice shop, one after another. The file name says what a file does.

    The folder of an update means its files, in their order.
    """


@shop_command.command("sell")
@click.argument("folder", type=FILE, metavar="DIR")
@option(VALUES, "--orders", type=WholeNumber(1), default=20, show_default=True, help="Number of orders.")
@option(VALUES, "--seed", type=WholeNumber(0), default=1, show_default=True, help="The same seed gives the same sales.")
@done_in("shop")
def sell_command() -> None:
    """Sell some stock and change some prices, as happens in a shop while you edit."""


@shop_command.command("serve")
@click.argument("folder", type=FILE, metavar="DIR")
@option(
    OUTPUT, "--port", type=click.IntRange(0, 65535), default=8017, show_default=True, help="Port; 0 = any free one."
)
@option(OUTPUT, "--host", default="127.0.0.1", show_default=True, help="Address to listen on; 0.0.0.0 = all.")
@done_in("shop")
def serve_command() -> None:
    """Serve the practice shop over HTTP until you press Ctrl+C: export, imports, jobs, import reports.

    /openapi.json describes the interface. If NEAT_DELTA_SHOP_TOKEN is set, requests must send this token.
    """

"""neat-delta send."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import click

from neat_delta.base.options import OUTPUT, SAFETY
from neat_delta.cli.common import OVERWRITE, bundle_options, catalogue_file, output_options
from neat_delta.cli.help import command, done_in, option
from neat_delta.cli.history import HISTORY
from neat_delta.cli.param_types import FILE, PLACE
from neat_delta.cli.request_options import request_options
from neat_delta.workflows.requests import SendRequest

if TYPE_CHECKING:
    from pathlib import Path


class AskingOptions(NamedTuple):
    """Whether anything is sent at all, whether a person is asked before, and where the shop's answer is saved."""

    dry_run: bool
    yes: bool
    import_report: Path | None
    overwrite: bool


def asking_options(command: Any) -> Any:
    """Add the options of ``AskingOptions`` to a command, as ``asking``."""
    options = (
        option(SAFETY, "--dry-run", is_flag=True, help="Show what would be sent, and send nothing."),
        option(
            SAFETY, "-y", "--yes", is_flag=True, help="Do not ask before sending; without a terminal nobody is asked."
        ),
        option(
            OUTPUT,
            "--import-report",
            common=True,
            type=FILE,
            metavar="FILE",
            help="Save the shop's import report (CSV).",
        ),
        OVERWRITE,
    )
    return bundle_options(AskingOptions, "asking", options, command)


@command(
    "send",
    "neat-delta send updates --to ftps://shop.example/import",
    "neat-delta send updates --to https://shop.example/api --import-report report.csv",
)
@click.argument("folder", type=FILE, metavar="DIR")
@option(
    OUTPUT,
    "--to",
    "place",
    common=True,
    type=PLACE,
    metavar="DESTINATION",
    help="A folder, also on a file server (ftp, ftps, sftp, webdav) or in an object store (s3); the http(s) "
    "address of the shop's interface; or a table of a database. Default: [send] to in catalogue.toml.",
)
@asking_options
@request_options(SendRequest)
@HISTORY
@catalogue_file
@output_options
@done_in("send")
def send_command() -> None:
    """Send a written update (DIR) to the shop, file by file in the right order.

    On a terminal it shows the files and asks once. It stops at the first file that the shop rejects. The history makes
    sure that nothing is sent twice, and that no value which another update has sent meanwhile is overwritten unseen.
    Passwords and tokens come from variables such as NEAT_DELTA_TOKEN_SHOP_EXAMPLE for shop.example, or from the
    system's keyring.
    """

"""What the command demo does."""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
import threading
from dataclasses import dataclass
from importlib.resources import as_file, files
from itertools import count
from pathlib import Path
from typing import TYPE_CHECKING

import click

from neat_delta.base.errors import WriteError
from neat_delta.base.exit_codes import Exit
from neat_delta.cli.common import print_lines
from neat_delta.files.own_process import command_words
from neat_delta.files.user_data import DATA
from neat_delta.practice_shop import open_shop
from neat_delta.practice_shop.server import ShopServer

if TYPE_CHECKING:
    from collections.abc import Sequence

FOLDER = Path("tansy-and-tallow")


FILES = (
    "live.csv",
    "edited.csv",
    "pellimoor.csv",
    "waxwendle.csv",
    "waxwendle.toml",
    "combwick.xlsx",
    "codes.csv",
    "quotes.csv",
    "nightly.toml",
)


SUPPLIER_FILE = (
    'compare live.csv pellimoor.csv --map "Our no.=supplier_code" --match-on supplier_code '
    '--map "Dealer net=cost" --set "price = ending(file.cost * 1.95, .95)" '
    "-o supplier.changes.jsonl --write updates-supplier"
)


# Blocks of the output that the short tour passes over.
OTHER_LABELS = ("live", "new", "missing", "sku", "warnings", "ignored", "one", "saved", "next", "or", "filled")


# The port in nightly.toml; another one is taken where somebody is listening on it.
PORT = 8017


def demo_command(folder: Path | None, step: bool, full: bool) -> int:
    """Take a short tour on demo data: compare, see what was caught, write with proof, undo."""
    folder = folder or (_free_name(FOLDER) if FOLDER.exists() else FOLDER)
    copy_files(folder)
    print_lines(f"Tansy & Tallow is a made-up beekeeping shop. Its files are in {folder}:")
    print_lines("  live.csv      the shop's export of this morning")
    print_lines("  edited.csv    a colleague's edited copy, with typical mistakes")
    tour = _Tour(folder, step)
    if full:
        _full_tour(tour)
    else:
        _short_tour(tour)
    return Exit.DONE


def _short_tour(tour: _Tour) -> None:
    """Two screens: what changed and what was caught; the proved update and the way back."""
    tour.run("compare live.csv edited.csv -o tuesday.changes.jsonl", keep=("rows", "field", "errors", "result"))
    tour.run("write tuesday.changes.jsonl -o updates", keep=("update", "proved", "result"))
    tour.run("undo tuesday.changes.jsonl -o updates-back", keep=("proved", "result"))
    print_lines("\nTry next:")
    print_lines(f"  cd {tour.folder}")
    print_lines("  neat-delta compare live.csv edited.csv")
    print_lines("  neat-delta preview tuesday.changes.jsonl --page review.html")
    print_lines("  neat-delta demo --full")


def _full_tour(tour: _Tour) -> None:
    print_lines("  pellimoor.csv   supplier price list with its own column names")
    print_lines("  waxwendle.csv   price list in another currency; its saved mapping is in waxwendle.toml")
    print_lines("  combwick.xlsx   supplier stock list; SKUs lost their leading zeros")
    print_lines("  codes.csv       old and new SKUs, with some mistakes")
    print_lines("  quotes.csv      open quotes")
    print_lines("  nightly.toml    settings for a nightly run")
    tour.run("compare live.csv edited.csv -o tuesday.changes.jsonl")
    tour.run("write tuesday.changes.jsonl -o updates")
    print_lines("\nNow a supplier file: columns are mapped, net prices become costs and prices.")
    tour.run(SUPPLIER_FILE)
    print_lines("\nWhat do the new costs do to margins and open quotes?")
    tour.run("preview supplier.changes.jsonl --money --quotes quotes.csv --limit 6")
    _send_and_undo(tour)
    print_lines(f"\nDone. In {tour.folder} there are now:")
    print_lines("  tuesday.changes.jsonl    the change set, one line per item")
    print_lines("  supplier.changes.jsonl   the change set of the supplier file")
    print_lines("  updates                  update files, in order, with receipt.json")
    print_lines("  updates/undo             undo files")
    print_lines("  updates-supplier         the same for the supplier file")
    print_lines("  updates-back             files that undid the first update")
    print_lines("  runs                     results of the nightly run")
    print_lines("  shop, history.sqlite     the practice shop, and what was sent to it")
    _try_next(tour)


def _try_next(tour: _Tour) -> None:
    program = _program()
    print_lines("\nTry next:")
    print_lines(f"  cd {tour.folder}")
    for command_line in (
        "preview tuesday.changes.jsonl --page review.html --charts charts",
        "preview tuesday.changes.jsonl --review review.xlsx    (mark its rows, then use pick)",
        "pick tuesday.changes.jsonl --only price -o prices.changes.jsonl",
        "refresh tuesday.changes.jsonl evening.csv -o evening.changes.jsonl",
        "history --history history.sqlite",
        "undo 1 -o back --fresh evening.csv --history history.sqlite",
        "compare live.csv edited.csv --status missing --status duplicate",
        'adjust live.csv --set "price = price * 1.05" --where "maker = \'Thrumhive\'" --ending .95',
        "compare live.csv waxwendle.csv --catalogue waxwendle.toml --profile waxwendle",
        "recode live.csv codes.csv",
        'compare live.csv combwick.xlsx --map "Your code=sku" --skip description '
        '--set "stock_barn = greatest(file.free - 5, 0)" --repair-skus',
        "compare live.csv edited.csv --blanks clear --write updates-2",
        "compare YOUR_EXPORT.csv YOUR_FILE.csv",
    ):
        print_lines(f"  {program} {command_line}")


def _send_and_undo(tour: _Tour) -> None:
    """Send the update to the practice shop over HTTP, verify it, undo it; then do all of it unattended."""
    print_lines("\nNow send it to a practice shop, a test store with the items of this morning.")
    tour.run("shop open shop --from live.csv")
    with _server(tour.folder / "shop") as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        address = f"http://127.0.0.1:{server.server_port}"
        print_lines(f"\n(It runs at {address} now, as with: neat-delta shop serve shop)")
        tour.run(f"send updates --to {address}")
        tour.run("shop export shop -o after.csv")
        tour.run("verify tuesday.changes.jsonl after.csv")
        print_lines("\nMeanwhile the shop sells. What nobody else has changed can still be undone:")
        tour.run("shop sell shop --orders 30", shown=4)
        tour.run("shop export shop -o evening.csv")
        tour.run("undo tuesday.changes.jsonl -o updates-back --fresh evening.csv")
        tour.run(f"send updates-back --to {address}")
        print_lines("\nThe same, automatically every night, from a supplier file to the shop, with a summary:")
        nightly = tour.folder / "nightly.toml"
        nightly.write_text(nightly.read_text("utf-8").replace(str(PORT), str(server.server_port)), "utf-8")
        tour.run("run nightly.toml", shown=17)
        server.shutdown()


def _server(shop: Path) -> ShopServer:
    """The practice shop on the port of nightly.toml, or on any that is free."""
    try:
        return ShopServer(open_shop(shop), port=PORT)
    except OSError:
        return ShopServer(open_shop(shop), port=0)


def _program() -> str:
    """What to type for this program: its name, or its full path where the name alone would not be found."""
    return "neat-delta" if shutil.which("neat-delta") else str(Path(sys.argv[0]).resolve())


def copy_files(folder: Path) -> None:
    """Copy the shop's files into a folder that is new or empty.

    Raises:
        WriteError: the folder holds anything, even an earlier demo: somebody may have worked with it.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        what = "the folder is not empty" if folder.is_dir() else "this is a file"
        raise WriteError(what, file=folder, hint=f"Use a new one: neat-delta demo {_free_name(folder)}")
    folder.mkdir(parents=True, exist_ok=True)
    for name in FILES:
        with as_file(files("neat_delta.demo_shop") / name) as source:
            shutil.copyfile(source, folder / name)


def _free_name(folder: Path) -> Path:
    """The folder's name with the first number behind it that is free."""
    folder = folder if folder.name else folder.resolve()
    numbered = (folder.with_name(f"{folder.name}-{number}") for number in count(2))
    return next(path for path in numbered if not path.exists())


@dataclass(frozen=True)
class _Tour:
    """Commands run in the demo's folder, each shown first as a person would type it."""

    folder: Path
    wait: bool

    def run(self, command_line: str, keep: Sequence[str] = (), shown: int | None = None) -> None:
        """Run a command; show only the blocks with these labels, or only so many lines, if they are given."""
        print_lines(f"\n$ neat-delta {command_line}")
        sys.stdout.flush()
        if self.wait and sys.stdin.isatty():
            click.pause("press Enter")
        call = command_words(*shlex.split(command_line))
        out = subprocess.PIPE if keep or shown else None
        # Practice has a history of its own.
        environment = os.environ | {DATA: ".", "PYTHONIOENCODING": "utf-8"} if out else os.environ | {DATA: "."}
        done = subprocess.run(
            call, cwd=self.folder, check=False, text=True, stdout=out, env=environment, encoding="utf-8"
        )
        if out:
            lines = done.stdout.splitlines()
            print_lines("\n".join(_blocks(lines, keep) if keep else _head(lines, shown or 0)))
        if done.returncode == Exit.ATTENTION:
            print_lines("  (exit code 1: done, something needs attention)")
        elif done.returncode:
            raise WriteError(f"the command ended with exit code {done.returncode}", file=self.folder)


def _head(lines: list[str], shown: int) -> list[str]:
    more = len(lines) - shown
    return [*lines[:shown], f"… and {more} more lines"] if more > 0 else lines


def _blocks(lines: list[str], labels: Sequence[str]) -> list[str]:
    """The lines of the blocks that begin with these labels; a block ends at a blank line, or where the next begins."""
    kept, inside = [], False
    for line in lines:
        first = line.split(" ", 3)[2] if line.startswith("  ") and line[2:3].strip() else ""
        if first in labels or first in OTHER_LABELS or not line.strip():
            inside = first in labels
        if inside:
            kept.append(line)
    return kept

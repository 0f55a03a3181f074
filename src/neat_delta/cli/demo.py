"""neat-delta demo."""

from __future__ import annotations

from itertools import count
from pathlib import Path
from typing import TYPE_CHECKING

import click

from neat_delta.cli.common import FILE, print_lines
from neat_delta.errors import WriteError
from neat_delta.exit_codes import Exit

if TYPE_CHECKING:
    from neat_delta.practice_shop.server import ShopServer

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
LIST = (
    'compare live.csv pellimoor.csv --map "Our no.=supplier_code" --match-on supplier_code '
    '--map "Dealer net=cost" --set "price = ending(list.cost * 1.95, .95)" '
    "--out list.changes.jsonl --write updates-list"
)
# The port in nightly.toml; another one is taken where somebody is listening on it.
PORT = 8017


@click.command("demo")
@click.argument("folder", type=FILE, required=False, metavar="[DIR]")
def demo_command(folder: Path | None) -> int:
    """Go the whole way on a made-up shop: two files in, a preview, a proved update out.

    The files of Tansy & Tallow, beekeeping supplies, are laid into DIR, a new folder (tansy-and-tallow, if not said
    otherwise, or tansy-and-tallow-2 where that is taken), and stay there to play with.
    """
    folder = folder or (_free_name(FOLDER) if FOLDER.exists() else FOLDER)
    lay(folder)
    print_lines(f"Tansy & Tallow, beekeeping supplies, is a made-up shop. Its files now lie in {folder}:")
    print_lines("  live.csv     what the shop exported this morning")
    print_lines("  edited.csv   what came back from a colleague's spreadsheet program, mishaps included")
    print_lines("  pellimoor.csv   what a supplier sends each quarter, in words of its own")
    print_lines("  waxwendle.csv   another supplier's list, in crowns; waxwendle.toml tells what is what in it")
    print_lines("  codes.csv    old and new item codes, a swap and a few mistakes among them")
    print_lines("  quotes.csv   offers that customers still have in their hands")
    print_lines("  nightly.toml   what a run without anybody does")
    print_lines("  combwick.xlsx   a third one's free stock, a workbook that lost the zeros of our codes")
    _run(folder, "compare live.csv edited.csv --out tuesday.changes.jsonl")
    _run(folder, "write tuesday.changes.jsonl -o updates")
    print_lines("\nNow the supplier's list: its columns are matched, its net prices become costs and prices.")
    _run(folder, LIST)
    print_lines("\nWhat do the new costs do to the margins, and to the offers that customers have in their hands?")
    _run(folder, "preview list.changes.jsonl --money --quotes quotes.csv --limit 6")
    _loop(folder)
    print_lines(f"\nThat was the whole way. In {folder} there are now:")
    print_lines("  tuesday.changes.jsonl   the change set, one line per item")
    print_lines("  list.changes.jsonl      the one of the supplier's list")
    print_lines("  updates                 the files to import, in order, with receipt.json")
    print_lines("  updates/undo            the files that put everything back")
    print_lines("  updates-list            the same for the supplier's list")
    print_lines("  updates-back            what put the first update back, as far as nobody else had changed it")
    print_lines("  runs                    what the run without anybody has left, its summary among it")
    print_lines("  shop, history.sqlite    the practice shop, and the history of what was sent to it")
    program = _program()
    print_lines("\nTry next:")
    print_lines(f"  cd {folder}")
    print_lines(f"  {program} preview tuesday.changes.jsonl --page review.html --charts pictures")
    print_lines(f"  {program} preview tuesday.changes.jsonl --review review.xlsx    (mark its rows, then pick)")
    print_lines(f"  {program} pick tuesday.changes.jsonl --only price --out prices.changes.jsonl")
    print_lines(f"  {program} refresh tuesday.changes.jsonl evening.csv --out evening.changes.jsonl")
    print_lines(f"  {program} history --history history.sqlite")
    print_lines(f"  {program} undo 1 -o back --fresh evening.csv --history history.sqlite    (what went first)")
    print_lines(f"  {program} compare live.csv edited.csv --status gone --status repeated")
    rule = '--set "price = price * 1.05" --where "maker = \'Thrumhive\'" --ending .95'
    print_lines(f"  {program} adjust live.csv {rule}")
    print_lines(f"  {program} compare live.csv waxwendle.csv --catalogue waxwendle.toml --profile waxwendle")
    print_lines(f"  {program} recode live.csv codes.csv")
    stock = '--map "Your code=sku" --skip description --set "stock_barn = greatest(list.free - 5, 0)"'
    print_lines(f"  {program} compare live.csv combwick.xlsx {stock} --repair-skus")
    print_lines(f"  {program} compare live.csv edited.csv --blanks clear --write updates-2")
    print_lines(f"  {program} compare YOUR_EXPORT.csv YOUR_SHEET.csv")
    return Exit.DONE


def _loop(folder: Path) -> None:
    """Send the update to the practice shop over HTTP, see that it arrived, and put it back."""
    import threading

    print_lines("\nAnd is it in the shop? A practice shop opens, a stand-in store with this morning's items.")
    _run(folder, "shop open shop --from live.csv")
    with _server(folder / "shop") as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        address = f"http://127.0.0.1:{server.server_port}"
        print_lines(f"\n(It is served at {address} meanwhile, as by: neat-delta shop serve shop)")
        _run(folder, f"send updates --to {address}")
        _run(folder, "shop export shop -o after.csv")
        _run(folder, "settle tuesday.changes.jsonl after.csv")
        print_lines("\nMeanwhile it sells. What nobody else has changed can still be put back:")
        _run(folder, "shop sell shop --orders 30", shown=4)
        _run(folder, "shop export shop -o evening.csv")
        _run(folder, "undo tuesday.changes.jsonl -o updates-back --fresh evening.csv")
        _run(folder, f"send updates-back --to {address}")
        print_lines("\nAll this can go by itself every night, from a supplier's list to the shop and a summary of it:")
        nightly = folder / "nightly.toml"
        nightly.write_text(nightly.read_text("utf-8").replace(str(PORT), str(server.server_port)), "utf-8")
        _run(folder, "run nightly.toml", shown=17)
        server.shutdown()


def _server(shop: Path) -> ShopServer:
    """The practice shop on the port of nightly.toml, or on any that is free."""
    from neat_delta.practice_shop import open_shop
    from neat_delta.practice_shop.server import ShopServer

    try:
        return ShopServer(open_shop(shop), port=PORT)
    except OSError:
        return ShopServer(open_shop(shop), port=0)


def _program() -> str:
    """What to type for this program: its name, or its full path where the name alone would not be found."""
    import shutil
    import sys

    return "neat-delta" if shutil.which("neat-delta") else str(Path(sys.argv[0]).resolve())


def lay(folder: Path) -> None:
    """Lay the shop's files into a folder that is new or empty.

    Raises:
        WriteError: the folder holds anything, an earlier demo included: somebody may have worked with it.
    """
    import shutil
    from importlib.resources import as_file, files

    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        what = "the folder is not empty" if folder.is_dir() else "this is a file"
        raise WriteError(what, file=folder, hint=f"Name a new one: neat-delta demo {_free_name(folder)}")
    folder.mkdir(parents=True, exist_ok=True)
    for name in FILES:
        with as_file(files("neat_delta.demo_shop") / name) as source:
            shutil.copyfile(source, folder / name)


def _free_name(folder: Path) -> Path:
    """The folder's name with the first number behind it that is free."""
    folder = folder if folder.name else folder.resolve()
    numbered = (folder.with_name(f"{folder.name}-{number}") for number in count(2))
    return next(path for path in numbered if not path.exists())


def _run(folder: Path, command: str, shown: int | None = None) -> None:
    """Run a command as a person would type it, in the demo's folder, showing it first, and so many of its lines."""
    import os
    import shlex
    import subprocess
    import sys

    from neat_delta.delivery.history import DATA

    print_lines(f"\n$ neat-delta {command}\n")
    sys.stdout.flush()
    call = [sys.executable, "-m", "neat_delta", *shlex.split(command)]
    out = None if shown is None else subprocess.PIPE
    # Practice has a history of its own.
    done = subprocess.run(call, cwd=folder, check=False, text=True, stdout=out, env=os.environ | {DATA: "."})
    if shown is not None:
        lines = done.stdout.splitlines()
        print_lines("\n".join([*lines[:shown], f"… and {len(lines) - shown} more lines" if len(lines) > shown else ""]))
    if done.returncode == Exit.ATTENTION:
        print_lines("\n  (exit code 1: done, and something was held back for a person to look at)")
    elif done.returncode:
        raise WriteError(f"the command ended with exit code {done.returncode}", file=folder)

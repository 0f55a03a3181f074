"""Takes the accidents and the honest edits of the demo shop through a real spreadsheet program, and counts.

    python benchmarks/edits_through_program.py [--language de] [--form csv] [--special] [--seed 5] [--only WORDS]

Each is made in a copy of the shop's export as a person with a program of that language types it; the program opens the
copy and saves it. Printed: accidents that are sent and not caught any more; honest edits that are stopped by more than
what the program itself did to an untouched copy, or of which cells are lost without a word; cells that nobody typed.
"""

from __future__ import annotations

import argparse
import csv
import io
import random
import tempfile
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING

from accidents import ACCIDENTS, is_caught
from honest_edits import HONEST
from round_trips import LOCALES, Export, Route, converted, same

from neat_delta import ChangeSet, compare, read

if TYPE_CHECKING:
    from collections.abc import Callable

    from edits import Row

    Edit = Callable[[list[Row], random.Random], set[tuple[str, str]] | None]

MONEY = ("price", "cost", "sale_price", "weight_kg")
NUMBERS = (*MONEY, "stock_main", "stock_barn")
UNTOUCHED = "untouched"


def edited_copy(
    live: list[Row], edit: Edit, route: Route, path: Path, seed: int
) -> tuple[Export, set[tuple[str, str]]]:
    """A copy with an edit in it, typed as in the route's language; and the cells that an accident hit."""
    rows, before = [dict(row) for row in live], {row["sku"]: row for row in live}
    planted = edit(rows, random.Random(seed)) or set()
    edits: dict[tuple[str, str], str] = {}
    for row in rows:
        was = before.get(row["sku"], {})
        for name, value in row.items():
            if value == was.get(name):
                continue
            edits[row["sku"], name] = "" if value == "(empty)" else value
            row[name] = value.replace(".", route.separator) if name in MONEY else value
    text = io.StringIO(newline="")
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(list(live[0]))
    writer.writerows(list(row.values()) for row in rows)
    path.write_text(text.getvalue(), "utf-8", newline="")
    return Export(path.with_name("live.csv"), path, "sku", edits), planted


def wrong_of(changes: ChangeSet, edits: dict[tuple[str, str], str], usual: set[tuple[str, str]]) -> list[str]:
    """What is wrong with the change set of an honest edit."""
    cells = {(key, field): now for key, field, _, now in changes.cells.rows()}
    errors = changes.findings.filter(level="error")
    asked = {one for one in errors.select("code", "field").unique().rows() if one not in usual}
    about = set(changes.findings.select("key", "field").rows())
    about_all = {key for key, field in about if field is None}
    stopped = set(errors.select("key", "field").rows())
    invented = [cell for cell in cells if cell not in edits and cell not in stopped]
    lost = [cell for cell in edits if cell not in cells and cell not in about and cell[0] not in about_all]
    altered = [
        cell
        for cell, value in edits.items()
        if cell in cells and not same("price" if cell[1] in NUMBERS else cell[1], cells[cell] or "", value)
    ]
    wrong = [f"asked {code}: {field}" for code, field in sorted(asked, key=str)]
    for what, hit in (("invented", invented), ("lost", lost), ("altered", altered)):
        wrong += [f"{what} {len(hit)} of {len(edits)}, such as {hit[0]}: {cells.get(hit[0])!r}"] if hit else []
    return wrong


def main() -> None:
    """Make the copies, have them saved, print what is wrong."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--language", default="de", choices=LOCALES)
    told.add_argument("--form", default="csv", choices=("csv", "xlsx", "ods"))
    told.add_argument("--special", action="store_true", help="dates and the like are recognised")
    told.add_argument("--then", default="", help="language of a colleague who opens and saves it once more")
    told.add_argument("--seed", type=int, default=5)
    told.add_argument("--only", default="", help="only what has these words in its name")
    options = told.parse_args()
    route = Route(options.language, options.special, options.form, then=options.then)
    text = (files("neat_delta.demo_shop") / "live.csv").read_text("utf-8")
    live = list(csv.DictReader(io.StringIO(text, newline="")))
    untouched: dict[str, Edit] = {UNTOUCHED: lambda _rows, _chance: None}
    chosen = {what: edit for what, edit in HONEST.items() if options.only in what}
    accidents = {what: edit for what, (edit, _) in ACCIDENTS.items() if options.only in what}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "live.csv").write_text(text, "utf-8", newline="")
        copies = {
            what: edited_copy(live, edit, route, folder / f"{at}.csv", options.seed)
            for at, (what, edit) in enumerate((untouched | chosen | accidents).items())
        }
        saved = dict(zip(copies, converted([copy for copy, _ in copies.values()], route, folder), strict=True))
        ours = read(folder / "live.csv")
        usual = set(compare(ours, read(saved[UNTOUCHED])).findings.filter(level="error").select("code", "field").rows())
        print(f"{route.name}: of an untouched copy {', '.join(map(str, sorted(usual))) or 'nothing'} is said")
        count = 0
        for what in untouched | chosen:
            wrong = wrong_of(compare(ours, read(saved[what])), copies[what][0].edits, usual)
            count += any(each.startswith("asked") for each in wrong)
            print("".join(f"  {what}: {each}\n" for each in wrong), end="", flush=True)
        missed = []
        for what in accidents:
            changes = compare(ours, read(saved[what]))
            sent = {*changes.cells.select("key", "field").iter_rows()} & copies[what][0].edits.keys()
            if sent and not is_caught(changes.findings, copies[what][1], ACCIDENTS[what][1]):
                missed.append(what)
        print(f"{count} of {len(chosen)} honest edits are asked; accidents missed: {', '.join(missed) or 'none'}")


if __name__ == "__main__":
    main()

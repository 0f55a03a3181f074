"""Plants accidents in the demo shop, each many times by seed, and counts what the checks catch; honest edits as well.

    python benchmarks/accidents.py [--times 20]

Prints a table: of the accidents planted how many are caught, meaning that a finding of level stop or a repair names at
least nine of ten of their cells or their whole rows (a warning, where a warning is all that is wanted); and of honest
edits how many are stopped.
"""

from __future__ import annotations

import argparse
import csv
import io
import random
import re
import tempfile
from decimal import Decimal
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl
from edits import Edit, Row, block, number, some
from honest_edits import HONEST

from neat_delta.changeset.findings import REPAIR
from neat_delta.checks import run_checks
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair
from neat_delta.tables import field_name
from neat_delta.tables.settings import Settings

if TYPE_CHECKING:
    from collections.abc import Callable

CAUGHT = 0.9
# What sells at a loss, or dearer in the sale, is asked for whatever was meant: these are limits, and no guesses.
LIMITS = {"below cost", "sale below cost", "sale price too high"}


def each(name: str, change: Callable[[str], str], count: int = 8) -> Edit:
    """An accident of single cells: some values of a field are changed so."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        touched = set()
        for row in some(rows, chance, name, count):
            now = change(row[name])
            if now != row[name]:
                touched.add((row["sku"], name))
                row[name] = now
        return touched

    return edit


def sorted_alone(name: str) -> Edit:
    """One column is sorted, the others stay."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        values = sorted((row[name] for row in rows), reverse=chance.random() < 0.5)
        moved = {(row["sku"], name) for row, value in zip(rows, values, strict=True) if row[name] != value}
        for row, value in zip(rows, values, strict=True):
            row[name] = value
        return moved

    return edit


def shifted_down(name: str) -> Edit:
    """A column's values move one row down from somewhere on."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        start = chance.randrange(len(rows) // 2)
        values = [row[name] for row in rows]
        touched = set()
        for at in range(start + 1, len(rows)):
            if rows[at][name] != values[at - 1] and values[at - 1]:
                touched.add((rows[at]["sku"], name))
            rows[at][name] = values[at - 1]
        return touched

    return edit


def dragged(name: str) -> Edit:
    """A fill handle is dragged: numbers count on."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        part = block(rows, chance)
        start = Decimal(part[0][name])
        before = {row["sku"]: row[name] for row in part}
        for at, row in enumerate(part[1:], start=1):
            row[name] = str(start + at)
        return {(row["sku"], name) for row in part[1:] if row[name] != before[row["sku"]]}

    return edit


def filled(name: str) -> Edit:
    """The value of the row above is filled down over others."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        part = block(rows, chance)
        touched = {(row["sku"], name) for row in part[1:] if row[name] != part[0][name]}
        for row in part[1:]:
            row[name] = part[0][name]
        return touched

    return edit


def together(*names: str) -> list[str]:
    """Columns that an accident hits together."""
    return list(names)


def rearranged(names: list[str], order: Callable[[list[Row], random.Random], list[int]]) -> Edit:
    """Some columns get the contents of other rows, the rest of the rows stays; ``order`` says of which rows."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        before = [dict(row) for row in rows]
        touched = set()
        for row, source in zip(rows, order(before, chance), strict=True):
            for name in names:
                if source >= 0 and row[name] != before[source][name]:
                    if row[name] and before[source][name]:
                        touched.add((row["sku"], name))
                    row[name] = before[source][name]
        return touched

    return edit


def sort_of(name: str) -> Callable[[list[Row], random.Random], list[int]]:
    """The order of a sort by a column."""
    return lambda rows, chance: sorted(range(len(rows)), key=lambda at: rows[at][name], reverse=chance.random() < 0.5)


def sort_of_part(name: str) -> Callable[[list[Row], random.Random], list[int]]:
    """The order of a sort of forty rows only."""

    def order(rows: list[Row], chance: random.Random) -> list[int]:
        start = chance.randrange(len(rows) - 40)
        part = sorted(range(start, start + 40), key=lambda at: rows[at][name])
        return [*range(start), *part, *range(start + 40, len(rows))]

    return order


def pulled_up(rows: list[Row], chance: random.Random) -> list[int]:
    """Some cells are deleted and those below move up."""
    start, gone = chance.randrange(len(rows) // 2), chance.randrange(1, 4)
    return [at + gone if at >= start and at + gone < len(rows) else at for at in range(len(rows))]


def pushed_down(rows: list[Row], chance: random.Random) -> list[int]:
    """Cells are inserted and those below move down."""
    start, more = chance.randrange(len(rows) // 2), chance.randrange(1, 4)
    return [at - more if at >= start + more else at for at in range(len(rows))]


def exchanged(count: int) -> Callable[[list[Row], random.Random], list[int]]:
    """The contents of two or three rows change places."""

    def order(rows: list[Row], chance: random.Random) -> list[int]:
        hit = chance.sample(range(len(rows)), count)
        to = dict(zip(hit, [*hit[1:], hit[0]], strict=True))
        return [to.get(at, at) for at in range(len(rows))]

    return order


def from_above(rows: list[Row], chance: random.Random) -> list[int]:
    """A row is filled down over the rows below it."""
    start = chance.randrange(len(rows) - 12)
    return [start if start < at < start + 12 else at for at in range(len(rows))]


def dragged_text(name: str) -> Edit:
    """A text that ends in a number is dragged down and counts on."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        part = block(rows, chance)
        part[0][name] = part[0][name] or "M 31"
        stem = part[0][name].rstrip("0123456789")
        number_at = part[0][name][len(stem) :] or "1"
        touched = set()
        for at, row in enumerate(part[1:], start=1):
            now = f"{stem}{int(number_at) + at:0{len(number_at)}}"
            if row[name] and row[name] != now:
                touched.add((row["sku"], name))
            row[name] = now
        return touched

    return edit


def two_shifted(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """Two cells of a row move one column to the right."""
    names = list(rows[0])
    touched = set()
    usable = [row for row in rows if row["name"] and row[names[names.index("name") + 1]]]
    for row in chance.sample(usable, 3):
        at = names.index("name")
        before = dict(row)
        row[names[at + 1]], row[names[at + 2]] = before[names[at]], before[names[at + 1]]
        touched |= {
            (row["sku"], names[at + step]) for step in (1, 2) if row[names[at + step]] != before[names[at + step]]
        }
    return touched


def split(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """Names are split at their commas into the next columns."""
    names = list(rows[0])
    at = names.index("name")
    touched = set()
    for row in chance.sample([row for row in rows if "," in row["name"]], 8):
        for step, part in enumerate(row["name"].split(",")):
            name = names[at + step]
            if row[name] and row[name] != part.strip():
                touched.add((row["sku"], name))
            row[name] = part.strip()
    return touched


def inside_words(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """A replacement that was meant for a word hits parts of others, in any case of letters."""
    old, new = chance.choice([("comb", "grid"), ("pine", "larch"), ("bee", "wasp")])
    touched = set()
    for row in rows:
        for name in ("name", "description", "maker"):
            now = re.sub(old, new, row[name], flags=re.IGNORECASE)
            if now != row[name]:
                if re.search(rf"(?i)\w{old}|{old}\w", row[name]) or name != "name":
                    touched.add((row["sku"], name))
                row[name] = now
    return touched


def digits(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """Digits are replaced wherever they stand in a column of prices, costs and weights."""
    old = str(chance.randrange(1, 10)) + str(chance.randrange(0, 10))
    new = str((int(old) + 11) % 90 + 10)
    touched = set()
    for row in rows:
        for name in ("price", "cost", "name"):
            now = row[name].replace(old, new)
            if now != row[name] and name != "name":
                touched.add((row["sku"], name))
            row[name] = now
    return touched


def shifted_right(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """Some rows move one column to the right from the name on."""
    names = list(rows[0])
    touched = set()
    for row in some(rows, chance, "name", 4):
        start = names.index("name")
        before = dict(row)
        for left, right in zip(names[start:], names[start + 1 :], strict=False):
            row[right] = before[left]
        touched.add((row["sku"], ""))
    return touched


def cut(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """Descriptions lose what is behind their fortieth character."""
    touched = set()
    for row in some(rows, chance, "description", 30):
        if len(row["description"]) > 40:
            touched.add((row["sku"], "description"))
            row["description"] = row["description"][:40]
    return touched


def replaced(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """A word is replaced in every column."""
    word = chance.choice(["brass", "steel", "pine"])
    touched = set()
    for row in rows:
        for name in ("name", "description", "picture_1"):
            if word in row[name]:
                row[name] = row[name].replace(word, "copper")
                if name != "name":
                    touched.add((row["sku"], name))
    return touched


def one(name: str, change: Callable[[str], str]) -> Edit:
    """A slip in one cell."""
    return each(name, change, 1)


def doubled(text: str) -> str:
    """UTF-8 read as Windows-1252."""
    return text.encode().decode("cp1252", "replace")


def replaced_in(name: str, old: str, new: str, honest_ones: int = 4) -> Edit:
    """Search and replace in one column, beside a few honest edits of it."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        touched = set()
        for row in rows:
            now = row[name].replace(old, new)
            if now != row[name]:
                touched.add((row["sku"], name))
                row[name] = now
        for row in chance.sample([row for row in rows if (row["sku"], name) not in touched], honest_ones):
            row[name] = number("1.1")(row[name]) if "." in row[name] else str(int(row[name] or 0) + 7)
        return touched

    return edit


def words_replaced(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """A replacement that does not heed case and word ends, in one column."""
    touched = set()
    for row in rows:
        now = re.sub("(?i)quen", "ash", row["maker"])
        if now != row["maker"]:
            touched.add((row["sku"], "maker"))
            row["maker"] = now
    return touched


def one_value(name: str, count: int) -> Edit:
    """One value is filled over several other ones."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        part = block([row for row in rows if row[name]], chance, count)
        touched = {(row["sku"], name) for row in part if row[name] != part[0][name]}
        for row in part:
            row[name] = part[0][name]
        return touched

    return edit


def keys_moved(count: int, *, ring: bool = True) -> Edit:
    """SKUs change places, or move down by a row, while the other cells stay."""

    def edit(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
        hit = chance.sample(rows, count) if count <= 3 else block(rows, chance, count)
        keys = [row["sku"] for row in hit]
        for row, key in zip(hit, [*keys[1:], keys[0]] if ring else [*keys[1:], "009999"], strict=True):
            row["sku"] = key
        return {(key, "") for key in keys[1:]}

    return edit


def columns_shifted(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """Two columns change places in all rows."""
    touched = set()
    for row in rows:
        if row["price"] != row["cost"] and row["cost"]:
            touched |= {(row["sku"], "price"), (row["sku"], "cost")}
            row["price"], row["cost"] = row["cost"], row["price"]
    return touched


def two_forms(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """Prices of thousands in two forms."""
    hit = chance.sample(rows, 2)
    hit[0]["price"], hit[1]["price"] = "1,234.50", "1.234,50"
    return {(row["sku"], "price") for row in hit}


def other_spelling(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """A value in another spelling than all other items have it."""
    row = some(rows, chance, "colour", 1)[0]
    row["colour"] = row["colour"].upper()
    return {(row["sku"], "colour")}


def sparse_rows_moved(rows: list[Row], chance: random.Random) -> set[tuple[str, str]]:
    """Two rows exchange all but their SKU, sparse and few-valued columns as well."""
    names = [name for name in rows[0] if name not in ("sku", "item_id")]
    return rearranged(names, exchanged(2))(rows, chance) or set()


ACCIDENTS: dict[str, tuple[Edit, str]] = {
    "barcode as a power of ten": (each("gtin", lambda text: f"{float(text):.2E}"), "error"),
    "supplier code turned into a date": (each("supplier_code", lambda _text: "03/04/26"), "error"),
    "accents doubled": (each("name", lambda text: doubled(text + " ½")), "error"),
    "formula error": (each("description", lambda _text: "#REF!"), "error"),
    "text of a formula": (each("bin", lambda _text: "=A2&B2"), "error"),
    "column of prices sorted": (sorted_alone("price"), "error"),
    "column of names sorted": (sorted_alone("name"), "error"),
    "column of bins sorted": (sorted_alone("bin"), "error"),
    "names shifted down by a row": (shifted_down("name"), "error"),
    "costs shifted down by a row": (shifted_down("cost"), "error"),
    "stock dragged down": (dragged("stock_main"), "error"),
    "price dragged down": (dragged("price"), "error"),
    "name filled down": (filled("name"), "error"),
    "barcode filled down": (filled("gtin"), "error"),
    "price filled down": (filled("price"), "warning"),
    "five columns sorted": (
        rearranged(together("name", "maker", "category", "price", "active"), sort_of("name")),
        "error",
    ),
    "price and flags sorted": (rearranged(together("price", "colour", "active"), sort_of("price")), "error"),
    "forty rows of four columns sorted": (
        rearranged(together("price", "maker", "colour", "stock_main"), sort_of_part("price")),
        "error",
    ),
    "makers sorted alone": (rearranged(together("maker"), sort_of("maker")), "error"),
    "category and maker sorted": (rearranged(together("category", "maker"), sort_of("category")), "error"),
    "cells deleted, those below up": (rearranged(together("maker", "category", "price", "colour"), pulled_up), "error"),
    "few-valued cells pulled up": (rearranged(together("maker", "category"), pulled_up), "error"),
    "cells pushed down": (rearranged(together("name", "active", "category", "maker"), pushed_down), "error"),
    "two rows exchanged": (
        rearranged(together("name", "maker", "price", "cost", "category", "description"), exchanged(2)),
        "error",
    ),
    "three rows exchanged": (rearranged(together("name", "price", "cost", "category"), exchanged(3)), "error"),
    "five columns filled down": (
        rearranged(together("name", "maker", "price", "category", "colour"), from_above),
        "error",
    ),
    "codes dragged down": (dragged_text("supplier_code"), "error"),
    "names dragged down": (dragged_text("name"), "error"),
    "two cells shifted": (two_shifted, "error"),
    "names split into columns": (split, "error"),
    "replacement inside words": (inside_words, "warning"),
    "digits replaced in numbers": (digits, "error"),
    "rows shifted by a column": (shifted_right, "error"),
    "descriptions cut at 40": (cut, "error"),
    "search and replace in all columns": (replaced, "warning"),
    "price × 10": (one("price", number("10")), "error"),
    "price × 100, decimal separator lost": (one("price", number("100")), "error"),
    "price ÷ 10": (one("price", number("0.1")), "error"),
    "price below cost": (one("price", number("0.4")), "error"),
    "price zero": (one("price", lambda _text: "0.00"), "error"),
    "cost negative": (one("cost", number("-1")), "error"),
    "stock negative": (one("stock_main", lambda _text: "-3"), "error"),
    "barcode typed as stock": (one("stock_main", lambda _text: "9520000000004"), "error"),
    "sale price above price": (one("sale_price", number("3")), "error"),
    "category misspelt": (one("category", lambda text: text[:-1]), "error"),
    "price + 80 %": (one("price", number("1.8")), "warning"),
    "2 became 3 in stock, beside honest edits": (replaced_in("stock_main", "2", "3"), "error"),
    "9 became 4 in prices, beside honest edits": (replaced_in("price", "9", "4"), "error"),
    "part of a word replaced in makers": (words_replaced, "error"),
    "a bin dragged over different ones": (dragged_text("bin"), "error"),
    "one code over eight": (one_value("supplier_code", 8), "error"),
    "one bin over eight": (one_value("bin", 9), "error"),
    "one price over twelve": (one_value("price", 12), "error"),
    "two SKUs exchanged": (keys_moved(2), "error"),
    "three SKUs exchanged": (keys_moved(3), "error"),
    "SKUs one row down": (keys_moved(20, ring=False), "error"),
    "price and cost exchanged": (columns_shifted, "error"),
    "numbers in two forms": (two_forms, "error"),
    "another spelling": (other_spelling, "warning"),
    "rows exchanged whole": (sparse_rows_moved, "error"),
}


# The same shop's headers in a language of which no word says what a check could go by.
PLAIN_HEADERS = {
    "sku": "SKU", "item_id": "Lfd", "item_type": "Art", "name": "Bezeichnung", "description": "Text",
    "maker": "Haus", "supplier_code": "Bestellzeichen", "category": "Gruppe", "price": "VK", "cost": "EK",
    "sale_price": "Aktion", "tax_class": "Steuer", "stock_main": "Lager", "stock_barn": "Scheune", "bin": "Fach",
    "active": "Sichtbar", "added": "Seit", "gtin": "EAN", "weight_kg": "kg", "colour": "Farbe", "tags": "Merkmale",
    "picture_1": "Foto", "picture_2": "Foto 2", "related": "Passt zu",
}  # fmt: skip


def findings(
    live: list[Row], edited: list[Row], folder: Path, headers: dict[str, str] | None = None
) -> tuple[pl.DataFrame, int]:
    """What the checks find, and how many cells change."""
    names = headers or {}
    for name, rows in (("live.csv", live), ("edited.csv", edited)):
        text = io.StringIO(newline="")
        writer = csv.writer(text, lineterminator="\n")
        writer.writerow([names.get(header, header) for header in live[0]])
        writer.writerows(list(row.values()) for row in rows)
        (folder / name).write_text(text.getvalue(), "utf-8", newline="")
    ours, theirs = read_pair(folder / "live.csv", folder / "edited.csv")
    seen = compare(ours, theirs, CompareOptions())
    every = pl.concat([seen.changes.findings, run_checks(seen.changes, ours, Settings())])
    back = {field_name(name): header for header, name in names.items()}
    return every.with_columns(pl.col("field").replace(back)), len(seen.changes.cells)


def is_caught(found: pl.DataFrame, planted: set[tuple[str, str]], level: str) -> bool:
    """Whether the findings name nine of ten of the planted cells."""
    heavy = found.filter(
        (pl.col("level") == "error") | (pl.col("effect") == REPAIR) | (pl.col("level") == (level or "error"))
    )
    cells = set(heavy.select("key", "field").iter_rows())
    whole = {key for key, field in cells if field is None}
    hit = sum(
        (key, field) in cells or key in whole or (not field and any(key == code for code, _ in cells))
        for key, field in planted
    )
    return hit >= CAUGHT * len(planted)


def main() -> None:
    """Plant, count, print."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--times", type=int, default=20)
    told.add_argument("--headers", choices=("demo", "other"), default="demo", help="names of the columns")
    told.add_argument("--only", default="", help="only what has these words in its name")
    options = told.parse_args()
    times, headers = options.times, PLAIN_HEADERS if options.headers == "other" else None
    text = (files("neat_delta.demo_shop") / "live.csv").read_text("utf-8")
    live = list(csv.DictReader(io.StringIO(text, newline="")))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        print(f"| accident | caught of {times} |\n|---|---|")
        for what, (edit, level) in ACCIDENTS.items():
            if options.only not in what:
                continue
            caught = planted_times = 0
            for seed in range(times):
                rows = [dict(row) for row in live]
                planted = edit(rows, random.Random(seed)) or set()
                planted_times += bool(planted)
                caught += bool(planted) and is_caught(findings(live, rows, folder, headers)[0], planted, level)
            print(f"| {what} | {caught}{'' if planted_times == times else f' (of {planted_times})'} |", flush=True)
        print(f"\n| honest edit | stopped of {times} | questions |\n|---|---|---|")
        guessed = limited = several = 0
        for what, edit in HONEST.items():
            if options.only not in what:
                continue
            stopped, questions = 0, set()
            for seed in range(times):
                rows = [dict(row) for row in live]
                edit(rows, random.Random(seed))
                errors = findings(live, rows, folder, headers)[0].filter(level="error")
                stopped += not errors.is_empty()
                questions |= {f"{code}: {field}" for code, field in errors.select("code", "field").unique().rows()}
            print(f"| {what} | {stopped} | {', '.join(sorted(questions))} |", flush=True)
            codes = {question.partition(":")[0] for question in questions}
            guessed, limited = guessed + bool(codes - LIMITS), limited + bool(codes and not codes - LIMITS)
            several += len(questions) > 1
        print(f"\nOf {len(HONEST)} kinds {guessed} are asked by a guess, {limited} by limits of money alone; ", end="")
        print(f"{several} need more than one answer.")


if __name__ == "__main__":
    main()

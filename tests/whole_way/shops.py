"""Small shops with every feature at once, what a person does to a sheet of one, and what the shop must hold then.

The reference: it knows nothing of the program, only what its documentation promises.
"""

from __future__ import annotations

import random
from copy import deepcopy
from dataclasses import dataclass, field

from helpers import Table, read_rows

NAMES = ["sku", "item_id", "name", "price", "stock", "cost", "grade", "tags", "related", "note", "slot", "kept_by"]
Items = dict[str, dict[str, str]]
WORDS = ["Larch", "Cedar", "Pine", "Brass", "Steel", "Copper", "Oak", "Willow", "Wicker", "Linen", "Slate", "Amber"]
THINGS = ["hive", "feeder", "smoker", "veil", "brush", "strainer", "jar", "mould", "ladder", "stand", "cage", "press"]


@dataclass
class Features:
    """What the shop of an example has."""

    identity: bool
    leaves: bool
    comma: bool
    names: bool
    constant: bool
    parts: bool
    adds: bool
    clear: bool
    one_file: bool


@dataclass
class Example:
    """A live shop, its settings, the sheet of a person, and what is to become of it.

    ``typed``: cells that the person edits (SKU in the shop, field); ``refused``: cells (key, field) that the settings
    forbid; ``new_codes``: old to new SKU.
    """

    seed: int
    has: Features
    live: Items
    sheet: list[dict[str, str]] = field(default_factory=list)
    after: Items = field(default_factory=dict)
    typed: set[tuple[str, str]] = field(default_factory=set)
    refused: set[tuple[str, str]] = field(default_factory=set)
    deleted: set[str] = field(default_factory=set)
    new_codes: dict[str, str] = field(default_factory=dict)

    @property
    def catalogue(self) -> str:
        """The settings file."""
        lines = ['key = "sku"', *(['identity = "item_id"'] if self.has.identity else [])]
        lines += ["[fields.cost]", "locked = true", "[fields.grade]", 'type = "choice"', 'allowed = ["A", "B", "C"]']
        lines += ["[fields.tags]", 'separator = "|"', "[fields.related]", 'type = "item link"', 'separator = "|"']
        lines += ["[fields.note]", 'type = "text"', "[fields.slot]", 'type = "code"', "[fields.price]", "decimals = 2"]
        lines += ["[import]", *(['blank = "leaves"', 'marker = "(none)"'] if self.has.leaves else [])]
        lines += ['decimal = ","', 'delimiter = "semicolon"'] if self.has.comma else []
        lines += ['names = {price = "Verkaufspreis"}'] if self.has.names else []
        lines += ['constants = {changes = {action = "update"}}'] if self.has.constant else []
        lines += ["rows = 3"] if self.has.parts else []
        lines += ["[refresh]", *(['difference = ["stock"]'] if self.has.adds else [])]
        # These are about what looks odd; here everything is meant.
        lines += ["[checks]", 'ignore = ["column out of step", "below cost", "filled down", "fill series"]']
        return "\n".join(lines) + "\n"

    @property
    def options(self) -> list[str]:
        """What the person says to ``compare``."""
        words = ["--add-new", "--delete-missing", "20", "--pack", "one-file" if self.has.one_file else "exact"]
        return words + (["--blanks", "clear"] if self.has.clear else [])


def table_of(items: Items) -> Table:
    """A table of items, in their order."""
    return [NAMES, *([row[name] for name in NAMES] for row in items.values())]


def example_of(seed: int) -> Example:
    """A shop and the work of a person, by chance."""
    chance = random.Random(seed)
    has = Features(*(chance.random() < 0.5 for _ in range(9)))
    codes = [f"0{chance.randrange(10)}{at:02}" if at % 2 else f"KT-{at}" for at in range(1, 15)]
    live = {
        code: {
            "sku": code,
            "item_id": str(7001 + at),
            "name": f"{WORDS[at % 12]} {THINGS[at * 5 % 12]} no. {at + 30}",
            "price": f"{chance.randrange(1000, 9000) / 100:.2f}",
            "stock": str(chance.randrange(3, 40)),
            "cost": f"{chance.randrange(100, 900) / 100:.2f}",
            "grade": chance.choice("ABC"),
            "tags": "|".join(sorted(chance.sample(["gift", "new", "bulk", "own"], chance.randrange(3)))),
            "related": "|".join(sorted(chance.sample(codes, chance.randrange(3)))),
            "note": chance.choice(["", "as is", 'ask Ida; "Bo" knows', "two\nlines"]),
            "slot": f"{chance.randrange(100):04}",
            "kept_by": chance.choice(["Ida", "Bo"]),
        }
        for at, code in enumerate(codes)
    }
    example = Example(seed, has, live)
    work_on(example, chance)
    return example


def work_on(example: Example, chance: random.Random) -> None:
    """A person edits cells, adds, deletes and renames items; ``after`` is what the shop must hold then."""
    rows, after = deepcopy(example.live), deepcopy(example.live)
    for code in chance.sample(list(rows), 9):
        name = chance.choice(["price", "stock", "cost", "grade", "tags", "note", "note", "slot", "name", "related"])
        row, shop = rows[code], after[code]
        typed, meant = edited(row[name], name, chance, example)
        row[name] = typed
        example.typed.add((code, name))
        if meant is None:
            example.refused.add((code, name))
        else:
            shop[name] = meant
    loose = [code for code in rows if not any(code == one for one, _ in example.refused)]
    for code in chance.sample(loose, chance.randrange(3)):
        if any(code in row["related"].split("|") for row in after.values()):
            continue  # (a link into nothing is another matter)
        del rows[code], after[code]
        example.deleted.add(code)
    if example.has.identity:
        rename(example, rows, after, chance)
    for at in range(chance.randrange(3)):
        new = dict.fromkeys(NAMES, "") | {"sku": f"N{at}-{example.seed % 90}", "name": f"{WORDS[at]} news {at}"}
        new |= {"item_id": str(9001 + at), "price": "12.50", "stock": "4", "cost": "3.10", "grade": "A", "slot": "0007"}
        rows[new["sku"]], after[new["sku"]] = new, dict(new)
    sheet = [dict(row) for row in rows.values()]
    chance.shuffle(sheet)
    example.sheet, example.after = sheet, after


def edited(old: str, name: str, chance: random.Random, example: Example) -> tuple[str, str | None]:
    """What is typed into a cell, and what the shop must hold then; ``None`` where the settings forbid it."""
    if name == "cost":
        return f"{float(old) + 0.1:.2f}", None
    if name == "grade":
        new = chance.choice("ABCX")
        return new, None if new == "X" else new
    if name == "price":
        new = f"{float(old) * chance.choice([0.9, 1.05, 1.2]):.2f}"
        return new, new
    if name == "stock":
        new = str(int(old) + chance.choice([-3, 8, 1]))
        return new, new
    if name == "tags":
        new = "|".join(sorted({*filter(None, old.split("|")), "sale"}))
        return new, new
    if name == "related":
        new = chance.choice(list(example.live))
        return new, new
    if name == "note":
        new = chance.choice(["(empty)", "", 'fresh; from "Ida"', "line\nand line"])
        emptied = new == "(empty)" or (new == "" and example.has.clear)
        return new, "" if emptied else new or old
    new = f"{old}1" if name == "slot" else f"{old} b"
    return new, new


def rename(example: Example, rows: Items, after: Items, chance: random.Random) -> None:
    """New SKUs, sometimes in a ring; links of all items follow, and a typed one whose SKU nobody has any more."""
    some = chance.sample(list(after), 3)
    how = chance.choice(["none", "one", "ring", "chain"])
    if how == "one":
        example.new_codes = {some[0]: f"R-{example.seed % 90}"}
    elif how == "chain":
        example.new_codes = {some[0]: some[1], some[1]: f"R-{example.seed % 90}"}
    elif how == "ring":
        example.new_codes = {some[0]: some[1], some[1]: some[2], some[2]: some[0]}
    renamed = set(example.new_codes)
    gone = renamed - set(example.new_codes.values())
    for items, links_follow in ((rows, False), (after, True)):
        moved = list(items.items())
        items.clear()
        for code, row in moved:
            new = example.new_codes.get(code, code)
            items[new] = row | {"sku": new}
            if links_follow:
                before = example.live[code]["related"].split("|")
                links = [
                    example.new_codes[link] if link in gone or (link in renamed and link in before) else link
                    for link in row["related"].split("|")
                ]
                items[new]["related"] = "|".join(links)


def imported(example: Example, items: Items, files: list) -> Items:
    """The items of a shop that takes these files as the settings say that it does; nothing of the program is used."""
    items = deepcopy(items)
    form = {"delimiter": ";"} if example.has.comma else {}
    for path in files:
        header, *lines = read_rows(path, **form)
        columns = ["price" if name == "Verkaufspreis" else name for name in header]
        for line in lines:
            row = dict(zip(columns, line, strict=True))
            assert row.pop("action", "update") == "update"
            code = row["sku"]
            if "codes" in path.name:
                assert row["new_sku"] not in items, "a SKU is in use when a file gives it to another item"
                items[row["new_sku"]] = items.pop(code) | {"sku": row["new_sku"]}
            elif "removals" in path.name:
                del items[code]
            else:
                assert (code in items) != ("new-items" in path.name), (path.name, code)
                item = items.setdefault(code, dict.fromkeys(NAMES, "") | {"sku": code})
                item.update({name: stored(example, name, cell, item[name]) for name, cell in row.items()})
    return items


def stored(example: Example, name: str, cell: str, old: str) -> str:
    """What the shop makes of a cell of a file."""
    if example.has.leaves and cell in ("", "(none)"):
        return old if cell == "" else ""
    return cell.replace(",", ".") if example.has.comma and name in ("price", "cost") else cell


def differing(got: Items, expected: Items) -> list[tuple[str, str, str | None, str | None]]:
    """Where two shops differ (SKU, field, got, expected); the order of items, links and tags does not count."""
    sides = [
        {
            (code, name): "|".join(sorted(cell.split("|"))) if name in ("related", "tags") else cell
            for code, row in items.items()
            for name, cell in row.items()
        }
        for items in (got, expected)
    ]
    cells = sorted(sides[0].keys() | sides[1].keys())
    pairs = [(*cell, sides[0].get(cell), sides[1].get(cell)) for cell in cells]
    return [pair for pair in pairs if pair[2] != pair[3]]

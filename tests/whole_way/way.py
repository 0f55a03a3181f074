"""The whole way of one example: each step as a person takes it, each promise looked at by the reference."""

from __future__ import annotations

import json
import random
from copy import deepcopy
from typing import TYPE_CHECKING

from helpers import neat_delta, update_files, write_table
from whole_way.shops import NAMES, Example, Items, differing, imported, table_of

if TYPE_CHECKING:
    from pathlib import Path


class Way:
    """A folder with a shop's export and a sheet, and the commands on them."""

    def __init__(self, folder: Path, example: Example) -> None:
        self.folder, self.example = folder, example
        self.environment = {"NEAT_DELTA_DATA": str(folder / "data"), "NEAT_DELTA_APPROVAL_SECRET": "s" * 24}
        (folder / "catalogue.toml").write_text(example.catalogue)
        write_table(folder / "live.csv", table_of(example.live))
        write_table(folder / "sheet.csv", [NAMES, *([row[name] for name in NAMES] for row in example.sheet)])

    def run(self, *words: str, exits: set[int]) -> dict:
        """Run a command; its envelope."""
        done = neat_delta(*words, "--json", cwd=self.folder, **self.environment)
        assert done.returncode in exits, (words, done.returncode, done.stdout[-3000:], done.stderr[-1500:])
        return json.loads(done.stdout)

    def export(self, name: str, items: Items) -> str:
        """An export of the shop as it is now."""
        write_table(self.folder / name, table_of(items))
        return name

    def files(self, folder: str) -> list[Path]:
        """The files of an update, as they are to be imported."""
        there = update_files(self.folder / folder) if (self.folder / folder).exists() else []
        return [path for path in there if path.suffix == ".csv"]

    def imports(self, items: Items, folder: str) -> Items:
        """The shop after the import of an update."""
        return imported(self.example, items, self.files(folder))


def are_alike(got: Items, expected: Items) -> None:
    """That a shop holds what it must."""
    wrong = differing(got, expected)
    assert not wrong, wrong


def goes_the_whole_way(folder: Path, example: Example) -> None:
    """Compare, write, import, verify, undo and undo again; through a saved set, twice, and in a shop that moved on."""
    way, attention = Way(folder, example), {1} if example.refused else {0}
    said = way.run("compare", "live.csv", "sheet.csv", *example.options, "-o", "a.changes.jsonl", exits=attention)
    held = {("".join(one["key"] or []), one["field"]) for one in said["problems"] if one["level"] == "error"}
    assert {cell for cell in held if cell[1]} == example.refused, held
    if not said["result"]["cells"] and not example.deleted and not example.new_codes:
        are_alike(example.after, example.live)
        return
    pack = ["--pack", "one-file"] if example.has.one_file else []
    way.run("write", "a.changes.jsonl", "-o", "up", *pack, exits={0, 1})
    way.run("compare", "live.csv", "sheet.csv", *example.options, "--write", "again", exits=attention)
    assert [path.read_bytes() for path in way.files("up")] == [path.read_bytes() for path in way.files("again")]

    after = way.imports(example.live, "up")
    are_alike(after, example.after)
    arrives_and_goes_back(way, after)
    leaves_and_comes_back(way)
    joins_itself(way)
    in_a_shop_that_moved_on(way, after)


def arrives_and_goes_back(way: Way, after: Items) -> None:
    """What was imported is verified; the undo, made at once or by a new export, restores; and so does its own undo."""
    live = way.example.live
    way.export("after.csv", after)
    way.run("verify", "a.changes.jsonl", "after.csv", exits={0})
    way.run("verify", "a.changes.jsonl", "live.csv", exits={1})
    are_alike(way.imports(after, "up/undo"), live)
    way.run("undo", "a.changes.jsonl", "-o", "back", "--fresh", "after.csv", exits={0})
    back = way.imports(after, "back")
    are_alike(back, live)
    are_alike(way.imports(back, "back/undo"), after)
    way.run("refresh", "a.changes.jsonl", "after.csv", "-o", "done.changes.jsonl", exits={0, 1})
    done = way.run("write", "done.changes.jsonl", "-o", "nothing", exits={0, 1})
    assert not way.files("nothing"), done


def leaves_and_comes_back(way: Way) -> None:
    """Approved by another person, sent once and not twice, found by its number, and put back by it."""
    folder = way.folder
    settings = folder / "catalogue.toml"
    plain = settings.read_text()
    settings.write_text(plain + '[send]\napproval = "other"\n')
    (folder / "inbox").mkdir()
    pack = ["--pack", "one-file"] if way.example.has.one_file else []
    way.run("write", "a.changes.jsonl", "-o", "out", *pack, exits={3})
    assert not (folder / "out").exists()
    way.run("approve", "a.changes.jsonl", "--by", "Ida", exits={0})
    way.run("write", "a.changes.jsonl", "-o", "out", *pack, exits={0, 1})
    way.run("send", "out", "--to", "inbox", "--yes", exits={0, 1})
    sent = [path.read_bytes() for path in way.files("inbox")]
    assert sent == [path.read_bytes() for path in way.files("out")]
    way.run("send", "out", "--to", "inbox", "--yes", exits={4})
    assert sent == [path.read_bytes() for path in way.files("inbox")]
    after = way.imports(way.example.live, "inbox")
    are_alike(after, way.example.after)
    way.run("undo", "2", "-o", "back3", "--fresh", "after.csv", exits={0})
    are_alike(way.imports(after, "back3"), way.example.live)
    settings.write_text(plain)


def joins_itself(way: Way) -> None:
    """A change set with itself is itself: the same files."""
    way.run("combine", "a.changes.jsonl", "a.changes.jsonl", "-o", "twice.changes.jsonl", exits={0, 1})
    pack = ["--pack", "one-file"] if way.example.has.one_file else []
    way.run("write", "twice.changes.jsonl", "-o", "twice", *pack, exits={0, 1})
    are_alike(way.imports(way.example.live, "twice"), way.example.after)


def followed(example: Example, row: dict[str, str]) -> str:
    """The links of an item after the new SKUs."""
    return "|".join(example.new_codes.get(link, link) for link in row["related"].split("|"))


def in_a_shop_that_moved_on(way: Way, after: Items) -> None:
    """Colleagues change other cells, and sell: refreshed, sent and undone, only our own cells move."""
    example, chance = way.example, random.Random(way.example.seed + 1)
    fresh = deepcopy(example.live)
    links = [code for code in fresh if code not in example.deleted]
    sold = {}
    for code, row in fresh.items():
        new_code = example.new_codes.get(code, code)
        ours = after.get(new_code)
        if ours is None or chance.random() < 0.4:
            continue
        for name in ("name", "note", "kept_by"):
            if ours[name] == row[name] and chance.random() < 0.5:
                row[name] = f"{row[name]} and more"
        if (code, "related") not in example.typed and chance.random() < 0.3:
            row["related"] = "|".join(filter(None, [row["related"], chance.choice(links)]))
        if example.has.adds and int(row["stock"]) > 2:
            sold[code] = row["stock"]
            row["stock"] = str(int(row["stock"]) - 2)
    way.export("fresh.csv", fresh)
    way.run("refresh", "a.changes.jsonl", "fresh.csv", "-o", "b.changes.jsonl", exits={0, 1})
    way.run("write", "b.changes.jsonl", "-o", "up2", exits={0, 1})
    now = way.imports(fresh, "up2")
    expected = deepcopy(fresh)
    for code, row in example.live.items():
        new_code = example.new_codes.get(code, code)
        if code in example.deleted:
            del expected[code]
            continue
        for name in NAMES[1:]:
            ours = after[new_code][name]
            if ours != row[name]:
                expected[code][name] = ours
        if code in sold and after[new_code]["stock"] != row["stock"]:
            added = int(after[new_code]["stock"]) - int(row["stock"])
            expected[code]["stock"] = str(max(0, int(fresh[code]["stock"]) + added))
    for code, row in expected.items():
        if (code, "related") not in example.typed:
            row["related"] = followed(example, fresh[code])
    expected = {example.new_codes.get(code, code): row for code, row in expected.items()}
    expected = {code: row | {"sku": code} for code, row in expected.items()}
    expected |= {code: row for code, row in after.items() if code.startswith("N")}
    are_alike(now, expected)
    by_base = ["compare", "fresh.csv", "sheet.csv", "--base", "live.csv", *example.options, "--write", "up3"]
    way.run(*by_base, exits={0, 1})
    are_alike(way.imports(fresh, "up3"), expected)
    way.export("now.csv", now)
    way.run("verify", "b.changes.jsonl", "now.csv", exits={0})
    way.run("undo", "b.changes.jsonl", "-o", "back2", "--fresh", "now.csv", exits={0, 1})
    are_alike(way.imports(now, "back2"), fresh)

"""Opens made-up exports in a real spreadsheet program, with edits, saves them, and counts what comparing makes of it.

    python benchmarks/round_trips.py [--rows 150] [--seeds 3] [--edits 25] [--show 5]

Each export is opened with one locale, encoding and way of recognising numbers, and saved in one form: a route. Before
that, some cells get new values, typed as a person with that locale types them. Printed for each route: cells in the
change set that nobody typed (invented), among them those without any finding (silent); edits that are in the change
set, edits that a finding names, edits that are neither (lost).
"""

from __future__ import annotations

import argparse
import csv
import io
import json
import os
import random
import shutil
import string
import subprocess
import tempfile
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from pathlib import Path

from neat_delta import compare, read

Maker = Callable[[random.Random, int, str], str]
WORDS = [
    "Hive",
    "Feeder",
    "Frame",
    "Smoker",
    "Veil",
    "Glove",
    "Brush",
    "Strainer",
    "Jar",
    "Mould",
    "Larch",
    "Cedar",
    "Pine",
    "Brass",
    "Steel",
    "Größe",
    "Bärlauch",
]
WORDS += ["Crème", "Ruche", "Été", "Señal", "Niño", "Ação", "Łódź", "Žluť", "Køge", "Åse", "Straße", "Œuvre", "naïve"]


CODES = ["{:06}", "{:05}-A", "MAR{}", "{}E5", "+{}", "{:09}", "{}-03", "TH{}"]
SIZES = ["8.0", "1.20", "0.75", "1.000", "2.50", "12", "S", "M", "XL", "10.5cm", "3/4", "1/2"]
# Texts of which a program makes something else, and some of which it makes nothing.
NOTES = [
    "",
    "",
    "",
    "  12  ",
    " 007",
    "½″ pipe",
    "a\tb",
    '5" x 3"',
    "=1+1",
    "=SUM(A1:A3)",
    '="007"',
    "-",
    "n/a",
    "(5.00)",
]
NOTES += ["100%", "1,234.50", "12,50", "1.234,50", "1'234.50", "12345678901234567", "1234567890123456", "1E5", "9E400"]
NOTES += ["TRUE", "#N/A", "@SUM(1)", "+1+1", "null", "10:30", "May-24", "MAR-1", "0x1F", "€ 12.50", "$1,234.50", "3/4"]
NOTES += [" trailing ", "a\u00a0b", "100.00", "33.333%", "1.2.3", "5-"]


def words(chance: random.Random, count: int) -> str:
    """Some words of a shop."""
    return " ".join(chance.choice(WORDS) for _ in range(count))


def number(chance: random.Random, separator: str, decimals: int, most: int) -> str:
    """A number with so many decimals."""
    return f"{chance.randrange(most * 10**decimals) / 10**decimals:.{decimals}f}".replace(".", separator)


def gtin(chance: random.Random) -> str:
    """A barcode with a right check digit, of numbers kept for use inside a shop."""
    body = "952" + "".join(chance.choices(string.digits, k=9))
    total = sum(int(digit) * (3 if at % 2 else 1) for at, digit in enumerate(body))
    return body + str(-total % 10)


def long_text(chance: random.Random) -> str:
    """A description with markup, quotes and line ends, as shops have it."""
    kind = chance.randrange(5)
    text = words(chance, chance.randrange(5, 30))
    if kind == 0:
        return f'<p class="lead">{text}</p>\n<ul><li>{words(chance, 2)}, 5"</li></ul>'
    if kind == 1:
        return f'{text}; "{words(chance, 2)}"'
    if kind == 2:
        return f"{text}\r\n{words(chance, 4)}" if chance.random() < 0.5 else f"{text}\n{words(chance, 4)}"
    return text


# What a column may hold: each gives a value from the row's number and the export's decimal separator.
COLUMNS: dict[str, Maker] = {
    "name": lambda c, at, _: f"{words(c, 3)} {at}",
    "description": lambda c, _, __: long_text(c),
    "price": lambda c, _, sep: number(c, sep, 2, 400),
    "cost": lambda c, _, sep: number(c, sep, 2, 200),
    "weight": lambda c, _, sep: number(c, sep, 3, 9),
    "stock": lambda c, _, __: str(c.randrange(120)),
    "gtin": lambda c, _, __: gtin(c),
    "brand": lambda c, _, __: c.choice(["Thrumhive", "Quenby Tools", "Pellimoor", "Waxwendle & Sons"]),
    "active": lambda c, _, __: c.choice("111110"),
    "visible": lambda c, _, __: c.choice(["TRUE", "TRUE", "FALSE"]),
    "added": lambda c, _, __: f"20{c.randrange(19, 26)}-{c.randrange(1, 13):02}-{c.randrange(1, 29):02}",
    "changed": lambda c, _, __: f"{c.randrange(1, 29):02}.{c.randrange(1, 13):02}.20{c.randrange(19, 26)}",
    "seen_at": lambda c, _, __: f"2026-{c.randrange(1, 13):02}-28 {c.randrange(24):02}:{c.randrange(60):02}:00",
    "size": lambda c, _, __: c.choice(SIZES),
    "version": lambda c, _, __: c.choice(["1.2.3", "2.0", "1.10", "1.1", "3", "v2", "2.10.1"]),
    "supplier_code": lambda c, _, __: c.choice(CODES).format(c.randrange(999)),
    "bin": lambda c, _, __: c.choice(["A{}-{}", "{}-{}", "{}:{}"]).format(c.randrange(1, 12), c.randrange(1, 28)),
    "phone": lambda c, _, __: c.choice(["+49{}", "0{}", "+44 {}"]).format(c.randrange(10**8, 10**9)),
    "tax": lambda c, _, __: c.choice(["19%", "7%", "19%"]),
    "margin": lambda c, _, sep: f"{number(c, sep, 1, 60)} %",
    "note": lambda c, at, _: c.choice([*NOTES, f"{at}.0"]),
    "serial": lambda c, _, __: str(c.randrange(10**16, 10**17)),
    "eight": lambda c, _, __: str(c.randrange(10**7, 10**8)),
    "tags": lambda c, _, __: "|".join(sorted(c.sample(["bulk", "gift", "new", "30.50", "7"], 2))),
    "rating": lambda c, _, sep: c.choice(["", number(c, sep, 4, 5)]),
    "rrp": lambda c, _, __: f"{c.randrange(1, 4)},{c.randrange(100, 1000)}.{c.randrange(100):02}",
}  # fmt: skip
KEYS: dict[str, Maker] = {
    "zeros": lambda _, at, __: f"{at * 7 + 100:06}",
    "letters": lambda _, at, __: f"HV-{at * 3 + 1000}",
    "plain": lambda _, at, __: str(at * 11 + 10000),
    "mixed": lambda _, at, __: f"{at:05}" if at % 3 else f"QX-{at:04}",
    "decimals": lambda _, at, __: f"{at // 100 + 1}.{at % 100:02}",
}
EDITED = ("name", "price", "cost", "stock", "brand", "weight", "size", "description", "active", "margin", "rrp")


@dataclass(frozen=True)
class Route:
    """How a file is opened and saved: separators and language of the opening, the form of the saving.

    ``language`` is the number of a locale (MS-LCID); ``special``: dates, fractions and the like are recognised;
    ``encoding`` and ``saved_encoding`` are the program's numbers of encodings, ``quoted_text``: quoted cells are text.
    """

    name: str
    language: int = 1033
    separator: str = "."
    special: bool = False
    form: str = "csv"
    encoding: int = 76
    saved_encoding: int = 76
    delimiter: str = ","
    quoted_text: bool = False

    def opening(self, delimiter: str) -> str:
        """The program's options for reading a text file."""
        flags = f"{str(self.quoted_text).lower()},{str(self.special).lower()}"
        return f"Text - txt - csv (StarCalc):{ord(delimiter)},34,{self.encoding},1,,{self.language},{flags}"

    @property
    def saving(self) -> str:
        """The program's options for writing the file."""
        if self.form != "csv":
            return self.form
        return f"csv:Text - txt - csv (StarCalc):{ord(self.delimiter)},34,{self.saved_encoding},1,,0,false,true,false"


LOCALES = {
    "en": (1033, "."), "de": (1031, ","), "fr": (1036, ","), "ch": (2055, "."), "es": (3082, ","), "it": (1040, ","),
    "pl": (1045, ","), "sv": (1053, ","), "pt": (1046, ","), "ja": (1041, "."), "cs": (1029, ","), "nl": (1043, ","),
}  # fmt: skip
ROUTES = [
    Route("en csv"),
    Route("en csv special", special=True),
    Route("en xlsx", form="xlsx"),
    Route("en ods special", form="ods", special=True),
    Route("de csv", *LOCALES["de"], delimiter=";"),
    Route("de csv special", *LOCALES["de"], special=True, delimiter=";"),
    Route("de xlsx special", *LOCALES["de"], special=True, form="xlsx"),
    Route("de ods", *LOCALES["de"], form="ods"),
    Route("fr csv special", *LOCALES["fr"], special=True, delimiter=";"),
    Route("ch csv special", *LOCALES["ch"], special=True, delimiter=";"),
    Route("pl csv", *LOCALES["pl"], delimiter=";", saved_encoding=33),
    Route("sv csv special", *LOCALES["sv"], special=True, delimiter="\t"),
    Route("ja csv special", *LOCALES["ja"], special=True),
    Route("pt xlsx", *LOCALES["pt"], form="xlsx"),
    Route("en csv read as Windows-1252", encoding=1),
    Route("en csv saved as Windows-1252", saved_encoding=1),
    Route("de csv read as Mac Roman", *LOCALES["de"], encoding=2),
    Route("en csv quoted as text", quoted_text=True),
]


@dataclass
class Export:
    """A made-up export, the edits of it, and the file that is opened with them."""

    path: Path
    edited: Path
    key: str
    edits: dict[tuple[str, str], str]


def make(folder: Path, seed: int, rows: int, edits: int, route: Route) -> Export:
    """An export, and the copy in which a person with the route's locale has typed the edits."""
    chance = random.Random(f"{seed} {route.name}")
    separator = chance.choice([".", ".", ","])
    delimiter = chance.choice(",;\t") if separator == "." else ";"
    key_maker = KEYS[chance.choice(list(KEYS))]
    names = chance.sample(list(COLUMNS), chance.randrange(12, len(COLUMNS) + 1))
    makers = [key_maker, *(COLUMNS[name] for name in names)]
    table = [["sku", *names]]
    table += [[maker(chance, at, separator) for maker in makers] for at in range(1, rows + 1)]
    quoting = csv.QUOTE_ALL if route.quoted_text else csv.QUOTE_MINIMAL
    path, edited = folder / f"{seed}.csv", folder / f"{seed}-edited.csv"
    write(path, table, delimiter, quoting)
    done: dict[tuple[str, str], str] = {}
    for _ in range(edits):
        row, name = chance.choice(table[1:]), chance.choice([name for name in names if name in EDITED] or names[:1])
        value = COLUMNS[name](chance, 9999 + len(done), separator)
        if name == "price" and chance.random() < 0.5:
            value = number(chance, separator, 1, 300)
        old = row[names.index(name) + 1]
        if (row[0], name) in done or same(value, old) or not value.strip() or value.startswith("="):
            continue
        if name == "size" and route.separator == "," and "." in value:  # there it is typed for another number
            continue
        done[row[0], name] = value
        typed = value
        if number_of(value) is not None and name not in ("stock", "active", "size"):
            typed = value.replace(",", "") if name == "rrp" else value
            typed = typed.replace(separator if name != "rrp" else ".", route.separator)
        row[names.index(name) + 1] = typed
    write(edited, table, delimiter, quoting)
    return Export(path, edited, table[0][0], done)


def write(path: Path, table: list[list[str]], delimiter: str, quoting: int) -> None:
    """A file of delimited text."""
    text = io.StringIO()
    csv.writer(text, delimiter=delimiter, quoting=quoting, lineterminator="\n").writerows(table)
    path.write_bytes(text.getvalue().encode())


def number_of(text: str) -> Decimal | None:
    """A text as a number, whatever its decimal separator is."""
    plain = text.strip().rstrip("%").strip().replace(" ", "").replace("\u00a0", "")
    if plain.count(",") and plain.count("."):
        plain = plain.replace(min(",.", key=plain.rfind), "")
    try:
        return Decimal(plain.replace(",", "."))
    except InvalidOperation:
        return None


def same(one: str, other: str) -> bool:
    """Whether two texts mean the same."""
    numbers = number_of(one), number_of(other)
    if None not in numbers:
        return numbers[0] == numbers[1]
    return " ".join(one.split()) == " ".join(other.split())


def converted(exports: list[Export], route: Route, folder: Path) -> list[Path]:
    """The files after the spreadsheet program has opened and saved them."""
    out = folder / "saved"
    # Two programs at once cannot share a profile.
    profile = f"{tempfile.gettempdir()}/round-trips-profile-{os.getpid()}"
    by_delimiter: dict[str, list[Path]] = {}
    for export in exports:
        first = export.path.read_text("utf-8").split("\n", 1)[0]
        by_delimiter.setdefault(next(sign for sign in ";\t," if sign in first), []).append(export.edited)
    for delimiter, paths in by_delimiter.items():
        command = ["soffice", f"-env:UserInstallation=file://{profile}", "--headless"]
        command += [f"--infilter={route.opening(delimiter)}", "--convert-to", route.saving, "--outdir", str(out)]
        subprocess.run([*command, *map(str, paths)], check=True, capture_output=True)
    return [out / f"{export.edited.stem}.{route.form}" for export in exports]


def score(export: Export, saved: Path, shown: int) -> tuple[Counter[str], list[str]]:
    """What comparing makes of a saved file, counted; and some of what is wrong."""
    live = read(export.path)
    edited = read(saved)
    changes = compare(live, edited)
    cells = {(key, field): (was, now) for key, field, was, now in changes.cells.rows()}
    named = set(changes.findings.select("key", "field").rows())
    whole = {key for key, field in named if field is None} | set(changes.findings["value"].drop_nulls())
    for data in changes.findings["data"].drop_nulls():
        whole.update(json.loads(data).get("may_be", ()))
    counted: Counter[str] = Counter(edits=len(export.edits), rows=len(live), missing=max(0, changes.counts["missing"]))
    wrong = []
    for (key, field), (was, now) in cells.items():
        if (key, field) in export.edits:
            continue
        counted["invented"] += 1
        silent = (key, field) not in named
        counted["silent"] += silent
        wrong.append(f"{'invented silently' if silent else 'invented'}: {field}: {was!r} -> {now!r}")
    for (key, field), value in export.edits.items():
        if (key, field) in cells and same(cells[key, field][1] or "", value):
            counted["found"] += 1
        elif (key, field) in named or key in whole:
            counted["named"] += 1
        else:
            counted["lost"] += 1
            wrong.append(f"lost: {field}: {value!r}, got {cells.get((key, field))}")
    return counted, wrong[:shown] if shown >= 0 else wrong


def main() -> None:
    """Go all routes and print the table."""
    parser = argparse.ArgumentParser(description=str(__doc__).split("\n", 1)[0])
    parser.add_argument("--rows", type=int, default=150)
    parser.add_argument("--seeds", type=int, default=3)
    parser.add_argument("--edits", type=int, default=25)
    parser.add_argument("--show", type=int, default=5)
    parser.add_argument("--route", default="")
    parser.add_argument("--keep", type=Path)
    args = parser.parse_args()
    if shutil.which("soffice") is None:
        raise SystemExit("no spreadsheet program (soffice) is installed here")
    total: Counter[str] = Counter()
    heads = ("files", "edits", "found", "named", "lost", "invented", "silent", "missing")
    print(f"{'route':34}" + "".join(f"{head:>10}" for head in heads))
    for route in (route for route in ROUTES if args.route in route.name):
        with tempfile.TemporaryDirectory() as temporary:
            folder = args.keep / route.name.replace(" ", "-") if args.keep else Path(temporary)
            folder.mkdir(parents=True, exist_ok=True)
            exports = [make(folder, seed, args.rows, args.edits, route) for seed in range(args.seeds)]
            counted: Counter[str] = Counter()
            notes: list[str] = []
            for export, saved in zip(exports, converted(exports, route, folder), strict=True):
                try:
                    found, wrong = score(export, saved, args.show)
                except Exception as error:  # noqa: BLE001 (a file that cannot be compared is counted, not fatal)
                    found, wrong = Counter(failed=1), [f"failed: {export.path.name}: {error}"]
                counted += found
                counted["files"] += 1
                notes += wrong
        total += counted
        print(f"{route.name:34}" + "".join(f"{counted[head]:>10}" for head in heads))
        for note in notes:
            print(f"    {note[:180]}")
    print(f"{'all':34}" + "".join(f"{total[head]:>10}" for head in heads))


if __name__ == "__main__":
    main()

"""Opens made-up exports in a real spreadsheet program, with edits, saves them, and counts what comparing makes of it.

    python benchmarks/round_trips.py [--rows 150] [--seeds 3] [--edits 25] [--routes 24] [--show 5]

Each export is opened by a program of one language, with one encoding and way of recognising numbers, and saved in one
form: a route; in some a colleague with another language opens and saves it once more. Before that, some cells get new
values, prices and codes among them, typed as a person with that language types them. Printed for each route: cells in
the change set that nobody typed (invented), among them those without any finding (silent); edits that are in the change
set as they were typed, edits that a finding names, edits that are sent but otherwise than typed (altered), edits that
are neither (lost); rows whose item was not found, without a finding (missing).
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
from itertools import pairwise, product
from pathlib import Path

import polars as pl

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
MONTH_CODES = ["MAR-{}", "Okt-{}", "JUN {}", "{}-MAI", "DEC{}", "FEB-20{:02}"]
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


def gtin(chance: random.Random, prefix: str = "952") -> str:
    """A barcode with a right check digit, of numbers kept for use inside a shop."""
    body = prefix + "".join(chance.choices(string.digits, k=12 - len(prefix)))
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
    "postcode": lambda c, _, __: f"{c.randrange(1000, 99999):05}",
    "dial_code": lambda c, _, __: f"0{c.randrange(20, 9999)}",
    "ean": lambda c, _, __: gtin(c, "0590"),
    "shade": lambda c, _, __: f"{c.randrange(1, 10)}.{c.randrange(100):02}",
    "thread": lambda c, _, __: c.choice(["{}/{}", "{} {}/8"]).format(c.randrange(1, 12), c.choice((1, 3, 5, 7))),
    "lot": lambda c, _, __: f"{c.randrange(1, 29)}.{c.randrange(1, 13)}.",
    "month_code": lambda c, _, __: c.choice(MONTH_CODES).format(c.randrange(1, 29)),
    "batch": lambda c, _, __: f"20{c.randrange(20, 27)}-{c.randrange(1, 13)}-{c.randrange(1, 29)}",
    "ratio": lambda c, _, __: f"{c.randrange(1, 24)}:{c.randrange(60):02}",
    "e_code": lambda c, _, __: f"{c.randrange(1, 99)}E{c.randrange(1, 9)}",
    "voltage": lambda c, _, __: f"{c.randrange(1, 25)} V",
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
KEYS |= {
    "dates": lambda _, at, __: f"{at % 28 + 1:02}-{at // 28 % 12 + 1:02}-{at // 336 + 11}",
    "days": lambda _, at, __: f"{at % 31 + 1}-{at // 31 + 1}",
    "slashes": lambda _, at, __: f"{at % 12 + 1}/{at // 12 + 1}",
    "months": lambda _, at, __: f"{('MAR', 'JUN', 'OCT', 'SEP', 'MAI', 'DEZ')[at % 6]}-{at // 6 + 1}",
    "times": lambda _, at, __: f"{at // 60}:{at % 60:02}",
    "powers": lambda _, at, __: f"{at}E{at % 7 + 1}",
    "long": lambda _, at, __: f"0590{at * 7919:09}",
}
NUMBERS = ("price", "cost", "weight", "stock", "margin", "rrp", "rating")
CODE_FIELDS = ("gtin", "ean", "size", "version", "supplier_code", "postcode", "dial_code", "shade", "thread", "lot",
               "month_code", "batch", "ratio", "e_code", "voltage", "bin", "phone")  # fmt: skip
EDITED = (*NUMBERS[:-1], "name", "brand", "description", "active", *CODE_FIELDS)


# Language tag, number of the locale (MS-LCID), decimal separator.
LOCALES = {
    "en": ("en-US", 1033, "."), "gb": ("en-GB", 2057, "."), "de": ("de-DE", 1031, ","), "ch": ("de-CH", 2055, "."),
    "fr": ("fr-FR", 1036, ","), "es": ("es-ES", 3082, ","), "it": ("it-IT", 1040, ","), "pl": ("pl-PL", 1045, ","),
    "sv": ("sv-SE", 1053, ","), "pt": ("pt-BR", 1046, ","), "ja": ("ja-JP", 1041, "."), "ko": ("ko-KR", 1042, "."),
    "zh": ("zh-CN", 2052, "."), "nl": ("nl-NL", 1043, ","), "da": ("da-DK", 1030, ","), "cs": ("cs-CZ", 1029, ","),
    "tr": ("tr-TR", 1055, ","), "ru": ("ru-RU", 1049, ","), "fi": ("fi-FI", 1035, ","), "hu": ("hu-HU", 1038, ","),
    "nb": ("nb-NO", 1044, ","), "el": ("el-GR", 1032, ","), "ro": ("ro-RO", 1048, ","), "in": ("en-IN", 16393, "."),
}  # fmt: skip
UTF_8, WINDOWS_1252, MAC_ROMAN, WINDOWS_1250 = 76, 1, 2, 33


@dataclass(frozen=True)
class Route:
    """How a file is opened and saved: language of the program, form of the saving.

    ``special``: dates, fractions and the like are recognised; ``encoding`` and ``saved_encoding`` are the program's
    numbers of encodings, ``quoted_text``: quoted cells are text; ``shown``: values are saved as they are displayed;
    ``then``: the language of a colleague who opens and saves the file once more, in the same form.
    """

    language: str
    special: bool = False
    form: str = "csv"
    encoding: int = UTF_8
    saved_encoding: int = UTF_8
    quoted_text: bool = False
    shown: bool = True
    then: str = ""

    @property
    def name(self) -> str:
        """What the route does, in words."""
        words = [self.language, self.form, "special" * self.special, "quoted" * self.quoted_text]
        words += ["raw" * (not self.shown), f"then {self.then}" * bool(self.then)]
        words += [f"read as {self.encoding}" * (self.encoding != UTF_8)]
        words += [f"saved as {self.saved_encoding}" * (self.saved_encoding != UTF_8)]
        return " ".join(word for word in words if word)

    @property
    def separator(self) -> str:
        """The decimal separator of the language."""
        return LOCALES[self.language][2]

    def opening(self, delimiter: str, language: str) -> str:
        """The program's options for reading a text file."""
        flags = f"{str(self.quoted_text).lower()},{str(self.special).lower()}"
        number = LOCALES[language][1]
        return f"Text - txt - csv (StarCalc):{ord(delimiter)},34,{self.encoding},1,,{number},{flags}"

    def saving(self, language: str) -> str:
        """The program's options for writing the file."""
        if self.form != "csv":
            return self.form
        delimiter = ord(self.delimiter_of(language))
        flags = f"false,{str(self.shown).lower()},false"
        return f"csv:Text - txt - csv (StarCalc):{delimiter},34,{self.saved_encoding},1,,0,{flags}"

    @staticmethod
    def delimiter_of(language: str) -> str:
        """What stands between the cells of a text file in this language."""
        return "," if LOCALES[language][2] == "." else ";"


def all_routes() -> list[Route]:
    """Every language, with and without dates recognised, in each form; two in a row; encodings."""
    plain = [
        Route(language, special, form, shown=shown)
        for language, special, (form, shown) in product(
            LOCALES, (False, True), (("csv", True), ("csv", False), ("xlsx", True), ("ods", True))
        )
    ]
    again = [
        Route(one, special, form, then=other)
        for (one, other), special, form in product(pairwise(LOCALES), (False, True), ("csv", "xlsx"))
    ]
    encodings = [Route(one, encoding=code) for one in ("en", "de", "fr") for code in (WINDOWS_1252, MAC_ROMAN)]
    encodings += [Route("en", saved_encoding=WINDOWS_1252), Route("pl", saved_encoding=WINDOWS_1250)]
    return [*plain, *again, *encodings, Route("en", quoted_text=True), Route("de", quoted_text=True)]


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
        if (row[0], name) in done or same(name, value, old) or not value.strip() or value.startswith("="):
            continue
        done[row[0], name] = value
        typed = value
        if name in NUMBERS and number_of(value) is not None:
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


def same(name: str, one: str, other: str) -> bool:
    """Whether two texts mean the same: in a column of numbers the same number, in any other the same characters."""
    numbers = number_of(one), number_of(other)
    if None not in numbers and name in NUMBERS:
        return numbers[0] == numbers[1]
    return " ".join(one.split()) == " ".join(other.split())


def profile(language: str) -> Path:
    """A folder with the program's settings for a language; two programs at once cannot share one."""
    folder = Path(tempfile.gettempdir()) / f"round-trips-{os.getpid()}-{language}"
    (folder / "user").mkdir(parents=True, exist_ok=True)
    setting = f'<prop oor:name="ooSetupSystemLocale" oor:op="fuse"><value>{LOCALES[language][0]}</value></prop>'
    item = f'<item oor:path="/org.openoffice.Setup/L10N">{setting}</item>'
    names = 'xmlns:oor="http://openoffice.org/2001/registry"'
    settings = folder / "user" / "registrymodifications.xcu"
    if not settings.exists():
        settings.write_text(f'<?xml version="1.0" encoding="UTF-8"?><oor:items {names}>{item}</oor:items>')
    return folder


def saved_by(route: Route, language: str, paths: list[Path], delimiter: str, out: Path) -> None:
    """Open files and save them, by a program in one language."""
    command = ["soffice", f"-env:UserInstallation=file://{profile(language)}", "--headless"]
    if paths[0].suffix == ".csv":
        command.append(f"--infilter={route.opening(delimiter, language)}")
    command += ["--convert-to", route.saving(language), "--outdir", str(out)]
    subprocess.run([*command, *map(str, paths)], check=True, capture_output=True)


def converted(exports: list[Export], route: Route, folder: Path) -> list[Path]:
    """The files after the spreadsheet program has opened and saved them."""
    out = folder / "saved"
    by_delimiter: dict[str, list[Path]] = {}
    for export in exports:
        first = export.path.read_text("utf-8").split("\n", 1)[0]
        by_delimiter.setdefault(next(sign for sign in ";\t," if sign in first), []).append(export.edited)
    for delimiter, paths in by_delimiter.items():
        saved_by(route, route.language, paths, delimiter, out)
    saved = [out / f"{export.edited.stem}.{route.form}" for export in exports]
    if route.then:
        saved_by(route, route.then, saved, route.delimiter_of(route.language), folder / "again")
        saved = [folder / "again" / path.name for path in saved]
    return saved


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
    stopped = set(changes.findings.filter(level="error").select("key", "field").rows())
    refused_rows = changes.findings.filter(pl.col("level") == "error", pl.col("line").is_not_null())["line"].n_unique()
    missing = max(0, changes.counts["missing"] - refused_rows)
    counted: Counter[str] = Counter(edits=len(export.edits), rows=len(live), missing=missing)
    wrong = [f"missing silently: {missing} rows"] if missing else []
    for (key, field), (was, now) in cells.items():
        if (key, field) in export.edits:
            continue
        counted["invented"] += 1
        silent = (key, field) not in named
        counted["silent"] += silent
        wrong.append(f"{'invented silently' if silent else 'invented'}: {field}: {was!r} -> {now!r}")
    for (key, field), value in export.edits.items():
        sent = cells.get((key, field))
        if sent and same(field, sent[1] or "", value):
            counted["found"] += 1
        elif sent and (key, field) not in stopped:
            counted["altered"] += 1
            wrong.append(f"altered: {field}: {value!r} is sent as {sent[1]!r} (was {sent[0]!r})")
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
    parser.add_argument("--route", default="", help="only routes with these words")
    parser.add_argument("--routes", type=int, default=24, help="so many routes, by chance")
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--keep", type=Path)
    args = parser.parse_args()
    if shutil.which("soffice") is None:
        raise SystemExit("no spreadsheet program (soffice) is installed here")
    total: Counter[str] = Counter()
    heads = ("files", "edits", "found", "named", "altered", "lost", "invented", "silent", "missing")
    print(f"{'route':34}" + "".join(f"{head:>10}" for head in heads))
    routes = [route for route in all_routes() if args.route in route.name]
    for route in random.Random(args.seed).sample(routes, min(args.routes, len(routes))):
        with tempfile.TemporaryDirectory() as temporary:
            folder = args.keep / route.name.replace(" ", "-") if args.keep else Path(temporary)
            folder.mkdir(parents=True, exist_ok=True)
            exports = [make(folder, args.seed * 100 + seed, args.rows, args.edits, route) for seed in range(args.seeds)]
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

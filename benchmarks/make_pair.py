"""Makes a live export of N items × 20 columns as shops have it, and an edited copy with a share of its rows changed.

    python benchmarks/make_pair.py N SHARE FOLDER [--easy] [--shuffled] [--other-form] [--windows] [--utf-16] [--gzip]

A quarter of the descriptions is HTML, with doubled quotes, commas and line ends; SKUs have several forms; texts have
accents; cells are blank. Price, stock, both or a text attribute change, as people change them. The same arguments
give the same bytes.
"""

from __future__ import annotations

import argparse
import gzip
import shutil
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

# So many rows are made at a time.
PART = 1_000_000
WORDS = (
    "frame", "smoker", "feeder", "veil", "glove", "brush", "lid", "floor", "excluder", "jar", "wax", "comb", "strap",
    "knife", "sieve", "tank", "ladle", "label", "crate", "stand",
)  # fmt: skip
PLACES = ("Älvö", "Café Ruß", "Kørn", "Señales", "Łąka", "Crème", "Hill", "Mill", "Barn", "Gate")


def number_of(seed: int, below: int) -> pl.Expr:
    """A number for each row that looks like chance."""
    return pl.col("number").hash(seed) % below


def digits(seed: int, width: int) -> pl.Expr:
    """So many digits."""
    return number_of(seed, 10**width).cast(pl.String).str.zfill(width)


def one_of(seed: int, texts: tuple[str, ...]) -> pl.Expr:
    """One of the texts."""
    return number_of(seed, len(texts)).replace_strict(dict(enumerate(texts)), return_dtype=pl.String)


def sku(easy: bool) -> pl.Expr:
    """Codes in the order of the export: with a prefix, with leading zeros, with an underscore, long and bare."""
    number = pl.col("number").cast(pl.String)
    plain = pl.format("AB-{}", number.str.zfill(8))
    if easy:
        return plain
    form = number_of(70, 4)
    return (
        pl.when(form == 0).then(plain)
        .when(form == 1).then(pl.format("00{}", number.str.zfill(8)))
        .when(form == 2).then(pl.format("kt_{}/b", number))
        .otherwise(pl.format("952{}", number.str.zfill(9)))
    )  # fmt: skip


def description() -> pl.Expr:
    """A quarter HTML of several lines, a tenth blank, the others sentences of different lengths, some with commas."""
    word, other, place = one_of(30, WORDS), one_of(31, WORDS), one_of(32, PLACES)
    size = (number_of(33, 90) + 10).cast(pl.String)
    html = pl.format(
        '<div class="item">\n<p>The <b>{}</b> for your {}, made at {}.</p>\n<ul>\n<li>{} cm × {} cm</li>\n'
        '<li>with {}, which holds 3/4" screws</li>\n</ul>\n<a href="/help/{}">How to clean it</a></div>',
        word, other, place, size, number_of(34, 60) + 5, other, number_of(35, 5000),
    )  # fmt: skip
    sentence = pl.format("A {} of {} for the {}. ", word, place, other)
    longer = (
        pl.format("{}It is {} cm wide, and goes with each {}. ", sentence, size, other)
        .repeat_by(number_of(36, 4) + 1)
        .list.join("")
    )
    kind = number_of(37, 20)
    return pl.when(kind < 5).then(html).when(kind < 7).then(None).when(kind < 14).then(longer).otherwise(sentence)


def live(first: int, items: int, *, easy: bool) -> pl.DataFrame:
    """Items of the live export: codes, names, money, counts, barcodes, dates and texts."""
    number = pl.int_range(first, first + items, eager=True).alias("number")
    name = pl.format("{} {} no. {}", one_of(40, PLACES), one_of(41, WORDS), number_of(42, 900))
    columns = {
        "sku": sku(easy),
        "name": pl.format("Item {} in colour {}", "number", number_of(1, 50)) if easy else name,
        "price": pl.format("{}.{}", number_of(2, 500) + 1, digits(3, 2)),
        "cost": pl.format("{}.{}", number_of(4, 300) + 1, digits(5, 2)),
        "stock": number_of(6, 400).cast(pl.String),
        "gtin": pl.format("952{}", digits(7, 10)),
        "maker": pl.format("Maker {}", number_of(8, 40)),
        "category": pl.format("Hives/Part {}/Kind {}", number_of(9, 20), number_of(10, 30)),
        "active": number_of(11, 2).cast(pl.String),
        "added": pl.format("20{}-0{}-1{}", number_of(12, 16) + 10, number_of(13, 9) + 1, number_of(14, 10)),
        "note": pl.format("Some longer text, with a comma in it, that goes on for a bit: {}", number_of(15, 100_000))
        if easy
        else description(),
    }
    attributes = {f"attribute_{at}": pl.format("value {}", number_of(20 + at, 7 + at * 5)) for at in range(9)}
    if not easy:  # a third of the cells of some attributes is blank
        for at in range(4, 9):
            attributes[f"attribute_{at}"] = pl.when(number_of(60 + at, 3) > 0).then(attributes[f"attribute_{at}"])
    return pl.DataFrame({"number": number}).select(**columns, **attributes)


def edit(frame: pl.DataFrame, share: float) -> pl.DataFrame:
    """The edited copy: of the changed rows, two fifths change price, a fifth stock, a fifth both, a fifth a text."""
    lot = pl.col("sku").hash(99) % 100_000 / (100_000 * share)
    price = pl.format("{}.{}", pl.col("price").str.extract(r"^(\d+)").cast(pl.Int64) + 1, pl.col("price").str.tail(2))
    stock = (pl.col("stock").cast(pl.Int64) + 7).cast(pl.String)
    return frame.with_columns(
        price=pl.when(lot < 0.6).then(price).otherwise("price"),
        stock=pl.when((lot >= 0.4) & (lot < 0.8)).then(stock).otherwise("stock"),
        attribute_3=pl.when((lot >= 0.8) & (lot < 1)).then(pl.lit("new value")).otherwise("attribute_3"),
    )


def write(path: Path, parts: Iterator[pl.DataFrame], write_part: Callable[[pl.DataFrame, bool], bytes]) -> None:
    """Write a file part by part; the header stands above the first."""
    with path.open("wb") as file:
        for at, part in enumerate(parts):
            file.write(write_part(part, not at))


def as_text(args: argparse.Namespace, *, edited: bool) -> Callable[[pl.DataFrame, bool], bytes]:
    """How a part is written: the live export plainly, or as a program on Windows does; the copy in its own form."""

    def write_part(part: pl.DataFrame, header: bool) -> bytes:
        other = edited and args.other_form
        if other:
            part = part.with_columns(pl.col("price", "cost").str.replace(".", ",", literal=True))
        text = part.write_csv(
            include_header=header, separator=";" if other else ",", line_terminator="\r\n" if args.windows else "\n"
        )
        if args.windows:
            return text.encode("cp1252", "replace")
        return text.encode("utf-16" if header else "utf-16-le") if args.utf_16 else text.encode()

    return write_part


def main() -> None:
    """Write FOLDER/live.csv and FOLDER/edited.csv (with .gz behind it, if packed)."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("items", type=int)
    told.add_argument("share", type=float)
    told.add_argument("folder", type=Path)
    told.add_argument("--easy", action="store_true", help="plain cells only, and codes of one form")
    told.add_argument("--shuffled", action="store_true", help="rows of the edited copy in another order")
    told.add_argument("--other-form", action="store_true", help="edited copy with semicolons and decimal commas")
    told.add_argument("--windows", action="store_true", help="both files in Windows-1252, lines end in CR LF")
    told.add_argument("--utf-16", action="store_true", help="both files in UTF-16")
    told.add_argument("--gzip", action="store_true", help="both files packed")
    args = told.parse_args()
    args.folder.mkdir(parents=True, exist_ok=True)
    starts = range(0, args.items, PART)
    sizes = {start: min(PART, args.items - start) for start in starts}

    def edited_parts() -> Iterator[pl.DataFrame]:
        for start in sorted(starts, key=lambda start: -start if args.shuffled else start):
            part = edit(live(start, sizes[start], easy=args.easy), args.share)
            yield part.sample(fraction=1, shuffle=True, seed=1) if args.shuffled else part

    write(
        args.folder / "live.csv",
        (live(start, sizes[start], easy=args.easy) for start in starts),
        as_text(args, edited=False),
    )
    write(args.folder / "edited.csv", edited_parts(), as_text(args, edited=True))
    if args.gzip:
        for path in (args.folder / "live.csv", args.folder / "edited.csv"):
            with path.open("rb") as plain, gzip.open(f"{path}.gz", "wb", compresslevel=6) as packed:
                shutil.copyfileobj(plain, packed)
            path.unlink()


if __name__ == "__main__":
    main()

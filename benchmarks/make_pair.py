"""Makes a live export of N items × 20 columns and an edited copy with a share of its rows changed.

    python benchmarks/make_pair.py N SHARE FOLDER [--shuffled] [--other-form]

Price, stock, both or a text attribute change, as people change them. The same arguments give the same bytes.
"""

from __future__ import annotations

import argparse
from pathlib import Path

import polars as pl


def live(items: int) -> pl.DataFrame:
    """The live export: codes, names, money, counts, barcodes, dates, texts with the delimiter in them."""
    number = pl.int_range(items, eager=True).alias("number")

    def some(seed: int, of: int) -> pl.Expr:
        return pl.col("number").hash(seed) % of

    def digits(seed: int, width: int) -> pl.Expr:
        return some(seed, 10**width).cast(pl.String).str.zfill(width)

    columns = {
        "sku": pl.format("AB-{}", pl.col("number").cast(pl.String).str.zfill(8)),
        "name": pl.format("Item {} in colour {}", "number", some(1, 50)),
        "price": pl.format("{}.{}", some(2, 500) + 1, digits(3, 2)),
        "cost": pl.format("{}.{}", some(4, 300) + 1, digits(5, 2)),
        "stock": some(6, 400).cast(pl.String),
        "gtin": pl.format("952{}", digits(7, 10)),
        "maker": pl.format("Maker {}", some(8, 40)),
        "category": pl.format("Hives/Part {}/Kind {}", some(9, 20), some(10, 30)),
        "active": some(11, 2).cast(pl.String),
        "added": pl.format("20{}-0{}-1{}", some(12, 16) + 10, some(13, 9) + 1, some(14, 10)),
        "note": pl.format("Some longer text, with a comma in it, that goes on for a bit: {}", some(15, 100_000)),
    }
    attributes = {f"attribute_{at}": pl.format("value {}", some(20 + at, 7 + at * 5)) for at in range(9)}
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


def main() -> None:
    """Write FOLDER/live.csv and FOLDER/edited.csv."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("items", type=int)
    told.add_argument("share", type=float)
    told.add_argument("folder", type=Path)
    told.add_argument("--shuffled", action="store_true", help="rows of the edited copy in another order")
    told.add_argument("--other-form", action="store_true", help="edited copy with semicolons")
    args = told.parse_args()
    args.folder.mkdir(parents=True, exist_ok=True)
    frame = live(args.items)
    frame.write_csv(args.folder / "live.csv")
    edited = edit(frame, args.share)
    if args.shuffled:
        edited = edited.sample(fraction=1, shuffle=True, seed=1)
    edited.write_csv(args.folder / "edited.csv", separator=";" if args.other_form else ",")


if __name__ == "__main__":
    main()
